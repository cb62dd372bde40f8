package bench

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strconv"

	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// A Value is what an input has in a design: a number, or a word where Word is not empty.
type Value struct {
	Number float64
	Word   string
}

// Number makes a value of a number.
func Number(number float64) Value { return Value{Number: number} }

// String writes the value without losing digits.
func (v Value) String() string {
	if v.Word != "" {
		return v.Word
	}
	return plain.Exact(v.Number)
}

// Cell is the value as a cell of a workbook: a number or a word.
func (v Value) Cell() any {
	if v.Word != "" {
		return v.Word
	}
	return v.Number
}

// Show writes the value for people, with its unit.
func (v Value) Show(unit string) string {
	if v.Word != "" {
		return v.Word
	}
	return plain.With(v.Number, unit)
}

// WithUnit writes the value without losing digits, a number with its unit.
func (v Value) WithUnit(unit string) string {
	if v.Word != "" {
		return v.Word
	}
	return plain.ExactWith(v.Number, unit)
}

// MarshalJSON writes a number or a text.
func (v Value) MarshalJSON() ([]byte, error) {
	if v.Word != "" {
		return json.Marshal(v.Word)
	}
	if math.IsNaN(v.Number) || math.IsInf(v.Number, 0) { // a damaged record can still be shown
		return json.Marshal("not a number")
	}
	return json.Marshal(v.Number)
}

// UnmarshalJSON reads a number or a text.
func (v *Value) UnmarshalJSON(text []byte) error {
	*v = Value{}
	switch {
	case string(text) == "null": // it would be read as 0
		return errors.New("a value is a number or a text, not null")
	case len(text) > 0 && text[0] == '"':
		return json.Unmarshal(text, &v.Word)
	}
	return json.Unmarshal(text, &v.Number)
}

// ParseValue reads a value as a person writes it: a number where the text is just what the number is written like.
func ParseValue(text string) Value {
	if number, err := strconv.ParseFloat(text, 64); err == nil && plain.Exact(number) == text {
		return Number(number)
	}
	return Value{Word: text}
}

// NumberOf is the number by which a design holds a value: itself, or for a word its index. The error says what the input
// can be.
func (in Input) NumberOf(v Value) (float64, error) {
	if in.Choices == nil || in.Choices.Words == nil {
		if v.Word == "" {
			return v.Number, nil
		}
		number, ok := plain.YAMLNumber(v.Word)
		if !ok {
			return 0, fmt.Errorf("%s is a number, and %q is none", in.Name, v.Word)
		}
		return number, nil
	}
	if index, known := in.Choices.Index[v.String()]; known {
		return float64(index), nil
	}
	return 0, fmt.Errorf("%s cannot be %s%s; it is one of %s", in.Name, v, formula.Suggest(v.String(), in.Choices.Words), in.Choices.List())
}

// ValueOf is the value that a design holds by a number.
func (in Input) ValueOf(number float64) Value {
	if in.Choices == nil || in.Choices.Words == nil {
		return Number(number)
	}
	return Value{Word: in.Choices.Words[int(number)]}
}

// NominalNumber is the number by which a design holds the nominal value.
func (in Input) NominalNumber() float64 {
	number, err := in.NumberOf(in.Nominal)
	if err != nil {
		return 0 // it was looked up when the bench was read
	}
	return number
}

// Words is true for an input that is one of some words, or the name of a row of a catalog.
func (in Input) Words() bool { return in.Choices != nil && in.Choices.Words != nil }

// Varied is true for an input that has a range, values or a catalog.
func (in Input) Varied() bool { return in.Range != nil || in.Choices != nil }
