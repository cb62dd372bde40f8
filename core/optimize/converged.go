package optimize

import (
	"math"
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
)

// forgets is true where a place that seems best is not level all the same: what was learned of the curvature is wrong then, and
// is forgotten, once.
func (d *descent) forgets() bool {
	if d.renewed || d.last.length == 0 {
		return false
	}
	d.renewed = true
	if !d.isSteep() {
		return false
	}
	if d.scaled {
		d.forgotten = d.bend
	}
	d.bend, d.scaled = nil, false
	return true
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

func (d *descent) isSteep() bool {
	q := d.subproblem(lookRadius)
	q.bend = square(len(d.axes))
	for a := range q.bend {
		q.bend[a][a] = 1e-9
	}
	q.prices = d.prices
	return q.solve().predicted > levelShare*d.scale()
}
