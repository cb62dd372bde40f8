package optimize

import (
	"cmp"
	"context"
	"math"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/core/pareto"
)

const (
	drawnForExpected = 60   // candidates for each input, over the whole space
	mostDrawn        = 400  // of them
	fewBettered      = 3    // of them are bettered
	tries            = 60   // steps of each
	mayWork          = 0.3  // probability that the solver works at least where something is expected
	firstReach       = 0.1  // of those steps, in the unit cube
	leastReach       = 1e-3 // of the last ones
	expectedShare    = 0.1  // of what is worth to be asked for: that is expected at least
)

// expect is the point of the largest expected improvement times the probability that all constraints are kept and the solver works; of the
// largest such probability alone while no feasible design is known. Nil where nothing is expected.
func (b *believer) expect(ctx context.Context, best trial) ([]float64, string, error) {
	least := math.Inf(-1)
	if best.rank.Kept() {
		if len(b.problem.Objectives) != 1 {
			return nil, "", nil
		}
		spread := b.spread() // where inputs alone decide the objective
		if belief := b.of(b.problem.Objectives[0].Value); belief != nil {
			spread = belief.Spread()
		}
		least = math.Log(expectedShare * b.worth * spread)
	}
	return b.expectAtLeast(ctx, best, 1, least)
}

// expectAtLeast is expect with deviations times a doubt. Nil where the logarithm of what is expected is less than some number.
func (b *believer) expectAtLeast(ctx context.Context, best trial, doubt, least float64) ([]float64, string, error) {
	b.doubt = doubt
	var points [][]float64
	n := min(mostDrawn, drawnForExpected*len(b.space))
	for range n {
		points = append(points, b.drawn())
	}
	for range n / 2 {
		points = append(points, b.kept(func() []float64 { return b.beside(best.point, firstReach) }))
	}
	of := func(point []float64) scored { return b.scored(point, best) }
	candidates, err := scoreAll(ctx, points, of)
	if err != nil {
		return nil, "", err
	}
	chosen := b.bettered(candidates, fewBettered, of)
	if math.IsInf(chosen.score, -1) || chosen.score < least || !b.isNew(chosen.point) {
		return nil, "", nil
	}
	if best.rank.Kept() {
		return chosen.point, "explores where the most improvement is expected", nil
	}
	return chosen.point, "looks for feasible designs", nil
}

// scoreAll scores points, several at a time.
func scoreAll(ctx context.Context, points [][]float64, of func(point []float64) scored) ([]scored, error) {
	all := make([]scored, len(points))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for from := 0; from < len(points); from += scoredTogether {
		group.Go(func() error {
			for i := from; i < min(from+scoredTogether, len(points)); i++ {
				all[i] = of(points[i])
			}
			return ctx.Err()
		})
	}
	return all, group.Wait()
}

const scoredTogether = 32 // points, by one goroutine

// bettered is the best point that steps from the first few candidates by their scores end at.
func (b *believer) bettered(candidates []scored, few int, of func(point []float64) scored) scored {
	slices.SortStableFunc(candidates, func(x, y scored) int { return cmp.Compare(y.score, x.score) })
	candidates = candidates[:min(few, len(candidates))]
	for i := range candidates {
		for k := range tries {
			reach := firstReach * math.Pow(leastReach/firstReach, float64(k)/tries)
			if next := of(b.kept(func() []float64 { return b.beside(candidates[i].point, reach) })); next.score > candidates[i].score {
				candidates[i] = next
			}
		}
	}
	return slices.MaxFunc(candidates, func(x, y scored) int { return cmp.Compare(x.score, y.score) })
}

// A scored point has the logarithm of what is expected of it.
type scored struct {
	point []float64
	score float64
}

// beside is a point about another one: some of its coordinates are moved.
func (b *believer) beside(point []float64, reach float64) []float64 {
	moved := slices.Clone(point)
	sure := b.rand.IntN(len(moved))
	for j := range moved {
		if j != sure && b.rand.Float64() < 0.5 {
			continue
		}
		step := reach
		if levels := b.space[j].Levels(); levels > 0 {
			step = max(step, 0.7/float64(levels))
		}
		moved[j] = reflected(moved[j] + step*b.rand.NormFloat64())
	}
	return moved
}

// possible is the logarithm of the probability that a design works and keeps every constraint; false where it need not be asked.
func (b *believer) possible(point []float64, design core.Design) (float64, bool) {
	works := b.working(design)
	score := 2 * math.Log(works) // a failure costs as much as any evaluation, and tells less
	if works < b.demanded(mayWork) || b.excluded(point) {
		return math.Inf(-1), false
	}
	for _, c := range b.problem.Constraints {
		if belief := b.of(c.Value); belief != nil && c.Price == 0 {
			score += math.Log(keeps(belief, design, c, b.doubt))
		}
	}
	return score, !math.IsInf(score, -1)
}

// excluded is true where inputs alone miss a requirement.
func (b *believer) excluded(point []float64) bool {
	b.looking.Lock()
	defer b.looking.Unlock()
	return b.ahead != nil && b.missedBy(point) > 0
}

func (b *believer) scored(point []float64, best trial) scored {
	design := b.design(point)
	score, possible := b.possible(point, design)
	if !best.rank.Kept() || !possible || len(b.problem.Objectives) != 1 {
		return scored{point, score}
	}
	o := b.problem.Objectives[0]
	mean, deviation, now := 0.0, 0.0, best.outcome.Values[o.Value]
	if belief := b.of(o.Value); belief != nil {
		mean, deviation = belief.Believed(design)
		now = belief.Scaled(now)
	} else {
		mean = b.decidedValue(design, o.Value)
	}
	if o.Maximize {
		mean, now = -mean, -now
	}
	return scored{point, score + math.Log(pareto.ExpectedBelow(now-mean, b.doubt*deviation))}
}

// keeps is the probability that a value is within a limit with its reserve; of an equation, that it comes near.
func keeps(belief view, design core.Design, c core.Constraint, doubt float64) float64 {
	mean, deviation := belief.Believed(design)
	deviation *= doubt
	lower, upper := belief.Scaled(c.Limit.Lower+c.Limit.Reserve), belief.Scaled(c.Limit.Upper-c.Limit.Reserve)
	if c.Equal { // so narrow that the probability is nearly 0 everywhere
		lower, upper = lower-deviation, upper+deviation
	}
	if deviation <= 0 {
		if mean >= lower && mean <= upper {
			return 1
		}
		return 0
	}
	return max(0, normal((upper-mean)/deviation)-normal((lower-mean)/deviation))
}
