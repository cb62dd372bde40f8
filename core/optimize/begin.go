package optimize

import (
	"cmp"
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

// begin takes in what is known, and asks for the best of that, for the start and for designs that fill the space.
func (b *believer) begin(ctx context.Context) error {
	points := b.takeIn()
	if b.startPoint != nil {
		points = append(points, b.repaired(b.startPoint))
	}
	if b.asks != nil {
		points = append(points, b.repaired(b.space.Point(b.asks)))
	}
	n := min(3*len(b.space)+4, max(3, b.total/3))
	filling, err := b.filling(ctx, n)
	if err != nil {
		return err
	}
	points = append(points, filling[:max(min(n, leastFilling), n-len(b.known))]...)
	if b.coarse == nil {
		return b.fill(ctx, points)
	}
	if err := b.beginCoarsely(ctx, points); err != nil {
		return err
	}
	few := min(len(points), len(b.space)+fewerWithCoarse)
	if b.coarse.inUse() {
		if err := b.askCoarsely(ctx, points[:few]); err != nil {
			return err
		}
	}
	if err := b.fill(ctx, points[1:few]); err != nil {
		return err
	}
	if why := b.coarse.misleads(b.correlations()); why != "" {
		b.coarse.drop(why)
	}
	if b.coarse.inUse() {
		return nil
	}
	return b.fill(ctx, points[few:])
}

// filling has points that fill the space, those that stand farthest from what is known first.
func (b *believer) filling(ctx context.Context, n int) ([][]float64, error) {
	filling, err := plan.All(ctx, plan.MaximinLatinHypercube, b.rand, n, b.space.Levels())
	if err != nil {
		return nil, err
	}
	for i := range filling {
		filling[i] = b.repaired(filling[i])
	}
	nearest := func(point []float64) float64 {
		least := math.Inf(1)
		for _, t := range b.known {
			least = min(least, distance(t.point, point))
		}
		return least
	}
	slices.SortStableFunc(filling, func(p, q []float64) int { return cmp.Compare(nearest(q), nearest(p)) })
	return filling, nil
}

// leastFilling are designs that fill the space, however much is known of it.
const leastFilling = 2

// takeIn enters what is known before, and gives the points of the best of it, or of its front: they are asked again, so that the search has them
// for its own.
func (b *believer) takeIn() [][]float64 {
	outcomes := make([]core.Outcome, len(b.earlier))
	for i, e := range b.earlier {
		outcomes[i] = e.Outcome
	}
	b.Learn(outcomes)
	for _, e := range b.earlier {
		if e.Curves != nil {
			b.sampled[key(e.Design)] = e.Curves
		}
		b.width = max(b.width, len(e.Outcome.Values))
		b.known = append(b.known, trial{point: b.space.Point(e.Design), design: e.Design, rank: b.Rank(e.Outcome), outcome: e.Outcome})
	}
	best := b.best()
	if best == nil {
		return nil
	}
	again := []trial{*best}
	if front := b.alongFront(); len(b.problem.Objectives) > 1 && len(front) > 0 {
		again = front[:min(len(front), max(1, b.total/askedAgain))]
	}
	var points [][]float64
	for _, t := range again {
		b.given = append(b.given, t)
		points = append(points, t.point)
	}
	return points
}

// askedAgain is of how many evaluations of a budget one is spent at most on what is known already: it costs no solver call.
const askedAgain = 4
