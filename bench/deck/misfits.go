package deck

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// Values gives, for a row of inputs, what enters decks: inputs, and values derived from inputs alone.
func Values(b *bench.Bench) func(row []float64) func(name string) bench.Value {
	only := b.InputsOnly()
	return func(row []float64) func(name string) bench.Value {
		var value func(name string) bench.Value
		value = func(name string) bench.Value {
			if value, isInput := b.ValueIn(row, name); isInput {
				return value
			}
			d, _ := bench.Find(b.Derived, name, func(d bench.Derived) string { return d.Name })
			if !only[name] {
				return bench.Number(0) // that it is not known yet is said where the deck is read
			}
			computed, err := d.Formula.Evaluate(func(name string) formula.Value { return formula.Scalar(value(name).Number) })
			if err != nil {
				return bench.Number(math.NaN())
			}
			return bench.Number(computed.Number)
		}
		return value
	}
}

const atNominal = "at the nominal"

// between is at how many values within its range an input is tried: they have more digits than the ends.
const between = 20

// mostChoices is how many choices of an input are tried.
const mostChoices = 200

// Misfits writes every place once at the nominal and once at each end of the range, or for each choice, of every input that enters
// there, and lists all that does not fit. Places that do not fit for the same reason are one problem. What is no finite number at an
// end is none: such designs fail, and others can be found.
func (d Deck) Misfits(file string, b *bench.Bench) bench.Problems {
	nominal, values := b.NominalRow(), Values(b)
	var problems bench.Problems
	seen := map[string]bool{}
	for _, p := range d.Pieces {
		if p.Name == "" {
			continue
		}
		look := func(where string, row []float64) {
			_, _, err := p.text(values(row))
			if err == nil || where != atNominal && errors.Is(err, errNotFinite) {
				return
			}
			message := fmt.Sprintf("%s: %s", where, err)
			if !seen[message] {
				seen[message] = true
				problems = append(problems, bench.Problem{File: file, Line: p.line, Message: message})
			}
		}
		before := len(problems)
		look(atNominal, nominal)
		if len(problems) > before {
			continue // the ends would say it again
		}
		for _, i := range inputsOf(b, p.names()) {
			in := b.Inputs[i]
			row := slices.Clone(nominal)
			at := func(where string, number float64) {
				row[i] = number
				b.FillColumns(row)
				look(where, row)
			}
			if in.Range != nil {
				at(fmt.Sprintf("with %s at its lower end", in.Name), in.Range.Lower)
				at(fmt.Sprintf("with %s at its upper end", in.Name), in.Range.Upper)
				for k := 0; k < between && in.Step == 0 && len(problems) == before; k++ {
					share := math.Mod(float64(k+1)*math.Phi, 1)
					number := in.Range.Lower + share*(in.Range.Upper-in.Range.Lower)
					at(fmt.Sprintf("with %s at %s", in.Name, plain.Exact(number)), number)
				}
			}
			if in.Choices == nil {
				continue
			}
			for k := range min(in.Choices.Count(), mostChoices) {
				number := float64(k) // of a word
				if in.Choices.Numbers != nil {
					number = in.Choices.Numbers[k]
				}
				at(fmt.Sprintf("with %s at %s", in.Name, in.ValueOf(number)), number)
			}
		}
	}
	return problems
}

// inputsOf are the inputs, by their index, on which names depend.
func inputsOf(b *bench.Bench, names []string) (inputs []int) {
	seen := map[string]bool{}
	var visit func(name string)
	visit = func(name string) {
		base, _, _ := strings.Cut(name, ".")
		if seen[base] {
			return
		}
		seen[base] = true
		if i := slices.IndexFunc(b.Inputs, func(in bench.Input) bool { return in.Name == base }); i >= 0 {
			inputs = append(inputs, i)
			return
		}
		d, _ := bench.Find(b.Derived, name, func(d bench.Derived) string { return d.Name })
		for _, inner := range d.Formula.Names {
			visit(inner)
		}
	}
	for _, name := range names {
		visit(name)
	}
	return inputs
}
