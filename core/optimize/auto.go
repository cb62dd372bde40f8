package optimize

import (
	"context"
	"errors"

	"ropebench/core"
	"ropebench/core/budget"
)

// manyBasins is how many searches of a multi-start end it where it finds ever new places.
const manyBasins = 30

// Auto chooses and combines. Continuous inputs are searched by SQP from the start and then from others; where these end at ever
// new places, by differential evolution, whose best members are polished by SQP. With steps and lists it is differential
// evolution from the beginning.
func Auto(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, populationPatience)
	l := s.landscape(p, o)
	if len(l.axes) < len(p.Space) {
		return DifferentialEvolution(ctx, p, e, o, watch)
	}
	k := l.looker(o)
	err := k.search(ctx, o.Effort.unseen(), manyBasins)
	var ended budget.Ended
	if err != nil && (!errors.As(err, &ended) || ended.Cause == budget.UsedUp || ended.Cause == budget.Converged) {
		return s.result(err)
	}
	return s.result(k.evolve(ctx))
}

// evolve is differential evolution, begun with the places that were found.
func (k *looker) evolve(ctx context.Context) error {
	k.watch("searches end at ever new places: a population looks at the whole space")
	start := k.found[0].point
	for {
		if err := evolve(ctx, k.landscape.search, k.rand, start); err != nil {
			return err
		}
		if err := k.from(ctx, k.space.Point(k.Best().Design)); err != nil {
			return err
		}
		if err := k.restarts(); err != nil {
			return err
		}
		start = nil
	}
}
