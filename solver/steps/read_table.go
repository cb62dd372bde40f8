package steps

import (
	"bufio"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/curve"
)

// table reads fields of the rows below a heading.
func (f *resultFiles) table(out bench.Output) (c curve.Curve, err error) {
	rows, err := f.rows(out)
	if err != nil {
		return c, err
	}
	if rows.columns == nil {
		rows.columns = columnsOf(rows, out)
	}
	fields := fieldsOf(out)
	y := rows.columns[fields[len(fields)-1]]
	if len(fields) == 1 {
		return curve.Curve{Y: y.values}, y.err
	}
	x := rows.columns[fields[0]]
	return curve.Curve{X: x.values, Y: y.values}, cmp.Or(x.err, y.err)
}

// fieldsOf are the fields that an output is read from, by number or by name: x and y of a curve, or one.
func fieldsOf(out bench.Output) []string {
	if out.Curve == nil {
		return []string{out.Table.Field}
	}
	return []string{out.Curve.X, out.Curve.Y}
}

// A column has the numbers of a field, or why it has none.
type column struct {
	values []float64
	err    error
}

// columnsOf reads the fields that outputs ask of a table, all in one go through its rows.
func columnsOf(rows *block, out bench.Output) map[string]*column {
	columns := map[string]*column{}
	for asked := range rows.fields {
		columns[asked] = &column{values: make([]float64, rows.rows)}
	}
	rows.each(func(i int, line []byte) {
		spans := plain.LogSpans(line)
		for asked, c := range columns {
			field := rows.fields[asked]
			switch {
			case c.err != nil:
			case field > len(spans):
				c.err = looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and field %d is asked for: %s", i+1, out.Table.After, out.File, len(spans), field, plain.Short(string(line))), file: out.File, wanted: string(line)}
			default:
				var err error
				if c.values[i], err = plain.Number(fieldText(line, spans, field), out.File); err != nil {
					c.err = looked{error: fmt.Errorf("row %d below %q: %w", i+1, out.Table.After, err), file: out.File, wanted: string(line)}
				}
			}
		}
	})
	return columns
}

// fieldText is a field by its number, "" where the line has fewer.
func fieldText(line []byte, spans [][2]int, field int) string {
	if field > len(spans) {
		return ""
	}
	return string(line[spans[field-1][0]:spans[field-1][1]])
}

// tableName is the same for outputs that are read from one table.
func tableName(out bench.Output) string {
	t := out.Table
	return fmt.Sprintf("%s\x00%s\x00%d\x00%d\x00%s\x00%t", out.File, t.After, out.Which, t.Rows, t.Until, t.Header)
}

// A block holds the lines of a table, as fields they would take many times the room. Pages do not move while it grows.
type block struct {
	pages   []page
	rows    int
	fields  map[string]int     // that are asked of it, from 1
	columns map[string]*column // by what is asked, once one was asked for
}

type page struct {
	text []byte
	ends []int32 // of each line in it
}

// Pages are the larger the more there are: most tables are small.
const (
	firstPage = 4 << 10
	mostPage  = 1 << 20
)

func (b *block) add(line []byte) {
	last := len(b.pages) - 1
	if last < 0 || len(b.pages[last].text)+len(line) > cap(b.pages[last].text) {
		size := min(firstPage<<min(last+1, 16), mostPage)
		b.pages = append(b.pages, page{text: make([]byte, 0, max(size, len(line)))})
		last++
	}
	p := &b.pages[last]
	p.text = append(p.text, line...)
	p.ends = append(p.ends, int32(len(p.text)))
	b.rows++
}

// each calls visit for each line.
func (b *block) each(visit func(i int, line []byte)) {
	i := 0
	for _, p := range b.pages {
		from := int32(0)
		for _, end := range p.ends {
			visit(i, p.text[from:end])
			from = end
			i++
		}
	}
}

// rows finds the block of a table, each once for all outputs that are read from it.
func (f *resultFiles) rows(out bench.Output) (*block, error) {
	name := tableName(out)
	if rows, known := f.tables[name]; known {
		return rows, nil
	}
	search := tableSearch{out: out, wanted: &block{}}
	for _, other := range f.outputs {
		if other.Table != nil && tableName(other) == name {
			search.asked = append(search.asked, fieldsOf(other)...)
		}
	}
	err := f.search(&search)
	look := func(format string, args ...any) error {
		return looked{error: fmt.Errorf(format, args...), file: out.File, wanted: out.Table.After}
	}
	switch {
	case err != nil:
	case search.count == 0:
		err = look("no line of %s contains %q with rows of numbers below it", out.File, out.Table.After)
	case out.Which > search.count:
		err = look("%s has %d tables below %q; table %d was asked for", out.File, search.count, out.Table.After, out.Which)
	case out.Table.Rows > 0 && search.short:
		err = look("the table below %q in %s has fewer than the %s asked for", out.Table.After, out.File, plain.Count(out.Table.Rows, "row"))
	case out.Table.Until != "" && search.short:
		err = look("no line of %s contains %q, with which the table below %q ends", out.File, out.Table.Until, out.Table.After)
	}
	if err != nil {
		return nil, err
	}
	f.tables[name] = search.wanted
	return search.wanted, nil
}

func (f *resultFiles) search(s *tableSearch) error {
	opened, err := f.open(s.out.File, maxTable)
	if err != nil {
		return err
	}
	defer opened.Close()
	lines := bufio.NewScanner(opened)
	lines.Buffer(nil, maxLine)
	for lines.Scan() {
		if err := s.see(bytes.TrimSpace(lines.Bytes())); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("%s cannot be read by lines of at most %d bytes: %w", s.out.File, maxLine, err)
	}
	s.short = s.short || s.state == inside && s.taken > 0 && s.bounded()
	return nil
}

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
	defer func() { s.afterBlank = len(line) == 0 || s.afterBlank && s.state == below }()
	switch {
	case s.state == outside:
	case s.state == inside:
		s.goOn(line)
	case len(line) == 0:
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
	spans := plain.LogSpans(line)
	first := isNumber(fieldText(line, spans, 1))
	if s.out.Table.Header && !first {
		return false, nil // it may be the line with the names
	}
	var err error
	if s.fields, err = s.find(spans); err != nil {
		return false, err
	}
	return first || !slices.ContainsFunc(s.fields, func(field int) bool { return !isNumber(fieldText(line, spans, field)) }), nil
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
	s.keep(line, len(plain.LogSpans(line)))
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
	spans := plain.LogSpans(line)
	isRow := slices.ContainsFunc(s.fields, func(field int) bool { return isNumber(fieldText(line, spans, field)) })
	broken := !isRow && len(spans) == s.width && isNumber(fieldText(line, spans, 1)) && // as where a number did not fit its field: it must be said
		slices.ContainsFunc(s.fields, func(field int) bool { return !strings.ContainsFunc(fieldText(line, spans, field), unicode.IsLetter) })
	switch {
	case isRow || broken:
		s.keep(line, len(spans))
	case !s.bounded():
		s.state = outside
	}
}

func isNumber(text string) bool {
	_, err := plain.Number(text, "")
	return text != "" && (err == nil || errors.Is(err, plain.ErrDecimalComma)) // with the latter a row begins that is an error
}
