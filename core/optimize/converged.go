package optimize

import (
	"context"
	"math"
	"slices"
)

// scale is the size of the objective to which tolerances refer.
func (d *descent) scale() float64 {
	now := d.objective(d.here.values)
	if d.ofTargets() {
		return math.Max(now, math.SmallestNonzeroFloat64) * squaredShare
	}
	return math.Max(math.Abs(now), math.Max(innerShare*math.Abs(d.first-now), 1e-8))
}

// done is true where the step is not believed to better anything.
func (d *descent) done() bool {
	return d.last.length == 0 || !(d.last.predicted > 0) || d.last.predicted <= d.worthwhile() && d.here.rank.Kept()
}

// believesDone is true where the step that was just made was the last that was worth it: it was short, and believed to bring
// little, and did.
func (d *descent) believesDone(before place) bool {
	return d.here.rank.Feasible() && before.rank.Feasible() && d.last.predicted <= 100*d.tolerance*d.scale()
}

const (
	lookRadius = 0.01 // how far around a place is looked whether it is level
	levelShare = 1e-5 // of the objective that may be gained there, curvature left out

	narrowShare       = 1e-3 // the same where the curvature says that no such change is to be had
	mostProofs        = 3    // of one search: on stairs each leads on by one step
	uncutRadius       = 0.02 // of the trust region where a search goes on from a place that seemed best
	roundingOfTargets = 1e-9 // of a value that is to come near to a target, at which it counts as reached
	otherStep         = 20.0 // times as long is the step of differences by which a place is proved
)

// gained is true where the search has come on since a place, or there is none.
func (d *descent) gained(since place) bool {
	return since.values == nil || d.here.rank.Gain(since.rank) > levelShare || d.merit(since, d.plainAims())-d.merit(d.here, d.plainAims()) > levelShare*d.scale()
}

// forgets is true where a place that seems best is not level all the same: what was learned of the curvature is wrong then, and
// is forgotten, as long as that brings the search on.
func (d *descent) forgets() bool {
	if d.last.length == 0 || !d.gained(d.renewedAt) {
		return false
	}
	d.renewedAt = d.here
	if !d.isSteep() {
		return false
	}
	if d.scaled {
		d.forgotten = d.bend
	}
	d.bend, d.scaled = nil, false
	return true
}

// uncuts forgets where designs failed, as long as that brings the search on: a place that only such cuts hold is no place to end at.
func (d *descent) uncuts() bool {
	if len(d.cuts) == 0 {
		return false
	}
	d.cuts = nil
	if d.gained(d.uncutAt) {
		d.uncutAt = d.here
		d.radius = math.Max(d.radius, uncutRadius)
		return true
	}
	d.last = d.propose()
	d.blocked = !d.done()
	return false
}

// proves takes slopes that are differences to the other side, too, at another step length, as long as that brings the search on. It is true where both
// together say that the place is not level, or where one of the neighbors is better: the search goes on by them.
func (d *descent) proves(ctx context.Context) (bool, error) {
	if d.unproved || d.Differentiates() || d.coarse() || d.home != nil || d.blocked || len(d.asked()) == 0 || d.isKnownWorse() {
		return false, nil
	}
	if !d.gained(d.provedAt) && (!d.edged || slices.Equal(d.provedAt.design, d.here.design)) || d.proofs == mostProofs {
		return false, nil
	}
	d.proofs++
	d.provedAt = d.here
	before := d.here
	_, d.here.slopes = d.look(d.here.point, true)
	h := otherStep * d.step(d.asked())
	if err := d.differencesBy(ctx, &d.here, d.asked(), -h); err != nil {
		d.here = before
		return false, err
	}
	d.edged = d.steepness() > narrowShare || d.isOnTread()
	d.here = bothSides(before, d.here)
	if best := d.Best(); best.Rank.Gain(d.here.rank) > levelShare {
		if there := d.placed(trial{point: d.space.Point(best.Design), design: best.Design, rank: best.Rank, outcome: best.Outcome}); distance(there.point, d.here.point) <= widestStep {
			d.given = append(d.given, there.trial)
			d.here = there
			d.bend, d.scaled = nil, false
			return true, d.differentiate(ctx, &d.here)
		}
	}
	if !d.isSteep() {
		return false, nil
	}
	d.bend, d.scaled = nil, false
	d.radius = math.Max(d.radius, uncutRadius)
	return true, nil
}

// bothSides puts slopes by forward differences together with those to the other side at another step length, so that curvature drops out
// (L. F. Richardson, Philosophical Transactions of the Royal Society A 210 (1911)).
func bothSides(ahead, behind place) place {
	share := behind.apart / (ahead.apart + behind.apart)
	together := func(ahead, behind [][]float64) [][]float64 {
		rows := make([][]float64, len(ahead))
		for k := range ahead {
			rows[k] = make([]float64, len(ahead[k]))
			for a := range rows[k] {
				rows[k][a] = share*ahead[k][a] + (1-share)*behind[k][a]
			}
		}
		return rows
	}
	behind.slopes = together(ahead.slopes, behind.slopes)
	if ahead.targets != nil {
		behind.targets = together(ahead.targets, behind.targets)
	}
	return behind
}

// isKnownWorse is true where another search has ended at a better place: this one is not worth to be proved.
func (d *descent) isKnownWorse() bool {
	return d.ends != nil && len(d.ends.found) > 0 && d.ends.found[0].rank.Better(d.here.rank)
}

// tightens is true where limits that hold the place are aimed at more closely from now on.
func (d *descent) tightens() bool {
	if d.aimShare == aimShareAtLast || d.tolerance > aimShare {
		return false
	}
	d.aimShare = aimShareAtLast
	for i, f := range d.constraints() {
		if !f.decided && f.price == 0 && !f.equal && d.last.multipliers[i] != 0 {
			return true
		}
	}
	return false
}

// isSteepFrom is whether the place before the last one was not level.
func (d *descent) isSteepFrom(before place) bool {
	here := d.here
	d.here = before
	defer func() { d.here = here }()
	return d.isSteep()
}

// isSteep is true where slopes promise more than levelShare of the objective nearby.
func (d *descent) isSteep() bool { return d.steepness() > levelShare }

// steepness is what slopes promise, as a share of the objective.
func (d *descent) steepness() float64 {
	scale := d.scale()
	if d.ofTargets() {
		scale = math.Max(d.objective(d.here.values), d.leastSquare())
	}
	return d.promised() / scale
}

// promised is by how much slopes promise to better the objective, with what is paid, within lookRadius, curvature left out.
func (d *descent) promised() float64 {
	q := d.subproblem(lookRadius)
	q.cuts = nil
	q.bend = square(len(d.axes))
	for a := range q.bend {
		q.bend[a][a] = 1e-9
	}
	q.prices = d.prices
	if d.ofTargets() && d.here.targets != nil {
		q.bend = d.squared() // the curvature of a sum of squares is known
	}
	return q.solve().predicted
}

// isLevel is true where first-order conditions hold. A place that is done by a curvature that was learned anew may be as steep as that of a narrow valley.
// Values of few digits tell no slopes.
func (d *descent) isLevel(done bool) bool {
	most := levelShare * math.Max(1, math.Sqrt(d.tolerance/Normal.tolerance()))
	if done && (d.provedAt.values != nil || d.renewedAt.values != nil) {
		most = narrowShare
	}
	return d.here.slopes != nil && !d.blocked && !d.edged && !(d.coarse() && !d.Differentiates()) && !(d.here.apart > 0 && d.isOnTread()) && d.steepness() <= most
}

// isOnTread is true where an input that has moved values before moves none to either side: values go in steps.
func (d *descent) isOnTread() bool {
	for a := range d.axes {
		if d.moving[a] && !d.moves(a) {
			return true
		}
	}
	return false
}

// moves is true where an axis changes something that only the solver decides.
func (d *descent) moves(axis int) bool {
	return slices.ContainsFunc(d.asked(), func(k int) bool { return d.here.slopes[k][axis] != 0 })
}

// notesMoves remembers which axes have changed something.
func (d *descent) notesMoves() {
	for a := range d.axes {
		d.moving[a] = d.moving[a] || d.moves(a)
	}
}

// leastSquare is the sum of squares that rounding leaves.
func (d *descent) leastSquare() float64 {
	sum := 0.0
	for _, t := range d.goal.Targets {
		size := math.Max(math.Abs(t.To), math.Abs(d.here.outcome.Values[t.Value]))
		sum += t.Weight * math.Pow(roundingOfTargets*size, 2)
	}
	return sum
}
