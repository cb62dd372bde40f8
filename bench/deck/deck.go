package deck

import (
	"bytes"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"strconv"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// A Deck is a text with blanks that stand for values: @[name] or @[name:%10.4e], where @@[ is a plain @[; or places that
// were put into a text as another program wrote it. Outside of its blanks it is kept byte for byte.
type Deck struct {
	Pieces []piece
}

// A piece is literal text, followed by a blank unless name is empty.
type piece struct {
	literal []byte
	Name    string
	formula *formula.Expression // nil for a name
	format  string
	width   int    // of the columns that the value must fill; 0: free
	stood   string // what stands at the place now, with the blanks about it; "" for a blank
	touches bool   // something stands right before the columns
	line    int
}

var (
	blankMark   = []byte("@[")
	BlankFormat = regexp.MustCompile(`^%[-+ 0#]*[0-9]*(\.[0-9]+)?[eEfFgGds]$`)
)

// maxBlank bounds the text between @[ and ].
const maxBlank = 200

// ParseDeck finds the blanks of a deck. file is its name in messages.
func Parse(file string, text []byte) (Deck, bench.Problems) {
	var deck Deck
	var problems bench.Problems
	var literal []byte
	line := 1
	for {
		at := bytes.Index(text, blankMark)
		if at < 0 {
			break
		}
		line += bytes.Count(text[:at], []byte("\n"))
		if at > 0 && text[at-1] == '@' {
			literal = append(append(literal, text[:at-1]...), blankMark...)
			text = text[at+2:]
			continue
		}
		literal = append(literal, text[:at]...)
		text = text[at+2:]
		end := bytes.IndexByte(text[:min(len(text), maxBlank)], ']')
		if end < 0 {
			return deck, append(problems, bench.Problem{File: file, Line: line, Message: "@[ begins a blank that no ] ends on the next 200 characters: end it, or write @@[ for a plain @["})
		}
		name, format, hasFormat := cutFormat(string(text[:end]))
		if hasFormat && !BlankFormat.MatchString(format) {
			problems = append(problems, bench.Problem{File: file, Line: line, Message: BadFormat(format, name)})
		}
		p := piece{literal: literal, format: format, line: line}
		if err := p.enters(strings.TrimSpace(name)); err != nil {
			problems = append(problems, bench.Problem{File: file, Line: line, Message: fmt.Sprintf("@[%s]: %s", name, err)})
		}
		deck.Pieces = append(deck.Pieces, p)
		literal = nil
		text = text[end+1:]
	}
	deck.Pieces = append(deck.Pieces, piece{literal: append(literal, text...)})
	return deck, problems
}

// cutFormat parts a blank at the colon before its format; a formula may have others.
func cutFormat(text string) (name, format string, has bool) {
	if at := strings.LastIndex(text, ":%"); at >= 0 {
		return text[:at], text[at+1:], true
	}
	if name, format, has = strings.Cut(text, ":"); has && !strings.Contains(name, "?") {
		return name, format, true
	}
	return text, "", false
}

func BadFormat(format, name string) string {
	return fmt.Sprintf("the format %q of %s is not one for a value: write %%10.4e, %%.3f or %%6d, say, and %%-8s for a word", format, name)
}

// Fill writes the values into the blanks. A blank without a format gets the shortest text that reads back as the value.
// A value that does not fit its columns is an error: a line is never shifted.
func (d Deck) Fill(value func(name string) bench.Value) ([]byte, error) {
	var out bytes.Buffer
	for _, p := range d.Pieces {
		out.Write(p.literal)
		if p.Name == "" {
			continue
		}
		text, _, err := p.text(value)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", p.line, err)
		}
		out.WriteString(text)
	}
	return out.Bytes(), nil
}

// Written gives the texts that Fill puts into the blanks, in their order: what the filled deck depends on. A value that
// does not fit is written with all its digits here.
func (d Deck) Written(value func(name string) bench.Value) []string {
	var written []string
	for _, p := range d.Pieces {
		if p.Name == "" {
			continue
		}
		text, entered, err := p.text(value)
		if err != nil {
			text = entered.String()
			for _, name := range p.names() {
				text += " " + value(name).String()
			}
		}
		written = append(written, text)
	}
	return written
}

// AsWritten notes for each name the value that a reader of the filled deck finds, at its first blank. What enters a formula only is
// used with all its digits.
func (d Deck) AsWritten(value func(name string) bench.Value, into map[string]float64) {
	for _, p := range d.Pieces {
		if _, known := into[p.Name]; known || p.Name == "" || p.formula != nil {
			continue
		}
		v := value(p.Name)
		text, err := p.write(v)
		if err != nil || v.Word != "" {
			continue // it will fail when it is filled, or is written as it is
		}
		if read, err := plain.Number(text, ""); err == nil {
			into[p.Name] = read
		}
	}
}

// write gives the text of a value: in its format, or as the number was written that stood at the place.
func (p piece) write(value bench.Value) (string, error) {
	if p.format == "" && p.stood != "" && value.Word == "" {
		return p.writeLike(value.Number)
	}
	text := writeValue(value, p.format)
	width := p.width
	if width == 0 && p.format != "" {
		width = formatWidth(p.format)
	}
	if width == 0 {
		return text, nil
	}
	if len(text) > width {
		return "", p.misfit(text, width)
	}
	return strings.Repeat(" ", width-len(text)) + text, nil
}

// writeLike writes a number as the one was written that stood at the place. In columns it keeps their width and the side on which the
// number stood, and a blank between it and its neighbour.
func (p piece) writeLike(value float64) (string, error) {
	style := styleOf(p.stood)
	if p.width == 0 {
		text, _ := style.write(value, 0)
		return text, nil
	}
	toLeft := strings.HasSuffix(p.stood, " ") && !strings.HasPrefix(p.stood, " ")
	room := p.width
	if toLeft || p.touches && strings.HasPrefix(p.stood, " ") {
		room-- // for the blank
	}
	text, fits := style.write(value, room)
	switch {
	case !fits:
		return "", p.misfit(text, room)
	case toLeft:
		return text + strings.Repeat(" ", p.width-len(text)), nil
	}
	return strings.Repeat(" ", p.width-len(text)) + text, nil
}

func (p piece) misfit(text string, width int) error {
	return fmt.Errorf("%s = %s does not fit into %d columns: use a shorter format, or narrow its range", p.Name, text, width)
}

// formatWidth is the number of columns that a format asks for, 0 if it asks for none.
func formatWidth(format string) int {
	digits := strings.TrimLeft(format[1:], "-+ 0#")
	end := strings.IndexFunc(digits, func(r rune) bool { return r < '0' || r > '9' })
	width, err := strconv.Atoi(digits[:max(0, end)])
	if err != nil {
		return 0
	}
	return width
}

func writeValue(value bench.Value, format string) string {
	switch {
	case value.Word == "":
		return WriteNumber(value.Number, format)
	case format == "":
		return value.Word
	}
	return fmt.Sprintf(format, value.Word)
}

// WriteNumber writes a value in a format such as %10.4e, or the shortest text that reads back as it.
func WriteNumber(value float64, format string) string {
	switch {
	case format == "" || math.IsNaN(value) || math.IsInf(value, 0):
		return plain.Exact(value)
	case strings.HasSuffix(format, "d"):
		whole, _ := big.NewFloat(math.Round(value)).Int(nil) // a value may be larger than any integer of a machine
		return fmt.Sprintf(format, whole)
	}
	return fmt.Sprintf(format, value)
}

// DeckOf finds the blanks or places of a deck in its text.
func Of(f *bench.Fill, text []byte) (Deck, bench.Problems) {
	if f.Put == nil {
		return Parse(f.From, text)
	}
	return Put(f.From, text, f.Put)
}

// ChangesOf shows every blank and place of the decks of a bench, with its line before and after the nominal values are
// written into it.
func ChangesOf(b *bench.Bench, content bench.Content) ([]Change, error) {
	value := Values(b)(b.NominalRow())
	var changes []Change
	for _, step := range b.Solver.AllSteps() {
		if step.Fill == nil {
			continue
		}
		text := content.Files[bench.ContentPath(step.Fill.From)].Text
		deck, problems := Of(step.Fill, text)
		if len(problems) > 0 {
			return nil, problems
		}
		more, err := deck.Changes(step.Fill.From, text, value)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", step.Fill.From, err)
		}
		changes = append(changes, more...)
	}
	return changes, nil
}
