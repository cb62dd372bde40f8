package bench

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// A Deck is a text with slots that stand for values: @[name] or @[name:%10.4e], where @@[ is a plain @[; or places that
// were put into a text as another program wrote it. Outside of its slots it is kept byte for byte.
type Deck struct {
	pieces []piece
}

// A piece is literal text, followed by a slot unless name is empty.
type piece struct {
	text   []byte
	name   string
	format string
	width  int    // of the columns that the value must fill; 0: free
	stood  string // what stands at the place now; "" for a slot
	line   int
}

var (
	slotMark   = []byte("@[")
	slotFormat = regexp.MustCompile(`^%[-+ 0#]*[0-9]*(\.[0-9]+)?[eEfFgGds]$`)
)

// maxSlot bounds the text between @[ and ].
const maxSlot = 200

// ParseDeck finds the slots of a deck. file is its name in messages.
func ParseDeck(file string, text []byte) (Deck, Problems) {
	var deck Deck
	var problems Problems
	var literal []byte
	line := 1
	for {
		at := bytes.Index(text, slotMark)
		if at < 0 {
			break
		}
		line += bytes.Count(text[:at], []byte("\n"))
		if at > 0 && text[at-1] == '@' {
			literal = append(append(literal, text[:at-1]...), slotMark...)
			text = text[at+2:]
			continue
		}
		literal = append(literal, text[:at]...)
		text = text[at+2:]
		end := bytes.IndexByte(text[:min(len(text), maxSlot)], ']')
		if end < 0 {
			return deck, append(problems, Problem{file, line, "@[ begins a slot that no ] ends on the next 200 characters: end it, or write @@[ for a plain @["})
		}
		name, format, hasFormat := strings.Cut(string(text[:end]), ":")
		if hasFormat && !slotFormat.MatchString(format) {
			problems = append(problems, Problem{file, line, badFormat(format, name)})
		}
		deck.pieces = append(deck.pieces, piece{text: literal, name: strings.TrimSpace(name), format: format, line: line})
		literal = nil
		text = text[end+1:]
	}
	deck.pieces = append(deck.pieces, piece{text: append(literal, text...)})
	return deck, problems
}

func badFormat(format, name string) string {
	return fmt.Sprintf("the format %q of %s is not one for a value: write %%10.4e, %%.3f or %%6d, say, and %%-8s for a word", format, name)
}

// Names lists the slots in their order, with the line of each.
func (d Deck) Names() (names []string, lines []int) {
	for _, p := range d.pieces {
		if p.name != "" {
			names, lines = append(names, p.name), append(lines, p.line)
		}
	}
	return names, lines
}

// formatAt is the format of the i-th slot.
func (d Deck) formatAt(i int) string {
	for _, p := range d.pieces {
		if p.name == "" {
			continue
		}
		if i == 0 {
			return p.format
		}
		i--
	}
	return ""
}

// Fill writes the values into the slots. A slot without a format gets the shortest text that reads back as the value.
// A value that does not fit its columns is an error: a line is never shifted.
func (d Deck) Fill(value func(name string) Value) ([]byte, error) {
	var out bytes.Buffer
	for _, p := range d.pieces {
		out.Write(p.text)
		if p.name == "" {
			continue
		}
		text, err := p.write(value(p.name))
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", p.line, err)
		}
		out.WriteString(text)
	}
	return out.Bytes(), nil
}

// Written gives the texts that Fill puts into the slots, in their order: what the filled deck depends on. A value that
// does not fit is written with all its digits here.
func (d Deck) Written(value func(name string) Value) []string {
	var written []string
	for _, p := range d.pieces {
		if p.name == "" {
			continue
		}
		text, err := p.write(value(p.name))
		if err != nil {
			text = value(p.name).String()
		}
		written = append(written, text)
	}
	return written
}

// AsWritten notes for each name the value that a reader of the filled deck finds, at its first slot.
func (d Deck) AsWritten(value func(name string) Value, into map[string]float64) {
	for _, p := range d.pieces {
		if _, known := into[p.name]; known || p.name == "" {
			continue
		}
		v := value(p.name)
		text, err := p.write(v)
		if err != nil || v.Word != "" {
			continue // it will fail when it is filled, or is written as it is
		}
		if read, err := ReadNumber(text, ""); err == nil {
			into[p.name] = read
		}
	}
}

// leastDigits is how many significant digits a value keeps at least when it is made to fit into columns.
const leastDigits = 4

// write gives the text of a value.
func (p piece) write(value Value) (string, error) {
	text := writeValue(value, p.format)
	width := p.width
	if width == 0 && p.format != "" {
		width = formatWidth(p.format)
	}
	switch {
	case width == 0:
		return text, nil
	case len(text) <= width:
		return strings.Repeat(" ", width-len(text)) + text, nil
	case p.format == "" && value.Word == "":
		for digits := 15; digits >= leastDigits; digits-- {
			if text = strconv.FormatFloat(value.Number, 'g', digits, 64); len(text) <= width {
				return strings.Repeat(" ", width-len(text)) + text, nil
			}
		}
	}
	return "", fmt.Errorf("%s = %s does not fit into %d columns: use a shorter format, or narrow its range", p.name, text, width)
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

func writeValue(value Value, format string) string {
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
	case format == "":
		return exact(value)
	case strings.HasSuffix(format, "d"):
		return fmt.Sprintf(format, int64(math.Round(value)))
	}
	return fmt.Sprintf(format, value)
}
