package study

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// known refuses values of what is no input, and those that an input cannot have.
func known(b *bench.Bench, values map[string]bench.Value) error {
	for _, name := range slices.Sorted(maps.Keys(values)) {
		in, isInput := b.Input(name)
		if !isInput {
			return unknownInput(b, name)
		}
		number, err := in.NumberOf(values[name])
		if err != nil {
			return err
		}
		if len(b.Cases) > 0 && len(b.GivenByCases(name)) == len(b.Cases) && number != in.NominalNumber() {
			return fmt.Errorf("%s has a value of its own in every case, and another one would change nothing: change it there", name)
		}
	}
	return nil
}

func unknownInput(b *bench.Bench, name string) error {
	return fmt.Errorf("%s is no input of this bench%s", name, formula.Suggest(name, b.InputNames()))
}

func studyNames(b *bench.Bench) string {
	if len(b.Studies) == 0 {
		return "none: add one under `studies:`"
	}
	names := make([]string, len(b.Studies))
	for i, s := range b.Studies {
		names[i] = s.Name
	}
	return strings.Join(names, ", ")
}

// MovesOf lists the inputs that a study varies; of a sweep, those that move within a cell.
func MovesOf(b *bench.Bench, s bench.Study) []string {
	if k, known := kindOf(s.Kind); known && k.inner != nil {
		if inner, err := k.inner(b, s); err == nil {
			s = inner
		}
	}
	names := []string{}
	for _, in := range b.VariedBy(s) {
		names = append(names, in.Name)
	}
	return names
}

// freed lets inputs move that the study or the bench holds, within their own range or a given one, which is a guess at
// both ends. The bench itself stays as it is.
func (a *Asked) freed(b *bench.Bench, hold map[string]bench.Value) (*bench.Bench, error) {
	if len(a.Question.Free) == 0 {
		return b, nil
	}
	freed := *b
	freed.Inputs = slices.Clone(b.Inputs)
	for _, name := range slices.Sorted(maps.Keys(a.Question.Free)) {
		i := slices.IndexFunc(freed.Inputs, func(in bench.Input) bool { return in.Name == name })
		if i < 0 {
			return nil, unknownInput(b, name)
		}
		if in := b.GivenByCases(name); len(in) > 0 {
			return nil, fmt.Errorf("%s has a value of its own in %s, and cannot move: take it out of the cases", name, strings.Join(in, " and "))
		}
		if err := freeInput(&freed.Inputs[i], a.Question.Free[name]); err != nil {
			return nil, err
		}
		delete(hold, name)
		if a.Study.Vary != nil && !slices.Contains(a.Study.Vary, name) {
			a.Study.Vary = append(slices.Clone(a.Study.Vary), name)
		}
	}
	return &freed, nil
}

func freeInput(in *bench.Input, r *bench.Range) error {
	switch {
	case r == nil && !in.Varied():
		return fmt.Errorf("%s has no range to move in: give one for this run, as in %s=%s:%s", in.Name, in.Name, plain.Show(0.8*in.Nominal.Number), plain.Show(1.2*in.Nominal.Number))
	case r != nil && in.Choices != nil:
		return fmt.Errorf("%s is one of a list, and has no range: free it by its name alone", in.Name)
	case r != nil && (!(r.Lower < r.Upper) || math.IsInf(r.Upper-r.Lower, 0)):
		return fmt.Errorf("%s cannot move from %g to %g: the lower end comes first", in.Name, r.Lower, r.Upper)
	case r != nil && in.Log && r.Lower <= 0:
		return fmt.Errorf("%s has a logarithmic scale and cannot move from %g: begin above 0", in.Name, r.Lower)
	case r != nil:
		in.Range = &bench.Range{Lower: r.Lower, Upper: r.Upper, LowerGuess: true, UpperGuess: true}
		if mistake := in.StepMistake(in.Step); in.Step > 0 && mistake != "" {
			return fmt.Errorf("%s moves in steps of %g: %s", in.Name, in.Step, mistake)
		}
	}
	return nil
}
