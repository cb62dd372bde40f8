package study

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/result"
)

// A way leads from a design along one varied input to an end of its range, or out to its tolerance: in changes of a number, in steps, or from place to place
// of a list.
type way struct {
	at     int // of the input in a design
	in     bench.Input
	from   float64
	sign   float64
	first  float64 // to the neighbour
	length float64 // to the end
}

// ways are those from a design, both ways along each input that is no word.
func (s *session) ways(base core.Design) (all []way) {
	for k := range s.Model.Inputs {
		in := s.Model.Input(k)
		if !in.Varied() || in.Words() {
			continue
		}
		for _, sign := range []float64{-1, 1} {
			w := way{at: k, in: in, from: base[k], sign: sign, first: 1}
			switch i := slices.Index(placesOf(in), base[k]); {
			case in.Choices != nil && i < 0:
			case in.Choices != nil:
				w.length = map[bool]float64{true: float64(i), false: float64(len(in.Choices.Numbers) - 1 - i)}[sign < 0]
			default:
				step := cmp.Or(in.Tolerance, in.Step, turnShare*(in.Range.Upper-in.Range.Lower))
				room := map[bool]float64{true: base[k] - in.Range.Lower, false: in.Range.Upper - base[k]}[sign < 0]
				if w.length, w.first = room, step; w.stepped() {
					w.length, w.first = math.Floor(room/in.Step+sameStep), 1
				}
				if in.Tolerance > 0 {
					w.length = max(w.length, w.first)
				}
			}
			if w.length >= w.first {
				all = append(all, w)
			}
		}
	}
	return all
}

func placesOf(in bench.Input) []float64 {
	if in.Choices == nil {
		return nil
	}
	return in.Choices.Numbers
}

// stepped is true for a way on which there is nothing between two places but for a tolerance.
func (w way) stepped() bool { return w.in.Choices != nil || w.in.Step > 0 && w.in.Tolerance == 0 }

// value is that of the input so far along the way, as a design has it.
func (w way) value(t float64) float64 {
	switch {
	case w.in.Choices != nil:
		return w.in.Choices.Numbers[slices.Index(w.in.Choices.Numbers, w.from)+int(w.sign*t)]
	case w.stepped():
		return w.from + w.sign*t*w.in.Step
	}
	return w.from + w.sign*t
}

// by is the change of the input so far along the way, in its unit.
func (w way) by(t float64) float64 {
	return w.in.ValueOf(w.value(t)).Number - w.in.ValueOf(w.from).Number
}

// lookAround evaluates the neighbours of a candidate whose values are known, by its tolerance, or its step, or a hundredth of its range, to each side of every varied input, and tells
// by which changes within the ranges requirements would be missed.
func (s *session) lookAround(ctx context.Context, base core.Design, here []float64) error {
	s.note("looks at its neighbors")
	l := &lookout{session: s, base: base, here: marginsOf(s, here), ways: s.ways(base), known: map[spot]margins{}}
	var spots []spot
	for i, w := range l.ways {
		spots = append(spots, spot{i, w.first})
	}
	numbers, err := l.visit(ctx, spots)
	if err != nil {
		return err
	}
	n := result.Neighbourhood{Losses: []result.Loss{}, Neighbours: []result.Neighbour{}}
	failed := 0
	for i, w := range l.ways {
		one := result.Neighbour{Evaluation: numbers[i], Input: w.in.Name, Value: w.in.ValueOf(w.value(w.first)), By: w.by(w.first), Margins: l.known[spots[i]]}
		if n.Neighbours = append(n.Neighbours, one); one.Margins == nil {
			failed++
		}
	}
	if n.Losses, err = l.losses(ctx); err != nil {
		return err
	}
	n.Says = "no requirement that is met is missed at a neighbor, at an end of a range, or where its margins lead"
	if len(n.Losses) > 0 {
		n.Says = n.Losses[0].Says + ": that is the first that was found"
	}
	if failed > 0 {
		n.Says += fmt.Sprintf("; the solver fails at %s", plain.Count(failed, "neighbor"))
	}
	s.enter(func(p *result.Parts) { p.Neighbourhood = &n })
	return nil
}
