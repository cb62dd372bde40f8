package optimize

import (
	"context"
	"math"

	"ropebench/core"
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
