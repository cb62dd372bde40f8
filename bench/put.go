package bench

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// A Place says where a number stands in a file that another program wrote: on which lines, and there in which field or
// columns. Lines, fields and columns count from 1.
type Place struct {
	Input   string `json:"input"`
	After   string `json:"after,omitempty"`  // the line that contains this text; else Lines
	Line    int    `json:"line,omitempty"`   // so many lines below it
	Lines   [2]int `json:"lines,omitzero"`   // the first and the last of them
	Field   int    `json:"field,omitempty"`  // separated by commas, semicolons, tabs or blanks; else Columns
	Columns [2]int `json:"columns,omitzero"` // the first and the last of them
	Format  string `json:"format,omitempty"`
}

// A numberAt is a place found in a text: from and to are bytes.
type numberAt struct {
	place    Place
	line     int
	from, to int
}

// PutDeck finds the places in a text. file is its name in messages. A place where no number stands is a mistake that
// shows what stands there.
func PutDeck(file string, text []byte, places []Place) (Deck, Problems) {
	lines := splitText(text)
	var found []numberAt
	var problems Problems
	for _, place := range places {
		numbers, err := place.find(lines)
		if err != nil {
			problems = append(problems, Problem{file, max(1, place.Lines[0]), fmt.Sprintf("%s: %s", place.Input, err)})
		}
		found = append(found, numbers...)
	}
	slices.SortFunc(found, func(a, b numberAt) int { return a.from - b.from })
	var deck Deck
	last := 0
	for _, n := range found {
		if n.from < last {
			problems = append(problems, Problem{file, n.line, fmt.Sprintf("%s: its place overlaps that of %s", n.place.Input, deck.pieces[len(deck.pieces)-1].name)})
			continue
		}
		p := piece{text: text[last:n.from], name: n.place.Input, format: n.place.Format, line: n.line, stood: string(text[n.from:n.to])}
		if n.place.Columns != [2]int{} {
			p.width = n.to - n.from
		}
		deck.pieces = append(deck.pieces, p)
		last = n.to
	}
	deck.pieces = append(deck.pieces, piece{text: text[last:]})
	return deck, problems
}

// A textLine is a line without its end, with the byte at which it begins.
type textLine struct {
	text []byte
	from int
}

func splitText(text []byte) []textLine {
	var lines []textLine
	from := 0
	for _, line := range bytes.SplitAfter(text, []byte("\n")) {
		lines = append(lines, textLine{bytes.TrimRight(line, "\r\n"), from})
		from += len(line)
	}
	return lines
}

// find gives every number that the place names.
func (p Place) find(lines []textLine) ([]numberAt, error) {
	first, last, err := p.span(lines)
	if err != nil {
		return nil, err
	}
	var found []numberAt
	for i := first; i <= last; i++ {
		if i > len(lines) {
			return nil, fmt.Errorf("the place is on line %d, and the file ends with line %d: was it changed since?", i, len(lines))
		}
		line := lines[i-1]
		from, to, err := p.within(line.text)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", i, err)
		}
		stands := strings.TrimSpace(string(line.text[from:to]))
		if _, err := ReadNumber(stands, ""); err != nil {
			return nil, fmt.Errorf("line %d: at the place stands %q, which is no number; the line is %q: was the file changed since?", i, stands, Short(string(line.text)))
		}
		found = append(found, numberAt{p, i, line.from + from, line.from + to})
	}
	return found, nil
}

// span is the first and the last line of the place.
func (p Place) span(lines []textLine) (first, last int, err error) {
	if p.After == "" {
		return p.Lines[0], p.Lines[1], nil
	}
	var at []int
	for i, line := range lines {
		if bytes.Contains(line.text, []byte(p.After)) {
			at = append(at, i+1)
		}
	}
	switch len(at) {
	case 0:
		return 0, 0, fmt.Errorf("no line contains %q: was the file changed since?", p.After)
	case 1:
		return at[0] + p.Line, at[0] + p.Line, nil
	}
	return 0, 0, fmt.Errorf("%d lines contain %q, the first are %d and %d: give more of the text", len(at), p.After, at[0], at[1])
}

// within is the part of a line, in bytes.
func (p Place) within(line []byte) (from, to int, err error) {
	if p.Field == 0 {
		from, to = columnBytes(line, p.Columns[0]), columnBytes(line, p.Columns[1]+1)
		if from >= len(line) {
			return 0, 0, fmt.Errorf("it has %d characters, fewer than column %d", len(line), p.Columns[0])
		}
		return from, min(to, len(line)), nil
	}
	spans := fieldSpans(line)
	if p.Field > len(spans) {
		return 0, 0, fmt.Errorf("it has %d fields, and field %d is asked for; the line is %q: was the file changed since?", len(spans), p.Field, Short(string(line)))
	}
	return spans[p.Field-1][0], spans[p.Field-1][1], nil
}

// columnBytes is the byte at which a column begins: a character of UTF-8, or a byte where the line is none.
func columnBytes(line []byte, column int) int {
	if !utf8.Valid(line) {
		return min(column-1, len(line))
	}
	at := 0
	for ; column > 1 && at < len(line); column-- {
		_, size := utf8.DecodeRune(line[at:])
		at += size
	}
	return at
}

// fieldSpans finds the fields of a line: parted by the separator that it contains, or by blanks. Blanks about a field do
// not belong to it.
func fieldSpans(line []byte) [][2]int {
	separator := byte(' ')
	for _, candidate := range []byte{',', ';', '\t'} {
		if bytes.IndexByte(line, candidate) >= 0 {
			separator = candidate
			break
		}
	}
	var spans [][2]int
	for from := 0; from <= len(line); {
		to := from
		for to < len(line) && line[to] != separator {
			to++
		}
		a, b := from, to
		for a < b && (line[a] == ' ' || line[a] == '\t') {
			a++
		}
		for b > a && (line[b-1] == ' ' || line[b-1] == '\t') {
			b--
		}
		if separator != ' ' || b > a {
			spans = append(spans, [2]int{a, b})
		}
		from = to + 1
	}
	return spans
}

// A Change is a line of a deck before and after it is filled.
type Change struct {
	Input  string `json:"input"`
	File   string `json:"file"`
	Line   int    `json:"line"`
	Before string `json:"before"`
	After  string `json:"after"`
	Stood  string `json:"stood,omitempty"` // the number at the place before
	Value  Value  `json:"value"`           // what is written there
}

// Changes shows each slot of a deck with its line before and after; before is the text as it stands in the file.
func (d Deck) Changes(file string, before []byte, value func(name string) Value) ([]Change, error) {
	filled, err := d.Fill(value)
	if err != nil {
		return nil, err
	}
	was, is := splitText(before), splitText(filled)
	var changes []Change
	for _, p := range d.pieces {
		if p.name != "" && p.line <= len(was) && p.line <= len(is) {
			changes = append(changes, Change{p.name, file, p.line, string(was[p.line-1].text), string(is[p.line-1].text), strings.TrimSpace(p.stood), value(p.name)})
		}
	}
	return changes, nil
}

// A FoundNumber is a number of a file with its address.
type FoundNumber struct {
	Line  int     `json:"line"`
	Field int     `json:"field"`
	Text  string  `json:"text"`
	Value float64 `json:"value"`
	Row   string  `json:"row"` // the line that it stands in
}

// Numbers lists the numbers of a text by line and field.
func Numbers(text []byte) []FoundNumber {
	var found []FoundNumber
	for i, line := range splitText(text) {
		for k, span := range fieldSpans(line.text) {
			field := string(line.text[span[0]:span[1]])
			if value, err := ReadNumber(field, ""); err == nil && field != "" {
				found = append(found, FoundNumber{i + 1, k + 1, field, value, string(line.text)})
			}
		}
	}
	return found
}

// A Segment is a part of a line of a deck: plain text, or a number with its field and, where it is taken, the input that
// stands for it.
type Segment struct {
	Text   string   `json:"text"`
	Field  int      `json:"field,omitempty"`
	Value  *float64 `json:"value,omitempty"`
	Inputs []string `json:"inputs,omitempty"`
}

// Segments parts a deck into lines and their numbers; only lines from first on, at most count, are looked at. Places that
// cannot be found stand for nothing.
func Segments(text []byte, places []Place, first, count int) [][]Segment {
	lines := splitText(text)
	type owned struct {
		numberAt
		input string
	}
	var taken []owned
	for _, place := range places {
		found, err := place.find(lines)
		if err != nil {
			continue
		}
		for _, n := range found {
			taken = append(taken, owned{n, place.Input})
		}
	}
	var all [][]Segment
	for i := first; i <= len(lines) && i < first+count; i++ {
		line := lines[i-1]
		if i == len(lines) && len(line.text) == 0 {
			break // behind the last line end
		}
		segments, last := []Segment{}, 0
		for k, span := range fieldSpans(line.text) {
			field := string(line.text[span[0]:span[1]])
			value, err := ReadNumber(field, "")
			if err != nil || field == "" {
				continue
			}
			if span[0] > last {
				segments = append(segments, Segment{Text: string(line.text[last:span[0]])})
			}
			number := Segment{Text: field, Field: k + 1, Value: &value}
			for _, t := range taken {
				if t.from < line.from+span[1] && line.from+span[0] < t.to {
					number.Inputs = append(number.Inputs, t.input)
				}
			}
			segments, last = append(segments, number), span[1]
		}
		if last < len(line.text) || len(segments) == 0 {
			segments = append(segments, Segment{Text: string(line.text[last:])})
		}
		all = append(all, segments)
	}
	return all
}
