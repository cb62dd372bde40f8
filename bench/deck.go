package bench

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// A Deck is a text in which slots @[name] or @[name:%10.4e] stand for values. @@[ is a plain @[.
type Deck struct {
	pieces []piece
}

// A piece is literal text, followed by a slot unless name is empty.
type piece struct {
	text   []byte
	name   string
	format string
	line   int
}

var (
	slotMark   = []byte("@[")
	slotFormat = regexp.MustCompile(`^%[-+ 0#]*[0-9]*(\.[0-9]+)?[eEfFgGd]$`)
)

// maxSlot bounds the text between @[ and ].
const maxSlot = 200

// ParseDeck finds the slots of a deck. The text outside of them is kept byte for byte. file is its name in messages.
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
			problems = append(problems, Problem{file, line, fmt.Sprintf("the format %q of %s is not one for a number: write %%10.4e, %%.3f or %%6d, say", format, name)})
		}
		deck.pieces = append(deck.pieces, piece{literal, strings.TrimSpace(name), format, line})
		literal = nil
		text = text[end+1:]
	}
	deck.pieces = append(deck.pieces, piece{text: append(literal, text...)})
	return deck, problems
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

// Fill writes the values into the slots. A slot without a format gets the shortest text that reads back as the value.
func (d Deck) Fill(value func(name string) float64) []byte {
	var out bytes.Buffer
	for _, p := range d.pieces {
		out.Write(p.text)
		if p.name != "" {
			out.WriteString(WriteNumber(value(p.name), p.format))
		}
	}
	return out.Bytes()
}

// Written gives the texts that Fill puts into the slots, in their order: what the filled deck depends on.
func (d Deck) Written(value func(name string) float64) []string {
	var written []string
	for _, p := range d.pieces {
		if p.name != "" {
			written = append(written, WriteNumber(value(p.name), p.format))
		}
	}
	return written
}

// WriteNumber writes a value in a format such as %10.4e, or the shortest text that reads back as it.
func WriteNumber(value float64, format string) string {
	switch {
	case format == "":
		return strconv.FormatFloat(value, 'g', -1, 64)
	case strings.HasSuffix(format, "d"):
		return fmt.Sprintf(format, int64(math.Round(value)))
	}
	return fmt.Sprintf(format, value)
}
