package deck

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"ropebench/bench"
	"ropebench/core/formula"
)

// A Blank is what enters a deck at one spot: a name, or a formula of names.
type Blank struct {
	Text    string // as it is written
	Names   []string
	Line    int
	Format  string
	Formula bool
}

// Blanks lists what enters the deck, in its order.
func (d Deck) Blanks() []Blank {
	var blanks []Blank
	for _, p := range d.Pieces {
		if p.Name != "" {
			blanks = append(blanks, Blank{Text: p.Name, Names: p.names(), Line: p.line, Format: p.format, Formula: p.formula != nil})
		}
	}
	return blanks
}

// IsName is true for a name, with the column of a catalog behind a dot or not; anything else that enters a deck is a formula.
func IsName(text string) bool {
	name, column, dotted := strings.Cut(text, ".")
	return bench.GoodName.MatchString(name) && (!dotted || bench.GoodName.MatchString(column))
}

// enters prepares what enters a deck. The error says what is wrong with a formula.
func (p *piece) enters(text string) error {
	p.Name = text
	if IsName(text) {
		return nil
	}
	parsed, err := formula.Parse(text)
	if err != nil {
		return fmt.Errorf("%q is neither a name nor a formula of inputs: %w", text, err)
	}
	p.formula = &parsed
	return nil
}

func (p piece) names() []string {
	if p.formula == nil {
		return []string{p.Name}
	}
	return p.formula.Names
}

// errNotFinite is the error of a value that no solver can read.
var errNotFinite = errors.New("is not a finite number")

// value is what enters: a word, or a finite number.
func (p piece) value(of func(name string) bench.Value) (bench.Value, error) {
	value := of(p.Name)
	if p.formula != nil {
		var err error
		if value, err = p.calculated(of); err != nil {
			return value, err
		}
	}
	if math.IsNaN(value.Number) || math.IsInf(value.Number, 0) {
		return value, fmt.Errorf("%s %w", p.Name, errNotFinite)
	}
	return value, nil
}

func (p piece) calculated(of func(name string) bench.Value) (bench.Value, error) {
	for _, name := range p.formula.Names {
		if word := of(name).Word; word != "" {
			return bench.Value{}, fmt.Errorf("%s cannot be calculated, since %s is %s", p.Name, name, word)
		}
	}
	value, err := p.formula.Evaluate(func(name string) formula.Value { return formula.Scalar(of(name).Number) })
	if err != nil {
		return bench.Value{}, fmt.Errorf("%s cannot be calculated: %w", p.Name, err)
	}
	if value.Samples != nil {
		return bench.Value{}, fmt.Errorf("%s is not one number", p.Name)
	}
	return bench.Number(value.Number), nil
}

// text is what is written for a design.
func (p piece) text(of func(name string) bench.Value) (string, bench.Value, error) {
	value, err := p.value(of)
	if err != nil {
		return "", value, err
	}
	text, err := p.write(value)
	return text, value, err
}
