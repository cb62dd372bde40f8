package optimize

import (
	"context"
	"slices"

	"ropebench/core"
)

// leastLast is the half width of the first region of a last search by models at least, in the unit cube.
const leastLast = 3e-3

// lastShare is how many evaluations a last search has.
func (b *believer) lastShare() int { return int((1 - exploring) * float64(b.total)) }

// pointsForModels are asked about the best design before a model of each value is of use, for each input that moves, and as many steps.
const pointsForModels = 4

// mayModel is true where the last part of the budget pays for models, which ask one design after the other: with several slots beliefs, which
// need not wait, go on.
func (b *believer) mayModel() bool {
	return b.mayDescend() && b.coarse == nil && b.stream == nil && b.lastShare() >= pointsForModels*len(b.axes)
}

// mayDescend is true where a local search from the best design may end the search by beliefs.
func (b *believer) mayDescend() bool {
	best := b.best()
	return best != nil && best.rank.Kept() && len(b.problem.Objectives) < 2 && !b.unsteady && len(b.axes) > 0
}

// modelsAtLast betters the best design by quadratic models, on the last part of the budget: beliefs of the whole space are less exact next
// to it. What is known there already is not asked again.
func (b *believer) modelsAtLast(ctx context.Context, end error) error {
	best := *b.best()
	b.watch("betters the best design by models of its neighbourhood")
	b.tolerance = max(b.tolerance, Quick.tolerance())
	m := b.modelled(b.rand, min(modelRadius, max(leastLast, b.trust)))
	for _, t := range b.known {
		if t.outcome.State == core.OK && !slices.Equal(t.point, best.point) {
			m.seen = append(m.seen, b.placed(t))
		}
	}
	most := b.Used() + b.lastShare()
	found, err := m.run(ctx, b.placed(best), func(place) bool { return b.Used() >= most })
	switch {
	case err != nil:
		return err
	case end != nil:
		return end
	}
	return found.reason()
}
