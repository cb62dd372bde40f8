package optimize

import (
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

// wish chooses the next point, and says why; nil where nothing is to be gained.
func (b *believer) wish(ctx context.Context) ([]float64, string, error) {
	best := b.best()
	if best == nil || len(b.beliefs) < len(b.columns) {
		return b.unlike(), "explores: nothing usable is known yet", nil
	}
	b.turn++
	if best.rank.Kept() && len(b.problem.Objectives) > 1 {
		return b.wishForFront(ctx)
	}
	if best.rank.Kept() {
		b.worth = muchWorth
		if point, why, err := b.inTurn(ctx, *best); err != nil || point != nil {
			return point, why, err
		}
		if !b.isExplored() {
			b.vain++
			return b.doubted(ctx, *best)
		}
	}
	b.worth = littleWorth
	for {
		if point, why, err := b.inTurn(ctx, *best); err != nil || point != nil {
			return point, why, err
		}
		if !b.aimCloser() {
			break
		}
	}
	if b.vain++; b.vain > 2*(vainWishes+2*len(b.space)) {
		return nil, "", nil
	}
	return b.doubted(ctx, *best)
}

// inTurn asks three ways for a point, beginning with another one each time.
func (b *believer) inTurn(ctx context.Context, best trial) ([]float64, string, error) {
	order := []func(context.Context, trial) ([]float64, string, error){b.goForBest, b.expect, b.goNearBest}
	for k := range order {
		if point, why, err := order[(b.turn+k)%len(order)](ctx, best); err != nil || point != nil {
			return point, why, err
		}
	}
	return nil, "", nil
}

// doubted is a point where what is believed to be of no use may be wrong: in turn a better one at another place, another place where a search
// on beliefs ends, and where more is expected if less were known.
func (b *believer) doubted(ctx context.Context, best trial) ([]float64, string, error) {
	why := fmt.Sprintf("explores what is doubted, %d of %d times in vain before it ends by itself", b.vain, 2*(vainWishes+2*len(b.space)))
	if point, err := b.betterElsewhere(ctx, best); err != nil || point != nil {
		b.vain-- // there is hope
		return point, "improves another place", err
	}
	if b.vain%2 == 1 {
		if point, err := b.elsewhere(ctx, best); err != nil || point != nil {
			return point, why, err
		}
	}
	point, _, err := b.expectAtLeast(ctx, best, math.Pow(2, float64(b.vain/2%(mostDoubt+1))), math.Inf(-1))
	if point == nil && err == nil {
		point = b.unlike()
	}
	return point, why, err
}

// aimCloser lets limits be aimed at more closely where what is believed has nothing better to offer otherwise; false where they are.
func (b *believer) aimCloser() bool {
	closer := false
	for i, c := range b.problem.Constraints {
		if b.inside[i] > closest*b.unit(c) {
			closer = true
			b.inside[i] /= 4
		} else {
			b.inside[i] = 0
		}
	}
	return closer
}

// unit is how far from its limit the value of a constraint was at most.
func (b *believer) unit(c core.Constraint) float64 {
	most := 0.0
	for _, t := range b.known {
		if t.rank.Usable() {
			most = max(most, math.Abs(c.Limit.Margin(t.outcome.Values[c.Value])))
		}
	}
	return most
}

// unlike is the point of some that is farthest from all that is known, and where the solver is believed to work; nil where none is new.
func (b *believer) unlike() []float64 {
	var best []float64
	most := -1.0
	for range 50 * len(b.space) {
		point := b.drawn()
		least := math.Inf(1)
		for _, t := range b.known {
			least = min(least, distance(t.point, point))
		}
		for _, h := range b.pending {
			least = min(least, distance(h.point, point))
		}
		if least *= b.working(b.design(point)); least > most && b.isNew(point) {
			best, most = point, least
		}
	}
	return best
}

// drawn is a point anywhere that keeps what inputs alone decide.
func (b *believer) drawn() []float64 {
	return b.kept(func() []float64 { return plan.Draw(b.rand, 1, len(b.space))[0] })
}

// isNew is true for a point that is not next to one that is known or at work.
func (b *believer) isNew(point []float64) bool {
	design := b.design(point)
	same := func(p []float64, d core.Design) bool { return distance(p, point) < apart || slices.Equal(d, design) }
	return !slices.ContainsFunc(b.known, func(t trial) bool { return same(t.point, t.design) }) &&
		!slices.ContainsFunc(b.pending, func(h hope) bool { return same(h.point, h.design) })
}

const notableGain = 0.01 // of the objective, of which it is said how likely it is

// hoped says what is believed of a design that is asked for, and how likely it is to better the best by a hundredth; "" where nothing is.
func (b *believer) hoped(point []float64) string {
	best := b.best()
	if len(b.problem.Objectives) != 1 || best == nil {
		return ""
	}
	o, design := b.problem.Objectives[0], b.design(point)
	belief := b.of(o.Value)
	if belief == nil {
		return ""
	}
	lower, median, upper := belief.Between(design)
	says := fmt.Sprintf(": %.4g is believed, between %.4g and %.4g", median, lower, upper)
	if !best.rank.Kept() {
		return says
	}
	gain := notableGain * math.Abs(best.outcome.Values[o.Value])
	to := belief.Scaled(best.outcome.Values[o.Value] - gain)
	mean, deviation := belief.Believed(design)
	if o.Maximize {
		to, mean = -belief.Scaled(best.outcome.Values[o.Value]+gain), -mean
	}
	b.doubt = 1
	chance, possible := b.possible(point, design)
	if !possible {
		return says
	}
	chance = math.Exp(chance) / b.working(design) * normal((to-mean)/math.Max(deviation, math.SmallestNonzeroFloat64))
	return says + fmt.Sprintf("; it betters the best by 1 %% with a chance of %.0f %%", 100*chance)
}
