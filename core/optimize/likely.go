package optimize

import (
	"context"
	"errors"
	"math"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/surrogate"
)

// Likely is the best design of a noisy solver by all that was seen: the best single value may be luck.
type Likely struct {
	Design core.Design
	Number int       // of the evaluation
	Values []float64 // that are believed, in the places of those of the outcome
	// Lower and Upper are two deviations below and above the objective, since the best of many was chosen; NaN where there is none.
	Lower, Upper float64
}

// smooth takes what is believed of each design of a noisy solver for its outcome.
func (b *believer) smooth(ctx context.Context) {
	if !b.unsteady || len(b.beliefs) < len(b.columns) {
		return
	}
	for i := range b.known {
		t := &b.known[i]
		if !t.rank.Usable() {
			continue
		}
		t.raw = t.given()
		outcomes, _ := predicted{b, b.width}.Evaluate(ctx, []core.Design{t.design})
		believed := outcomes[0]
		if believed.Values == nil {
			continue
		}
		t.outcome.Values = believed.Values[:b.width]
		t.rank = b.Rank(t.outcome)
	}
}

// likely is the best of a noisy solver by what is believed in the end; nil where nothing is.
func (b *believer) likely(ctx context.Context) *Likely {
	if !b.unsteady || len(b.problem.Objectives) > 1 || b.best() == nil || b.believe(ctx) != nil {
		return nil
	}
	best := b.best()
	l := &Likely{Design: best.design, Number: best.outcome.Number, Values: best.outcome.Values, Lower: math.NaN(), Upper: math.NaN()}
	if len(b.problem.Objectives) == 1 {
		if belief := b.of(b.problem.Objectives[0].Value); belief != nil {
			low, median, high := belief.Between(best.design)
			l.Lower, l.Upper = median-2*(median-low), median+2*(high-median)
		}
	}
	return l
}

// LikelyOf is the best of evaluated designs of a noisy solver by a surface over all of them; nil where none predicts, or no design keeps every constraint.
func LikelyOf(ctx context.Context, p Problem, all []Evaluated, seed uint64) (*Likely, error) {
	if len(p.Objectives) != 1 {
		return nil, nil
	}
	o := p.Objectives[0]
	order := budget.NewOrder(p.Goal)
	var designs []core.Design
	var y []float64
	var kept []Evaluated
	for _, e := range all {
		if e.Outcome.State != core.OK {
			continue
		}
		designs, y = append(designs, e.Design), append(y, e.Outcome.Values[o.Value])
		if order.Rank(e.Outcome).Kept() {
			kept = append(kept, e)
		}
	}
	if len(kept) == 0 || len(y) < surrogate.Least(len(p.Space)) {
		return nil, nil
	}
	surface, err := surrogate.Fit(ctx, surrogate.Encode(p.Space), designs, y, surrogate.Options{Seed: seed})
	if errors.Is(err, surrogate.ErrConstant) || err == nil && surface.Q2 < surrogate.Unpredictable {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var best *Likely
	least := math.Inf(1)
	for _, e := range kept {
		mean, deviation := surface.Predict(e.Design)
		signed := mean
		if o.Maximize {
			signed = -mean
		}
		if signed < least {
			least = signed
			best = &Likely{Design: e.Design, Number: e.Outcome.Number, Values: e.Outcome.Values, Lower: mean - 2*deviation, Upper: mean + 2*deviation}
		}
	}
	return best, nil
}
