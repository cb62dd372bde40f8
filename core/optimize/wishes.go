package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/space"
)

// predicted is what is believed, as an evaluator: medians, and behind the values the probability that the solver works.
type predicted struct {
	*believer
	width int // of an outcome
}

func (p predicted) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, design := range designs {
		values := p.decided(design)
		for _, column := range p.columns {
			values[column] = p.beliefs[column].Mean(design)
		}
		p.letFollow(design, values)
		outcomes[i] = outcomeOf(values)
	}
	return outcomes, nil
}

// decided has what inputs alone decide, and the probability that the solver works; all else is 0.
func (p predicted) decided(design core.Design) []float64 {
	values := make([]float64, p.width+1)
	if p.ahead != nil {
		given, _ := p.ahead.Look(design, false)
		for column, is := range p.ahead.Decided() {
			if is {
				values[column] = given[column]
			}
		}
	}
	values[p.width] = p.working(design)
	return values
}

// outcomeOf fails where a value is not finite.
func outcomeOf(values []float64) core.Outcome {
	if slices.ContainsFunc(values, func(v float64) bool { return math.IsNaN(v) || math.IsInf(v, 0) }) {
		return core.Outcome{State: core.Failed}
	}
	return core.Outcome{Values: values}
}

func (p predicted) Differentiate(_ context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, all := make([]core.Outcome, len(designs)), make([]core.Derivatives, len(designs))
	for i, design := range designs {
		values, rows := p.decided(design), core.NewMatrix(p.width+1, len(design))
		for _, column := range p.columns {
			values[column] = p.beliefs[column].Slopes(design, rows.Row(column))
		}
		p.slopesOfFollowing(design, values, rows)
		p.letFollow(design, values)
		p.slopesOfWorking(design, rows.Row(p.width))
		outcomes[i], all[i] = outcomeOf(values), &rows
	}
	return outcomes, all, nil
}

// letFollow puts what follows from the values of the solver in the place of what is believed by itself.
func (p predicted) letFollow(design core.Design, values []float64) {
	for _, column := range p.asked {
		if p.follows(column) {
			values[column] = p.followed(design, values)[column]
		}
	}
}

// followed has what follows from values, and what is believed by itself where a formula has no value.
func (p predicted) followed(design core.Design, values []float64) []float64 {
	all := slices.Clone(values[:p.width])
	p.problem.Behind.Follow(design, all)
	for _, column := range p.asked {
		if math.IsNaN(all[column]) || math.IsInf(all[column], 0) {
			all[column] = values[column]
		}
	}
	return all
}

// slopesOfFollowing are differences of formulas along the slopes of what they follow from.
func (p predicted) slopesOfFollowing(design core.Design, values []float64, rows core.Matrix) {
	if !slices.ContainsFunc(p.asked, p.follows) {
		return
	}
	beside, point := slices.Clone(design), p.space.Point(design)
	for _, j := range p.axes {
		var ends [2][]float64
		low, high := p.space[j].Value(max(0, point[j]-followingStep)), p.space[j].Value(min(1, point[j]+followingStep))
		for e, at := range []float64{low, high} {
			beside[j] = at
			moved := slices.Clone(values)
			for _, column := range p.columns {
				moved[column] += rows.Row(column)[j] * (at - design[j])
			}
			ends[e] = p.followed(beside, moved)
		}
		beside[j] = design[j]
		for _, column := range p.asked {
			if p.follows(column) {
				rows.Row(column)[j] = (ends[1][column] - ends[0][column]) / (high - low)
			}
		}
	}
}

const followingStep = 1e-5 // of a range, of the differences of formulas

const workingStep = 1e-4 // of a range, of the differences of the probability that the solver works

func (p predicted) slopesOfWorking(design core.Design, into []float64) {
	if p.works == nil {
		return
	}
	beside := slices.Clone(design)
	point := p.space.Point(design)
	for _, j := range p.axes {
		low, high := p.space[j].Value(max(0, point[j]-workingStep)), p.space[j].Value(min(1, point[j]+workingStep))
		beside[j] = high
		above := p.working(beside)
		beside[j] = low
		into[j] = (above - p.working(beside)) / (high - low)
		beside[j] = design[j]
	}
}

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

const (
	mostPlaces   = 4 // other than the best, at which a better design is looked for
	vainAtAPlace = 2 // times, after which it is left alone
)

// betterElsewhere is a promising point at another place: the best of what is known about it, which is to be bettered although it is not
// believed to become better than the best of all. So a place is known by its floor before it is left. Nil where there is none.
func (b *believer) betterElsewhere(ctx context.Context, best trial) ([]float64, error) {
	places := b.otherPlaces(ctx, best)
	for _, t := range places[:min(mostPlaces, len(places))] {
		found, err := b.searchBeliefs(ctx, t, besideBest, 1, Quick)
		if err != nil {
			return nil, err
		}
		if found.Best.Outcome.Values == nil || !b.promises(found.Best.Outcome.Values, t) {
			b.leftAt[key(t.design)]++
			continue
		}
		point, rank := b.space.Point(found.Best.Design), b.Rank(core.Outcome{Values: found.Best.Outcome.Values})
		if !b.hill(ctx, trial{point: point, rank: rank}, best) {
			b.leftAt[key(t.design)] = vainAtAPlace
			continue
		}
		if b.isNew(point) {
			b.expected = wished{point: point, half: 1, best: t, elsewhere: true}
			return point, nil
		}
	}
	return nil, nil
}

const (
	hillSteps = 6 // between two places, at which it is looked for a hill
)

// hill is true where the way from a place to a better one is believed to lead over worse designs: they are two places then (R. K. Ursem,
// Proceedings of the Congress on Evolutionary Computation 3 (1999)).
func (b *believer) hill(ctx context.Context, from, to trial) bool {
	var designs []core.Design
	for k := 1; k < hillSteps; k++ {
		between := slices.Clone(from.point)
		for _, j := range b.axes {
			between[j] += (to.point[j] - from.point[j]) * float64(k) / hillSteps
		}
		designs = append(designs, b.design(between))
	}
	outcomes, _ := predicted{b, len(b.best().outcome.Values)}.Evaluate(ctx, designs)
	return slices.ContainsFunc(outcomes, func(o core.Outcome) bool { return from.rank.Better(b.Rank(o)) })
}

// otherPlaces has the best designs about which no better one is known, without the best of all and those that were left alone; the best first.
func (b *believer) otherPlaces(ctx context.Context, best trial) []trial {
	if len(b.axes) == 0 {
		return nil
	}
	sorted := slices.SortedStableFunc(slices.Values(b.known), byRank)
	var places, all []trial
	for _, t := range sorted {
		if !t.rank.Usable() || slices.ContainsFunc(all, func(p trial) bool { return distance(p.point, t.point) < besideBest }) {
			continue
		}
		if all = append(all, t); b.leftAt[key(t.design)] < vainAtAPlace && b.hill(ctx, t, best) {
			places = append(places, t)
		}
	}
	return places
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
