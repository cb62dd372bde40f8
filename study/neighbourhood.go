package study

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/result"
)

// neighbours are designs that differ from one in one varied input: by its tolerance, or its step, or a hundredth of its range, to each side as far as
// its range goes.
func (s *session) neighbours(base core.Design) (designs []core.Design, found []result.Neighbour) {
	for k := range s.Model.Inputs {
		in := s.Model.Input(k)
		if !in.Varied() || in.Words() {
			continue
		}
		for _, value := range besides(in, base[k]) {
			design := slices.Clone(base)
			design[k] = value
			designs = append(designs, design)
			found = append(found, result.Neighbour{Input: in.Name, Value: in.ValueOf(value), By: in.ValueOf(value).Number - in.ValueOf(base[k]).Number})
		}
	}
	return designs, found
}

// besides are the values on both sides of one, as a design has them: of a list its places.
func besides(in bench.Input, at float64) []float64 {
	if in.Choices != nil {
		var all []float64
		i := slices.Index(in.Choices.Numbers, at)
		if i > 0 {
			all = append(all, in.Choices.Numbers[i-1])
		}
		if i >= 0 && i+1 < len(in.Choices.Numbers) {
			all = append(all, in.Choices.Numbers[i+1])
		}
		return all
	}
	step := cmp.Or(in.Tolerance, in.Step, turnShare*(in.Range.Upper-in.Range.Lower))
	var all []float64
	for _, value := range []float64{at - step, at + step} {
		if in.Tolerance > 0 || value >= in.Range.Lower && value <= in.Range.Upper {
			all = append(all, value)
		}
	}
	return all
}

// lookAround evaluates the neighbours of a candidate whose values are known.
func (s *session) lookAround(ctx context.Context, base core.Design, here []float64) error {
	designs, found := s.neighbours(base)
	s.note("looks at its neighbours")
	outcomes, err := s.evaluator.Evaluate(ctx, designs)
	if err != nil {
		return err
	}
	n := result.Neighbourhood{Losses: []result.Loss{}, Neighbours: found}
	margins := s.Model.Judge(here)
	possible := map[string][]result.Loss{}
	failed := 0
	for i, o := range outcomes {
		n.Neighbours[i].Evaluation = o.Number
		if o.State != core.OK {
			failed++
			continue
		}
		n.Neighbours[i].Margins = map[string]float64{}
		for id, j := range s.Model.Judge(o.Values) {
			if j.Margin == nil {
				continue
			}
			n.Neighbours[i].Margins[id] = *j.Margin
			before := margins[id].Margin
			if before == nil || *before < 0 || *j.Margin >= *before {
				continue
			}
			if l, inside := s.loss(id, n.Neighbours[i], *before, *j.Margin, base); inside {
				possible[id] = append(possible[id], l)
			}
		}
	}
	if n.Losses, err = s.shown(ctx, base, possible); err != nil {
		return err
	}
	n.Says = "no requirement that is met is lost at a neighbour, nor where its margins lead within the ranges"
	if len(n.Losses) > 0 {
		n.Says = n.Losses[0].Says + ": that is the first that was found"
	}
	if failed > 0 {
		n.Says += fmt.Sprintf("; the solver fails at %s", plain.Count(failed, "neighbour"))
	}
	s.enter(func(p *result.Parts) { p.Neighbourhood = &n })
	return nil
}

const (
	checksOfALoss = 2    // evaluations for each requirement, at the changes by which it should be missed
	alittleMore   = 1.02 // of such a change, so that rounding does not decide
)

// shown are the losses that an evaluation shows, of each requirement the nearest; those that decide first, and the nearest of all first. What neighbours lead to is checked
// where it should be: margins bend.
func (s *session) shown(ctx context.Context, base core.Design, possible map[string][]result.Loss) ([]result.Loss, error) {
	shown := []result.Loss{}
	for _, id := range slices.Sorted(maps.Keys(possible)) {
		all := possible[id]
		slices.SortFunc(all, func(a, b result.Loss) int {
			return cmp.Or(cmp.Compare(a.Share, b.Share), cmp.Compare(a.Input, b.Input))
		})
		checks := 0
		for _, l := range all {
			if !l.Seen && checks == checksOfALoss {
				continue
			}
			if !l.Seen {
				checks++
				lost, err := s.isLost(ctx, base, l)
				if err != nil {
					return nil, err
				}
				if !lost {
					continue
				}
			}
			shown = append(shown, l)
			break
		}
	}
	slices.SortStableFunc(shown, func(a, b result.Loss) int {
		wish := func(l result.Loss) int {
			if q, _ := s.bench.Requirement(l.Requirement); q.Decisive() {
				return 0
			}
			return 1
		}
		return cmp.Or(cmp.Compare(wish(a), wish(b)), cmp.Compare(a.Share, b.Share), cmp.Compare(a.Requirement, b.Requirement))
	})
	return shown, nil
}

// isLost evaluates a design at the change by which a requirement should be missed, and a little more.
func (s *session) isLost(ctx context.Context, base core.Design, l result.Loss) (bool, error) {
	k := slices.Index(s.Model.Inputs, l.Input)
	in := s.Model.Input(k)
	design := slices.Clone(base)
	value := in.ValueOf(base[k]).Number + l.By
	var at float64
	switch {
	case in.Choices != nil: // the next of the list on that side
		numbers := in.Choices.Numbers
		i, _ := slices.BinarySearch(numbers, value)
		if l.By < 0 && (i == len(numbers) || numbers[i] > value) {
			i--
		}
		if i < 0 || i >= len(numbers) {
			return false, nil
		}
		at = numbers[i]
	case in.Step > 0:
		at = value
	default:
		at = base[k] + alittleMore*l.By
		if in.Tolerance == 0 || math.Abs(l.By) > in.Tolerance {
			at = min(max(at, in.Range.Lower), in.Range.Upper)
		}
	}
	design[k] = at
	outcomes, err := s.evaluator.Evaluate(ctx, []core.Design{design})
	if err != nil || len(outcomes) == 0 || outcomes[0].State != core.OK {
		return false, err
	}
	j := s.Model.Judge(outcomes[0].Values)[l.Requirement]
	return j.Margin != nil && *j.Margin < 0, nil
}

const sameStep = 1e-9 // by which a change may exceed whole steps

// loss tells where a margin that shrinks from the design to a neighbour would be gone.
// Inside is false where that lies beyond the range of the input.
func (s *session) loss(id string, n result.Neighbour, before, there float64, base core.Design) (l result.Loss, inside bool) {
	in, _ := s.Model.Bench.Input(n.Input)
	l = result.Loss{Requirement: id, Input: n.Input, By: n.By * before / (before - there), Seen: there < 0}
	if in.Step > 0 { // there is nothing between two steps
		l.By = math.Copysign(math.Ceil(math.Abs(l.By)/in.Step-sameStep)*in.Step, l.By)
	}
	lower, upper := math.Inf(-1), math.Inf(1)
	switch {
	case in.Range != nil:
		lower, upper = in.Range.Lower, in.Range.Upper
	case len(in.Choices.Numbers) > 0:
		lower, upper = slices.Min(in.Choices.Numbers), slices.Max(in.Choices.Numbers)
	}
	width := upper - lower
	at := in.ValueOf(base[slices.Index(s.Model.Inputs, n.Input)]).Number + l.By
	inside = l.Seen || at >= lower-sameStep*width && at <= upper+sameStep*width
	l.Share = math.Abs(l.By) / math.Max(width, math.SmallestNonzeroFloat64)
	wish := ""
	if q, _ := s.Model.Bench.Requirement(id); q.Wish {
		wish = ", a wish,"
	}
	l.Says = fmt.Sprintf("%s%s would be lost by %s %s, %s of its range", id, wish, n.Input, signedWith(l.By, in.Unit), plain.Percent(l.Share))
	return l, inside
}
