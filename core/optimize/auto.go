package optimize

import (
	"context"
	"errors"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
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
	if len(l.axes) == 0 {
		return s.result(l.looker(o).breed(ctx, s.startPoint))
	}
	if len(p.Space) == 1 && !l.Differentiates() {
		return s.result(l.alongLine(ctx))
	}
	k := l.looker(o)
	err := k.search(ctx, o.Effort.unseen(), manyBasins)
	var ended budget.Ended
	if err != nil && (!errors.As(err, &ended) || ended.Cause == budget.UsedUp || ended.Cause == budget.Converged) {
		return s.result(err)
	}
	return s.result(k.mix(ctx))
}

// breedShare is the share of what is left that a population has to settle in.
const breedShare = 0.6

// breed is differential evolution, whose best is then compared with its neighbours, again and again with what is left.
func (k *looker) breed(ctx context.Context, start []float64) error {
	for {
		horizon := k.Used() + max(1, int(breedShare*float64(k.total-k.Used())))
		if err := evolve(ctx, k.landscape, k.rand, start, horizon); err != nil {
			return err
		}
		start = nil
		if best := k.Best(); best.Design != nil {
			start = k.space.Point(best.Design)
			if err := k.from(ctx, start); err != nil {
				return err
			}
			start = k.found[0].point
		}
		if err := k.restarts(); err != nil {
			return err
		}
	}
}

const (
	mixing = 40 // searches in a row from between the places found, after which a population looks at the whole space
)

// mix searches from between the places that were found, and by distributions of samples over the whole space, in turn.
func (k *looker) mix(ctx context.Context) error {
	size := 4 + int(3*math.Log(float64(len(k.space))))
	for {
		for inVain := 0; inVain < mixing; inVain++ {
			before := k.Best().Rank
			if err := k.from(ctx, k.mixed()); err != nil {
				return err
			}
			if k.Best().Rank.Gain(before) > sameValue {
				inVain = 0
			}
		}
		size *= growPopulation
		k.watch(fmt.Sprintf("%d searches ended at %d places: %d samples look at the whole space", k.searches, len(k.found), size))
		d := newDistribution(k.landscape, k.rand, plan.Draw(k.rand, 1, len(k.space))[0], size)
		for !d.settled() {
			if err := d.generation(ctx); err != nil {
				return err
			}
		}
		if err := k.from(ctx, d.mean); err != nil {
			return err
		}
		if err := k.restarts(); err != nil {
			return err
		}
	}
}
