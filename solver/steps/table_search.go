package steps

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// A tableSearch goes through the lines of a file and keeps the rows below each heading that are wanted: they begin with the first
// line of numbers, in the paragraph of the heading or in the next; rows farther below belong to something else. They end with the
// first line that has no number in the fields asked; where the table says how many they are, or what stands behind them, lines
// without numbers between them are stepped over.
type tableSearch struct {
	out   bench.Output
	asked []string // fields, of all outputs that read the table

	wanted *block
	count  int  // tables found
	taken  int  // rows of the one at work
	width  int  // fields of its last row
	leads  bool // its first row begins with a number
	short  bool // the last one has ended before its rows were there

	state      tableState
	afterBlank bool
	above      []string // lines from the heading on, for the names of columns
	fields     []int
}

type tableState int

const (
	outside tableState = iota
	below              // the heading
	next               // in the paragraph behind that of the heading
	inside
)

// mostAbove bounds the lines between a heading and its rows among which the names of columns are looked for.
const mostAbove = 20

// bounded is true where the table says how many rows it has, or what ends it.
func (s *tableSearch) bounded() bool { return s.out.Table.Rows > 0 || s.out.Table.Until != "" }

func (s *tableSearch) see(line []byte) error {
	if bytes.Contains(line, []byte(s.out.Table.After)) && !(s.state == inside && s.bounded()) {
		s.state, s.afterBlank, s.above = below, false, []string{string(line)}
		return nil
	}
	isBlank := len(bytes.TrimSpace(line)) == 0
	defer func() { s.afterBlank = isBlank || s.afterBlank && s.state == below }()
	switch {
	case s.state == outside:
	case s.state == inside:
		s.goOn(line)
	case isBlank:
		if s.state == next {
			s.state = outside
		}
	default:
		begins, err := s.begins(line)
		if err != nil {
			return err
		}
		if begins {
			s.begin(line)
		} else if s.afterBlank {
			s.state = next
		}
		if s.out.Table.Header && len(s.above) < mostAbove {
			s.above = append(s.above, string(line))
		}
	}
	return nil
}

// begins is true for a line that begins with a number, or has numbers in all fields asked.
func (s *tableSearch) begins(line []byte) (bool, error) {
	if columns := s.out.Table.Columns; columns[0] > 0 {
		s.fields = make([]int, len(s.asked))
		return isNumber(charactersOf(line, columns), s.out.Commas), nil
	}
	spans := plain.SpansOf(line, s.out.Commas)
	first := isNumber(fieldText(line, spans, 1), s.out.Commas)
	if s.out.Table.Header && !first {
		return false, nil // it may be the line with the names
	}
	var err error
	if s.fields, err = s.find(spans); err != nil {
		return false, err
	}
	return first || !slices.ContainsFunc(s.fields, func(field int) bool { return !isNumber(fieldText(line, spans, field), s.out.Commas) }), nil
}

// find gives the number of each field asked: as it stands, or of its name in a line above the rows.
func (s *tableSearch) find(row [][2]int) ([]int, error) {
	numbers := make([]int, len(s.asked))
	missing := ""
	for i, asked := range s.asked {
		if numbers[i], _ = strconv.Atoi(asked); numbers[i] > 0 && !s.out.Table.Header {
			continue
		}
		for _, line := range slices.Backward(s.above) {
			if names := plain.ColumnNames(plain.Fields([]byte(line))); plain.ColumnOf(names, asked) >= 0 && len(names) == len(row) {
				numbers[i] = plain.ColumnOf(names, asked) + 1
				break
			}
		}
		if numbers[i] == 0 && missing == "" {
			missing = asked
		}
	}
	if missing != "" {
		return nil, looked{error: fmt.Errorf("no line from %q on names %d columns with %s among them, as the rows of %s have: name the fields by their numbers", s.out.Table.After, len(row), missing, s.out.File),
			file: s.out.File, wanted: s.out.Table.After + " " + missing}
	}
	return numbers, nil
}

func (s *tableSearch) begin(line []byte) {
	if s.count++; s.out.Which == 0 { // the last one
		s.wanted = &block{}
	}
	s.state, s.taken, s.short = inside, 0, s.short && s.out.Which == bench.AllBlocks
	s.wanted.fields = map[string]int{}
	for i, asked := range s.asked {
		s.wanted.fields[asked] = s.fields[i]
	}
	s.leads = isNumber(fieldText(line, plain.SpansOf(line, s.out.Commas), 1), s.out.Commas)
	width := len(plain.SpansOf(line, s.out.Commas))
	if s.wanted.width == 0 {
		s.wanted.width = width
	}
	s.keep(line, width)
}

func (s *tableSearch) keep(line []byte, width int) {
	s.taken++
	s.width = width
	if s.out.Which == bench.AllBlocks || s.out.Which == 0 || s.out.Which == s.count {
		s.wanted.add(line)
	}
	if s.out.Table.Rows > 0 && s.taken == s.out.Table.Rows {
		s.state = outside
	}
}

// goOn takes another line of a table, or ends it.
func (s *tableSearch) goOn(line []byte) {
	if until := s.out.Table.Until; until != "" && bytes.Contains(line, []byte(until)) {
		s.state = outside
		return
	}
	if columns := s.out.Table.Columns; columns[0] > 0 {
		text := charactersOf(line, columns)
		broken := strings.ContainsFunc(text, unicode.IsDigit) && !strings.ContainsFunc(text, unicode.IsLetter) ||
			text == "" && len(line) > columns[1] && s.leads && isNumber(fieldText(line, plain.SpansOf(line, s.out.Commas), 1), s.out.Commas) // a cell of a row is empty
		switch {
		case isNumber(text, s.out.Commas), broken:
			s.keep(line, 0)
		case !s.bounded():
			s.state = outside
		}
		return
	}
	spans := plain.SpansOf(line, s.out.Commas)
	first := isNumber(fieldText(line, spans, 1), s.out.Commas)
	isRow := slices.ContainsFunc(s.fields, func(field int) bool { return isNumber(fieldText(line, spans, field), s.out.Commas) }) &&
		(first || !s.leads) // a footer is no row: rows begin with a number, and it with a word
	broken := !isRow && len(spans) == s.width && first && // as where a number did not fit its field: it must be said
		slices.ContainsFunc(s.fields, func(field int) bool { return !strings.ContainsFunc(fieldText(line, spans, field), unicode.IsLetter) })
	switch {
	case isRow || broken:
		s.keep(line, len(spans))
	case !s.bounded():
		s.state = outside
	}
}

func isNumber(text string, commas bool) bool {
	_, err := plain.NumberOf(text, "", commas)
	return text != "" && (err == nil || errors.Is(err, plain.ErrDecimalComma)) // with the latter a row begins that is an error
}
