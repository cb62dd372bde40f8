package optimize

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
)

// believe makes beliefs of all that is known.
func (b *believer) believe(ctx context.Context) error {
	var designs []core.Design
	var rows [][]float64
	known := b.telling()
	works := make([]float64, len(known))
	var all []core.Design
	for i, t := range known {
		all = append(all, t.design)
		if t.rank.Usable() {
			works[i] = 1
			designs, rows = append(designs, t.design), append(rows, t.given())
		}
	}
	if len(designs) < len(all) {
		fitted, err := surrogate.Believe(ctx, b.rand, b.encoding, all, works, 0.5, false, b.works)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err == nil {
			b.works = fitted
		}
	}
	if len(designs) < leastFitted {
		return nil
	}
	fitted := make([]*surrogate.Belief, len(b.columns))
	group, within := errgroup.WithContext(ctx)
	for k, column := range b.columns {
		r := plan.NewRand(b.rand.Uint64()) // each has its own, so that it does not matter which is done first
		y := make([]float64, len(rows))
		for i, row := range rows {
			y[i] = row[column]
		}
		group.Go(func() (err error) {
			fitted[k], err = b.fit(within, r, designs, y, column)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for k, column := range b.columns {
		b.beliefs[column] = fitted[k]
	}
	if b.coarse.inUse() {
		if err := b.believeCoarsely(ctx); err != nil {
			return err
		}
	}
	if err := b.believeShapes(ctx); err != nil {
		return err
	}
	b.smooth(ctx)
	b.suppose()
	return nil
}

// fit makes the belief of a column: one that goes through the values where it can be.
func (b *believer) fit(ctx context.Context, r *rand.Rand, designs []core.Design, y []float64, column int) (*surrogate.Belief, error) {
	fitted, err := surrogate.Believe(ctx, r, b.encoding, designs, y, b.limitOf(column), b.noisy(y), b.beliefs[column])
	if err != nil && ctx.Err() == nil {
		fitted, err = surrogate.Believe(ctx, r, b.encoding, designs, y, b.limitOf(column), true, nil)
	}
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, errNoBelief
	}
	return fitted, nil
}

// telling are the trials from which beliefs are made.
func (b *believer) telling() []trial {
	if len(b.known) <= mostBelieved {
		return b.known
	}
	latest := b.known[len(b.known)-mostBelieved/2:]
	others := slices.SortedStableFunc(slices.Values(b.known[:len(b.known)-len(latest)]), byRank)
	return slices.Concat(others[:mostBelieved-len(latest)], latest)
}

// limitOf is where a column is resolved best: at its limit; NaN where it has none.
func (b *believer) limitOf(column int) float64 {
	for _, c := range b.problem.Constraints {
		if c.Value != column {
			continue
		}
		switch {
		case math.IsInf(c.Limit.Lower, 0):
			return c.Limit.Upper
		case math.IsInf(c.Limit.Upper, 0):
			return c.Limit.Lower
		}
		return (c.Limit.Lower + c.Limit.Upper) / 2
	}
	return math.NaN()
}

// noisy is true where no surface need go through values: the solver is, or they have few digits.
func (b *believer) noisy(y []float64) bool {
	if b.unsteady {
		return true
	}
	var d digits
	for _, v := range y {
		d.see(0, v)
	}
	return d.known(0) && d[0].most <= fewDigits
}
