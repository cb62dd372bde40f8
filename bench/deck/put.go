package deck

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// A numberAt is a place found in a text: from and to are bytes.
type NumberAt struct {
	place    bench.Place
	line     int
	From, To int
}

// PutDeck finds the places in a text. file is its name in messages. A place where no number stands is a mistake that
// shows what stands there.
func Put(file string, text []byte, places []bench.Place) (Deck, bench.Problems) {
	lines := plain.Lines(text)
	var found []NumberAt
	var problems bench.Problems
	for _, place := range places {
		numbers, err := FindPlace(place, lines)
		if err != nil {
			problems = append(problems, bench.Problem{File: file, Line: max(1, place.Lines[0]), Message: fmt.Sprintf("%s: %s", place.Input, err)})
		}
		found = append(found, numbers...)
	}
	slices.SortFunc(found, func(a, b NumberAt) int { return a.From - b.From })
	var deck Deck
	last := 0
	for _, n := range found {
		if n.From < last {
			problems = append(problems, bench.Problem{File: file, Line: n.line, Message: fmt.Sprintf("%s: its place overlaps that of %s", n.place.Input, deck.Pieces[len(deck.Pieces)-1].Name)})
			continue
		}
		p := piece{literal: text[last:n.From], format: n.place.Format, line: n.line, stood: string(text[n.From:n.To])}
		if err := p.enters(n.place.Input); err != nil {
			problems = append(problems, bench.Problem{File: file, Line: n.line, Message: "put: " + err.Error()})
		}
		if n.place.Columns != [2]int{} {
			p.width = n.To - n.From
			p.touches = n.From > 0 && !slices.Contains([]byte(" \t\r\n"), text[n.From-1])
		}
		deck.Pieces = append(deck.Pieces, p)
		last = n.To
	}
	deck.Pieces = append(deck.Pieces, piece{literal: text[last:]})
	return deck, problems
}

// find gives every number that the place names.
func FindPlace(p bench.Place, lines []plain.Line) ([]NumberAt, error) {
	first, last, err := spanOf(p, lines)
	if err != nil {
		return nil, err
	}
	var found []NumberAt
	for i := first; i <= last; i++ {
		if i > len(lines) {
			return nil, fmt.Errorf("the place is on line %d, and the file ends with line %d: was it changed since?", i, len(lines))
		}
		line := lines[i-1]
		from, to, err := partOf(p, line.Text)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", i, err)
		}
		stands := strings.TrimSpace(string(line.Text[from:to]))
		if _, err := plain.Number(stands, ""); err != nil {
			return nil, fmt.Errorf("line %d: at the place stands %q, which is no number; the line is %q: was the file changed since?", i, stands, plain.Short(string(line.Text)))
		}
		found = append(found, NumberAt{place: p, line: i, From: line.From + from, To: line.From + to})
	}
	return found, nil
}

// span is the first and the last line of the place.
func spanOf(p bench.Place, lines []plain.Line) (first, last int, err error) {
	if p.After == "" {
		return p.Lines[0], p.Lines[1], nil
	}
	var at []int
	for i, line := range lines {
		if bytes.Contains(line.Text, []byte(p.After)) {
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
func partOf(p bench.Place, line []byte) (from, to int, err error) {
	if p.Field == 0 {
		from, to = columnBytes(line, p.Columns[0]), columnBytes(line, p.Columns[1]+1)
		if from >= len(line) {
			return 0, 0, fmt.Errorf("it has %d characters, fewer than column %d", len(line), p.Columns[0])
		}
		return from, min(to, len(line)), nil
	}
	spans := plain.FieldSpans(line)
	if p.Field > len(spans) {
		return 0, 0, fmt.Errorf("it has %d fields, and field %d is asked for; the line is %q: was the file changed since?", len(spans), p.Field, plain.Short(string(line)))
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

// A Change is a line of a deck before and after it is filled.
type Change struct {
	Input  string      `json:"input"`
	File   string      `json:"file"`
	Line   int         `json:"line"`
	Before string      `json:"before"`
	After  string      `json:"after"`
	Stood  string      `json:"stood,omitempty"` // the number at the place before
	Value  bench.Value `json:"value"`           // what is written there
}

// Changes shows each blank of a deck with its line before and after; before is the text as it stands in the file.
func (d Deck) Changes(file string, before []byte, value func(name string) bench.Value) ([]Change, error) {
	filled, err := d.Fill(value)
	if err != nil {
		return nil, err
	}
	was, is := plain.Lines(before), plain.Lines(filled)
	var changes []Change
	for _, p := range d.Pieces {
		if p.Name == "" || p.line > len(was) || p.line > len(is) {
			continue
		}
		entered, err := p.value(value)
		if err != nil {
			return nil, err
		}
		changes = append(changes, Change{Input: p.Name, File: file, Line: p.line, Before: string(was[p.line-1].Text), After: string(is[p.line-1].Text), Stood: strings.TrimSpace(p.stood), Value: entered})
	}
	return changes, nil
}

// A FoundNumber is a number of a file with its place: its columns where the lines about it are aligned, else its field.
type FoundNumber struct {
	Line    int     `json:"line"`
	Field   int     `json:"field,omitempty"` // 0 for one that touches another
	Columns [2]int  `json:"columns,omitzero"`
	Text    string  `json:"text"`
	Value   float64 `json:"value"`
	Row     string  `json:"row"` // the line that it stands in
}

// Place is where the number stands, for an input.
func (n FoundNumber) Place() bench.Place {
	p := bench.Place{Lines: [2]int{n.Line, n.Line}, Columns: n.Columns}
	if n.Columns == [2]int{} {
		p.Field = n.Field
	}
	return p
}

// Numbers lists the numbers of a text by line and field.
func Numbers(text []byte) []FoundNumber {
	found := []FoundNumber{}
	lines := plain.Lines(text)
	tokens, columns := columnsOfLines(lines)
	for i, line := range lines {
		for k, t := range tokens[i] {
			n := FoundNumber{Line: i + 1, Field: t.field, Text: string(line.Text[t.from:t.to]), Row: string(line.Text)}
			n.Value, _ = plain.Number(n.Text, "") // it was found as one
			if columns[i] != nil {
				n.Columns = columns[i][k]
			}
			found = append(found, n)
		}
	}
	return found
}

// A Segment is a part of a line of a deck: plain text, or a number with its field and, where it is taken, the input that
// stands for it.
type Segment struct {
	Text    string   `json:"text"`
	Field   int      `json:"field,omitempty"`   // of a number that stands alone in it
	Columns *[2]int  `json:"columns,omitempty"` // of a number whose lines are aligned
	Value   *float64 `json:"value,omitempty"`
	Inputs  []string `json:"inputs,omitempty"`
}

// Segments parts a deck into lines and their numbers; only lines from first on, at most count, are looked at. Places that
// cannot be found stand for nothing.
func Segments(text []byte, places []bench.Place, first, count int) [][]Segment {
	lines := plain.Lines(text)
	type owned struct {
		NumberAt
		input string
	}
	var taken []owned
	for _, place := range places {
		found, err := FindPlace(place, lines)
		if err != nil {
			continue
		}
		for _, n := range found {
			taken = append(taken, owned{n, place.Input})
		}
	}
	tokens, columns := columnsOfLines(lines)
	var all [][]Segment
	for i := first; i <= len(lines) && i < first+count; i++ {
		line := lines[i-1]
		if i == len(lines) && len(line.Text) == 0 {
			break // behind the last line end
		}
		segments, last := []Segment{}, 0
		for k, t := range tokens[i-1] {
			if t.from > last {
				segments = append(segments, Segment{Text: string(line.Text[last:t.from])})
			}
			number := Segment{Text: string(line.Text[t.from:t.to]), Field: t.field}
			value, _ := plain.Number(number.Text, "") // it was found as one
			number.Value = &value
			if columns[i-1] != nil {
				number.Columns = &columns[i-1][k]
			}
			for _, owner := range taken {
				if owner.From < line.From+t.to && line.From+t.from < owner.To {
					number.Inputs = append(number.Inputs, owner.input)
				}
			}
			segments, last = append(segments, number), t.to
		}
		if last < len(line.Text) || len(segments) == 0 {
			segments = append(segments, Segment{Text: string(line.Text[last:])})
		}
		all = append(all, segments)
	}
	return all
}
