package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/space"
)

const surelyWorks = 0.5 // probability that the solver works at the design that is believed best

// believedProblem is the problem with limits that are aimed at from inside, in a box of a half width about a point; 1 is the whole space.
func (b *believer) believedProblem(about []float64, half float64, width int) Problem {
	p := Problem{Space: slices.Clone(b.problem.Space), Goal: b.problem.Goal, Ahead: b.ahead}
	p.Constraints = slices.Clone(p.Constraints)
	for i := range p.Constraints {
		p.Constraints[i].Limit.Reserve += b.inside[i]
	}
	if b.works != nil {
		p.Constraints = append(p.Constraints, core.Constraint{Value: width, Limit: core.Limit{Lower: b.demanded(surelyWorks), Upper: math.Inf(1)}})
	}
	if half >= 1 {
		return p
	}
	for _, j := range b.axes {
		in := &p.Space[j]
		low, high := in.Value(max(0, about[j]-half)), in.Value(min(1, about[j]+half))
		in.Lower, in.Upper = low, high
	}
	return p
}

// goForBest is the best point of the whole space by what is believed; nil where it is not worth to be asked.
func (b *believer) goForBest(ctx context.Context, best trial) ([]float64, string, error) {
	point, err := b.believedBest(ctx, best, 1)
	return point, "goes for the best that is believed", err
}

// goNearBest is that of the neighbourhood of the best design.
func (b *believer) goNearBest(ctx context.Context, best trial) ([]float64, string, error) {
	if len(b.axes) == 0 {
		return nil, "", nil
	}
	point, err := b.believedBest(ctx, best, b.trust)
	return point, "improves the best design", err
}

// searchBeliefs searches what is believed in a box about the best design, on so many times the budget of such a search.
func (b *believer) searchBeliefs(ctx context.Context, best trial, half float64, times int, effort Effort) (Result, error) {
	width := len(best.outcome.Values)
	p := b.believedProblem(best.point, half, width)
	o := Options{Seed: b.rand.Uint64(), Budget: times * (innerBudget + 40*len(b.space)), Start: within(p.Space, best.design), Effort: effort}
	return Auto(ctx, p, predicted{b, width}, o, nil)
}

func (b *believer) believedBest(ctx context.Context, best trial, half float64) ([]float64, error) {
	effort := Normal
	if half < 1 {
		effort = Quick
	}
	found, err := b.searchBeliefs(ctx, best, half, 1, effort)
	if err != nil || found.Best.Design == nil || found.Best.Outcome.Values == nil {
		return nil, err
	}
	point := b.space.Point(found.Best.Design)
	if !b.isNew(point) || !b.promises(found.Best.Outcome.Values, best) {
		return nil, nil
	}
	b.expected = wished{point: point, half: half, best: best, values: found.Best.Outcome.Values}
	return point, nil
}

// elsewhere is the most promising of the other places where searches on what is believed end; nil where there is none.
func (b *believer) elsewhere(ctx context.Context, best trial) ([]float64, error) {
	found, err := b.searchBeliefs(ctx, best, 1, 2, Thorough)
	if err != nil {
		return nil, err
	}
	b.doubt = 2
	chosen := scored{score: math.Inf(-1)}
	for _, other := range found.Others {
		point := b.space.Point(other.Design)
		if distance(point, best.point) < besides || !b.isNew(point) {
			continue
		}
		if s := b.scored(point, best); s.score > chosen.score {
			chosen = s
		}
	}
	return chosen.point, nil
}

// within moves a design into a space.
func within(s space.Space, design core.Design) core.Design {
	moved := slices.Clone(design)
	for j, in := range s {
		if in.Levels() == 0 {
			moved[j] = min(max(moved[j], in.Lower), in.Upper)
		}
	}
	return moved
}

// promises is true where values are believed to be so much better than the best that they are worth to be asked for.
func (b *believer) promises(values []float64, best trial) bool {
	rank := b.Rank(core.Outcome{Values: values})
	if !best.rank.Kept() {
		return rank.Better(best.rank)
	}
	worth := b.worth
	if b.ofTargets() {
		worth *= worth // of squares
	}
	gain := best.rank.Objective() - rank.Objective()
	return rank.Missed() <= aimShare && gain > worth*b.spread()
}

// spread is how far the better half of what is known stands from the best of it.
func (b *believer) spread() float64 {
	var all []float64
	for _, t := range b.known {
		if t.rank.Usable() {
			all = append(all, t.rank.Objective())
		}
	}
	slices.Sort(all)
	return math.Abs(all[len(all)/2] - b.best().rank.Objective())
}

// A wished point with what it was hoped for.
type wished struct {
	point     []float64
	half      float64   // of the box in which it is the best; 0: it was not chosen so
	best      trial     // before
	elsewhere bool      // it was to better another place than that of the best design
	values    []float64 // that are predicted
}

// learnFrom keeps a trial, and sets how far beliefs are trusted, and from how far inside limits are aimed at, by what came of the wish for it.
func (b *believer) learnFrom(t trial, w wished) {
	if !t.outcome.Repeated && t.outcome.State != core.NotTried {
		b.known = append(slices.DeleteFunc(b.known, func(k trial) bool { return slices.Equal(k.design, t.design) }), t) // it may have been known before
	}
	if t.rank.Usable() {
		if b.width = len(t.outcome.Values); len(b.beliefs) > 0 {
			if b.coarse.inUse() {
				b.compareCoarsely(t)
			}
			b.compare(t)
		}
	}
	if w.point == nil || !slices.Equal(w.point, t.point) {
		return
	}
	switch {
	case w.elsewhere && !t.rank.Usable():
		b.leftAt[key(w.best.design)] = vainAtAPlace
	case w.elsewhere && !t.rank.Better(w.best.rank):
		b.leftAt[key(w.best.design)]++
	case !w.elsewhere && t.rank.Gain(w.best.rank) > muchWorth:
		b.vain = 0
	}
	if w.half < 1 {
		if b.trust = max(leastTrust, b.trust/2); t.rank.Better(w.best.rank) {
			b.trust = min(1, 4*b.trust)
		}
	}
	if !t.rank.Usable() {
		return
	}
	for i, c := range b.problem.Constraints {
		missed := c.Limit.Violation(t.outcome.Values[c.Value])
		switch {
		case c.Equal || c.Price > 0:
		case missed > 0:
			b.inside[i] += missed
		default:
			b.inside[i] /= 2
		}
	}
}
