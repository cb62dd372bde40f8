package optimize

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/budget"
)

// A Check is a design that a stand-in was believed to be best at, with what the solver said of it.
type Check struct {
	Number    int             // of the evaluation
	Predicted map[int]float64 // by column: of the objective and of what constrains
	Computed  map[int]float64 // nil where the solver gave no values
	Agrees    bool
}

// agreed is how far a predicted value may be from the computed one, as a share of how far the values that are known are spread, to agree.
const agreed = 0.01

// StandIn searches a stand-in that is fitted to designs that are known before, asks the solver for the best by it, fits it again, and goes on
// until what was predicted and what the solver computes agree. The best design is always one that the solver has computed.
func StandIn(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	b := s.landscape(p, o).believer(p, o)
	err := b.prove(ctx)
	r, err := s.result(err)
	r.Knew, r.Checks = len(o.Earlier), b.checks
	return r, err
}

// prove asks for what is believed to be best until that is so.
func (b *believer) prove(ctx context.Context) error {
	if err := b.take(ctx, b.takeIn()); err != nil {
		return err
	}
	best := b.best()
	if best == nil || len(b.known) < leastFitted {
		return budget.Ended{Cause: budget.Stuck, Reason: fmt.Sprintf("%s of the solver are known, and a stand-in needs %d or more: sample first", countOf(len(b.known), "evaluation"), leastFitted)}
	}
	for {
		if err := b.believe(ctx); err != nil {
			return err
		}
		best = b.best()
		b.worth = littleWorth
		point, err := b.believedBest(ctx, *best, 1)
		for err == nil && point == nil && b.aimCloser() {
			point, err = b.believedBest(ctx, *best, 1)
		}
		if err != nil {
			return err
		}
		if point == nil {
			return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("the stand-in, fitted to %s, promises nothing better than the best that the solver has computed", countOf(len(b.telling()), "evaluation"))}
		}
		wish := b.expected
		b.watch(fmt.Sprintf("checks the best by the stand-in with the solver, after %d evaluations%s", b.Used(), b.hoped(point)))
		end := b.take(ctx, [][]float64{point})
		check := b.checked(wish)
		b.checks = append(b.checks, check)
		if end != nil {
			return end
		}
		if latest := b.known[len(b.known)-1]; check.Agrees && (!latest.rank.Better(best.rank) || latest.rank.Kept()) {
			return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("the stand-in and the solver agree, after %s", countOf(len(b.checks), "check"))}
		}
	}
}

// checked compares what was predicted of a design with what the solver has said of it last.
func (b *believer) checked(wish wished) Check {
	t := b.known[len(b.known)-1]
	check := Check{Number: t.outcome.Number, Predicted: map[int]float64{}}
	for _, column := range b.asked {
		check.Predicted[column] = wish.values[column]
	}
	if !t.rank.Usable() {
		return check
	}
	check.Computed, check.Agrees = map[int]float64{}, true
	for _, column := range b.asked {
		check.Computed[column] = t.outcome.Values[column]
		low, high := math.Inf(1), math.Inf(-1)
		for _, k := range b.known {
			if k.rank.Usable() {
				low, high = min(low, k.outcome.Values[column]), max(high, k.outcome.Values[column])
			}
		}
		if math.Abs(wish.values[column]-t.outcome.Values[column]) > agreed*(high-low) {
			check.Agrees = false
		}
	}
	return check
}
