package study

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"ropebench/bench"
)

// free lets inputs move for one run that the study or the bench holds, within their own range or a given one, which is a
// guess at both ends. The bench itself stays as it is.
func free(b *bench.Bench, s *bench.Study, hold map[string]bench.Value, ranges map[string]*bench.Range) (*bench.Bench, error) {
	freed := *b
	freed.Inputs = slices.Clone(b.Inputs)
	for _, name := range slices.Sorted(maps.Keys(ranges)) {
		i := slices.IndexFunc(freed.Inputs, func(in bench.Input) bool { return in.Name == name })
		if i < 0 {
			return nil, unknownInput(b, name)
		}
		in := &freed.Inputs[i]
		r := ranges[name]
		switch {
		case r == nil && !in.Varied():
			return nil, fmt.Errorf("%s has no range to move in: give one for this run, as in %s=%s:%s", name, name, bench.Show(0.8*in.Nominal.Number), bench.Show(1.2*in.Nominal.Number))
		case r != nil && in.Choices != nil:
			return nil, fmt.Errorf("%s is one of a list, and has no range: free it by its name alone", name)
		case r != nil && (!(r.Lower < r.Upper) || math.IsInf(r.Upper-r.Lower, 0)):
			return nil, fmt.Errorf("%s cannot move from %g to %g: the lower end comes first", name, r.Lower, r.Upper)
		case r != nil:
			in.Range, in.Step, in.Log = &bench.Range{Lower: r.Lower, Upper: r.Upper, LowerGuess: true, UpperGuess: true}, 0, false
		}
		delete(hold, name)
		if s.Vary != nil && !slices.Contains(s.Vary, name) {
			s.Vary = append(slices.Clone(s.Vary), name)
		}
	}
	return &freed, nil
}
