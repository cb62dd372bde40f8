package optimize

import (
	"context"
	"errors"
	"math"
	"slices"

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

// LikelyOf is the best of designs that a noisy solver has answered, by a surface over them: over the best ones where there are more than a surface is fitted to.
// It is nil where no surface predicts, or no design keeps every constraint.
func LikelyOf(ctx context.Context, p Problem, answers []budget.Answer, seed uint64) (*Likely, error) {
	if len(p.Objectives) != 1 {
		return nil, nil
	}
	usable := slices.DeleteFunc(slices.Clone(answers), func(a budget.Answer) bool { return a.Outcome.State != core.OK })
	slices.SortStableFunc(usable, func(a, b budget.Answer) int { return byRank(trial{rank: a.Rank}, trial{rank: b.Rank}) })
	usable = usable[:min(len(usable), surrogate.MostPoints)]
	if len(usable) < surrogate.Least(len(p.Space)) || !usable[0].Rank.Kept() {
		return nil, nil
	}
	o := p.Objectives[0]
	var designs []core.Design
	var y []float64
	for _, a := range usable {
		designs, y = append(designs, a.Design), append(y, a.Outcome.Values[o.Value])
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
	for _, a := range usable {
		mean, deviation := surface.Predict(a.Design)
		signed := mean
		if o.Maximize {
			signed = -mean
		}
		if a.Rank.Kept() && signed < least {
			least = signed
			best = &Likely{Design: a.Design, Number: a.Outcome.Number, Values: a.Outcome.Values, Lower: mean - 2*deviation, Upper: mean + 2*deviation}
		}
	}
	return best, nil
}
