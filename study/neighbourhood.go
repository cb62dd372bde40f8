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
	nearest := map[string]result.Loss{}
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
			l := s.loss(id, n.Neighbours[i], *before, *j.Margin)
			if known, is := nearest[id]; !is || l.Share < known.Share {
				nearest[id] = l
			}
		}
	}
	for _, l := range nearest {
		n.Losses = append(n.Losses, l)
	}
	slices.SortFunc(n.Losses, func(a, b result.Loss) int {
		return cmp.Or(cmp.Compare(a.Share, b.Share), cmp.Compare(a.Requirement, b.Requirement))
	})
	n.Says = "no margin shrinks at any neighbour"
	if len(n.Losses) > 0 {
		n.Says = n.Losses[0].Says + ": that is the first"
	}
	if failed > 0 {
		n.Says += fmt.Sprintf("; the solver fails at %s", plain.Count(failed, "neighbour"))
	}
	s.enter(func(p *result.Parts) { p.Neighbourhood = &n })
	return nil
}

const sameStep = 1e-9 // by which a change may exceed whole steps

// loss tells where a margin that shrinks from the design to a neighbour would be gone.
func (s *session) loss(id string, n result.Neighbour, before, there float64) result.Loss {
	in, _ := s.Model.Bench.Input(n.Input)
	l := result.Loss{Requirement: id, Input: n.Input, By: n.By * before / (before - there), Seen: there < 0}
	if in.Step > 0 { // there is nothing between two steps
		l.By = math.Copysign(math.Ceil(math.Abs(l.By)/in.Step-sameStep)*in.Step, l.By)
	}
	width := 0.0
	switch {
	case in.Range != nil:
		width = in.Range.Upper - in.Range.Lower
	case len(in.Choices.Numbers) > 1:
		width = slices.Max(in.Choices.Numbers) - slices.Min(in.Choices.Numbers)
	}
	l.Share = math.Abs(l.By) / math.Max(width, math.SmallestNonzeroFloat64)
	l.Says = fmt.Sprintf("%s would be lost by %s %s, %s of its range", id, n.Input, signedWith(l.By, in.Unit), plain.Percent(l.Share))
	return l
}
