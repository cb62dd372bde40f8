package optimize

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/pareto"
)

const (
	mostTraded    = 3    // objectives whose expected hypervolume is searched
	frontWorth    = 1e-4 // of the hypervolume of the front, that a design is believed to gain at least
	behindFront   = 0.1  // of the range of an objective along the front, that the reference point stands behind the worst
	innerFront    = 900  // predictions of a search for the front that is believed
	mostParents   = 24   // members of a known front from which a population begins
	frontBettered = 12   // candidates that are bettered, the most promising
)

// A frontier is the front of what is known, on the scales of what is believed, with what it leaves to be gained.
type frontier struct {
	boxes  []pareto.Box
	volume float64
}

// wishForFront chooses the next point of a search for a front: in turn the one by which the front is believed to gain most hypervolume, and the
// one by which it is expected to, with the probability that all constraints are kept (M. T. M. Emmerich, K. C. Giannakoglou and B. Naujoks,
// IEEE Transactions on Evolutionary Computation 10 (2006)). Nil where nothing is to be gained.
func (b *believer) wishForFront(ctx context.Context) ([]float64, string, error) {
	predicted, err := b.predictedFront(ctx)
	if err != nil {
		return nil, "", err
	}
	f := b.frontier(predicted)
	certain, expected := byGain{f: f, reason: "fills the front that is believed"}, byGain{f: f, doubt: 1, reason: "explores where the most is expected for the front"}
	order := []byGain{certain, expected}
	if b.turn%2 == 0 {
		slices.Reverse(order)
	}
	for _, wish := range order {
		point, err := b.mostGained(ctx, wish, predicted, frontWorth*f.volume)
		if err != nil {
			return nil, "", err
		}
		if point != nil {
			b.vain = 0
			if wish.doubt == 0 { // what comes of it says how well limits are believed
				b.expected = wished{point: point, half: 1, best: *b.best()}
			}
			return point, wish.reason, nil
		}
	}
	if b.vain++; b.vain > vainWishes+2*len(b.space) {
		return nil, "", nil
	}
	doubted := byGain{f: f, doubt: math.Pow(2, float64(b.vain%(mostDoubt+1)))}
	point, err := b.mostGained(ctx, doubted, predicted, 0)
	if point == nil && err == nil {
		point = b.unlike()
	}
	return point, fmt.Sprintf("explores what is doubted, %d of %d times in vain before it ends by itself", b.vain, vainWishes+2*len(b.space)), err
}

// predictedFront has the points of the front that is believed: a population looks for it on beliefs, from the front that is known.
func (b *believer) predictedFront(ctx context.Context) ([][]float64, error) {
	width := len(b.best().outcome.Values)
	p := b.believedProblem(nil, 1, width)
	kept := &keeper{Evaluator: predicted{b, width}}
	l := newSearch(p, kept, Options{Budget: innerFront}, nil, 0).landscape(p, Options{})
	kept.l = l
	var first [][]float64
	for _, t := range b.alongFront() {
		first = append(first, t.point)
	}
	err := l.breedFront(ctx, b.rand, first)
	var ended budget.Ended
	if !errors.As(err, &ended) {
		return nil, err
	}
	var front [][]float64
	for _, i := range pareto.Front(kept.objectives) {
		front = append(front, b.space.Point(kept.designs[i]))
	}
	return front, nil
}

// A keeper keeps the designs that keep every constraint, with their objectives.
type keeper struct {
	core.Evaluator
	l          *landscape
	designs    []core.Design
	objectives [][]float64
}

// Evaluate implements core.Evaluator.
func (k *keeper) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := k.Evaluator.Evaluate(ctx, designs)
	for i, o := range outcomes {
		if o.State == core.OK && k.l.Rank(o).Feasible() {
			k.designs = append(k.designs, slices.Clone(designs[i]))
			k.objectives = append(k.objectives, k.l.objectivesOf(trial{outcome: o}))
		}
	}
	return outcomes, err
}

// alongFront has members of the known front, those that stand most alone.
func (b *believer) alongFront() []trial {
	var kept []trial
	var points [][]float64
	for _, t := range b.known {
		if t.rank.Kept() {
			kept, points = append(kept, t), append(points, b.objectivesOf(t))
		}
	}
	var members []trial
	var front [][]float64
	for _, i := range pareto.Front(points) {
		members, front = append(members, kept[i]), append(front, points[i])
	}
	return spread(members, front)
}

// spread has the members of a front that stand most alone, as many as a population begins with.
func spread(members []trial, points [][]float64) []trial {
	crowding := pareto.Crowding(points)
	order := make([]int, len(members))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return cmp.Compare(crowding[j], crowding[i]) })
	var chosen []trial
	for _, i := range order[:min(mostParents, len(order))] {
		chosen = append(chosen, members[i])
	}
	return chosen
}

// frontier is made of what is known; what is believed helps to say how far it will reach.
func (b *believer) frontier(predicted [][]float64) frontier {
	var f frontier
	var known [][]float64
	for _, t := range b.known {
		if t.rank.Kept() {
			known = append(known, b.onScales(t.outcome.Values))
		}
	}
	for _, h := range b.pending { // as it is believed to come out
		if means, _ := b.believedOf(h.design); b.believesKept(h.design) {
			known = append(known, means)
		}
	}
	var points [][]float64
	for _, i := range pareto.Front(known) {
		points = append(points, known[i])
	}
	reach := slices.Clone(points)
	for _, point := range predicted {
		means, _ := b.believedOf(b.design(point))
		reach = append(reach, means)
	}
	reference := slices.Clone(points[0])
	for k := range reference {
		least, most := math.Inf(1), math.Inf(-1)
		for _, i := range pareto.Front(reach) {
			least, most = min(least, reach[i][k]), max(most, reach[i][k])
		}
		reference[k] = most + behindFront*max(most-least, math.SmallestNonzeroFloat64)
	}
	f.boxes, f.volume = pareto.Boxes(points, reference), pareto.Hypervolume(points, reference)
	return f
}

// believesKept is true where a design is believed to keep every constraint that the solver decides.
func (b *believer) believesKept(design core.Design) bool {
	return !slices.ContainsFunc(b.problem.Constraints, func(c core.Constraint) bool {
		belief := b.of(c.Value)
		return belief != nil && c.Price == 0 && !(c.Limit.Margin(belief.Mean(design)) >= 0)
	})
}

// onScales are the objectives of values, to be made least, on the scales of what is believed.
func (b *believer) onScales(values []float64) []float64 {
	at := make([]float64, len(b.problem.Objectives))
	for k, o := range b.problem.Objectives {
		at[k] = values[o.Value]
		if belief := b.of(o.Value); belief != nil {
			at[k] = belief.Scaled(at[k])
		}
		if o.Maximize {
			at[k] = -at[k]
		}
	}
	return at
}

// believedOf are means and deviations of the objectives of a design, on the same scales.
func (b *believer) believedOf(design core.Design) (means, deviations []float64) {
	means, deviations = make([]float64, len(b.problem.Objectives)), make([]float64, len(b.problem.Objectives))
	for k, o := range b.problem.Objectives {
		if belief := b.of(o.Value); belief != nil {
			means[k], deviations[k] = belief.Believed(design)
		} else {
			means[k] = b.decidedValue(design, o.Value)
		}
		if o.Maximize {
			means[k] = -means[k]
		}
	}
	return means, deviations
}

// decidedValue is a value that inputs alone decide.
func (b *believer) decidedValue(design core.Design, column int) float64 {
	b.looking.Lock()
	defer b.looking.Unlock()
	values, _ := b.ahead.Look(design, false)
	return values[column]
}

// A byGain scores points by how much a front gains by them, with deviations times a doubt; 0: by means alone.
type byGain struct {
	f      frontier
	doubt  float64
	reason string
}

// of is the logarithm of what is expected of a point.
func (w byGain) of(b *believer, point []float64) scored {
	design := b.design(point)
	score, possible := b.possible(point, design)
	if !possible {
		return scored{point, math.Inf(-1)}
	}
	means, deviations := b.believedOf(design)
	for k := range deviations {
		deviations[k] *= w.doubt
	}
	return scored{point, score + math.Log(pareto.ExpectedGain(w.f.boxes, means, deviations))}
}

// mostGained is the new point of the highest score; nil where what it gains is worth less than some hypervolume.
func (b *believer) mostGained(ctx context.Context, w byGain, predicted [][]float64, worth float64) ([]float64, error) {
	points := slices.Clone(predicted)
	for range min(mostDrawn, drawnForExpected*len(b.space)) / 2 {
		points = append(points, b.drawn())
	}
	b.doubt = w.doubt
	of := func(point []float64) scored { return w.of(b, point) }
	candidates, err := scoreAll(ctx, points, of)
	if err != nil {
		return nil, err
	}
	chosen := b.bettered(candidates, frontBettered, of)
	if math.IsInf(chosen.score, -1) || chosen.score < math.Log(worth) || !b.isNew(chosen.point) {
		return nil, nil
	}
	return chosen.point, nil
}
