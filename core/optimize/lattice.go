package optimize

import (
	"cmp"
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

const (
	longList      = 10  // values from which on slopes lead along a list
	latticeRadius = 0.3 // of the first step, in the unit cube
	latticeNext   = 4   // of which a step is first after one to a neighbor
	mostCorners   = 8   // axes of which all corners about a point are looked at
	someCorners   = 256 // of more axes
	goodCorners   = 8   // corners from which the belief is searched on
	mostInPairs   = 12  // axes of which the belief is searched in two at a time
)

// long lists the inputs that are stepped, or have lists of numbers, of so many values that slopes lead along them. Steps on a logarithmic scale stand at
// uneven distances and are left to their neighbors.
func (s *search) long() []int {
	var long []int
	for j, in := range s.space {
		if in.Levels() >= longList && !in.Unordered && in.Traits == nil && !in.Log {
			long = append(long, j)
		}
	}
	return long
}

// lattice is the landscape over the points of long lists: these are its axes, and everything on it is a plane between them.
func (l *landscape) lattice() *landscape {
	on := *l
	on.axes = l.long()
	on.unchecked = false
	on.functions = slices.Clone(l.functions)
	for k := range on.functions {
		on.functions[k].decided = false
	}
	return &on
}

// descendLattice searches along long lists from a place: with slopes between neighboring values as if the lists had no gaps, in a trust region, and each
// step rounded to the points of the lattice that are believed to be best. No other point is asked.
func (l *landscape) descendLattice(ctx context.Context, from place, joins func(place) bool) (ending, error) {
	d := l.lattice().descent(latticeRadius)
	d.here, d.first = from, l.objective(from.values)
	var last place
	for iteration := 1; ; iteration++ {
		if err := d.followOnLattice(ctx, last); err != nil {
			return ending{place: d.here, iterations: iteration}, err
		}
		last = d.here
		moved, err := d.stepOnLattice(ctx)
		if err == nil && !moved {
			last = place{} // from which no slopes are carried on
			if d.stale {
				continue
			}
			moved, err = d.nextOnLattice(ctx)
		}
		if err != nil || !moved || joins != nil && joins(d.here) {
			return ending{place: d.here, converged: err == nil, level: err == nil, iterations: iteration}, err
		}
	}
}

// followOnLattice gives the place its slopes: after a good step those of the place before it are carried on, else they are taken anew.
func (d *descent) followOnLattice(ctx context.Context, before place) error {
	if before.values == nil || d.ratio < goodEnough || d.Differentiates() {
		d.stale = false
		if err := d.slopesOnLattice(ctx); err != nil {
			return err
		}
	} else {
		d.carryOn(before)
	}
	if before.values != nil {
		d.bendBy(before)
	} else if d.ofTargets() {
		d.bend = nil
	}
	return nil
}

// slopesOnLattice gives the place its slopes: exact ones where they are known, else differences to a neighboring value of each list.
func (d *descent) slopesOnLattice(ctx context.Context) error {
	_, d.here.slopes = d.look(d.here.point, true)
	missing := d.asked()
	if d.Differentiates() {
		_, derivatives, err := d.AskDerivatives(ctx, []core.Design{d.here.design})
		if err != nil {
			return err
		}
		if len(derivatives) == 1 && derivatives[0] != nil {
			missing = d.take(&d.here, derivatives[0], missing)
		}
	}
	if len(missing) == 0 {
		return nil
	}
	points := make([][]float64, len(d.axes))
	for a, j := range d.axes {
		points[a] = d.towardsMiddle(d.here.point, j)
	}
	trials, err := d.ask(ctx, points)
	d.fit(&d.here, trials, missing)
	return err
}

// towardsMiddle is the point that has the next value of a list, on the side of the middle.
func (d *descent) towardsMiddle(point []float64, input int) []float64 {
	beside := d.aroundIn(point, []int{input})
	if point[input] > 0.5 {
		return beside[0]
	}
	return beside[len(beside)-1]
}

// stepOnLattice goes to a better point of the lattice, and is false where none of those that are believed to be better is.
func (d *descent) stepOnLattice(ctx context.Context) (bool, error) {
	finest := 1.0
	for _, j := range d.axes {
		finest = math.Min(finest, 1/float64(d.space[j].Levels()))
	}
	for ; d.radius > finest/2; d.radius /= 2 {
		d.last = d.propose()
		point, predicted := d.rounded()
		if point == nil {
			continue
		}
		next, err := d.place(ctx, point)
		if err != nil && next.values == nil {
			return false, err
		}
		if next.values == nil {
			continue
		}
		aims := d.aims(d.last.multipliers)
		fell := d.merit(d.here, aims) - d.merit(next, aims)
		if fell <= 0 && err == nil {
			continue
		}
		d.ratio = fell / predicted
		if length := distance(next.point, d.here.point); d.ratio > goodRatio && length > 0.9*d.radius {
			d.radius = math.Min(mostRadius, 2*d.radius)
		} else if d.ratio < poorRatio {
			d.radius = math.Max(finest, length/2)
		}
		if fell > 0 {
			d.here = next
		}
		return fell > 0, err
	}
	return false, nil
}

// nextOnLattice goes to the best of the neighbors along one list, and is false where none is better.
func (d *descent) nextOnLattice(ctx context.Context) (bool, error) {
	trials, err := d.ask(ctx, d.aroundIn(d.here.point, d.axes))
	moved := false
	for _, t := range trials {
		if t.rank.Better(d.here.rank) {
			d.here, moved = d.placed(t), true
		}
	}
	d.radius = math.Max(d.radius, latticeRadius/latticeNext)
	return moved, err
}

// rounded is the point of the lattice near to the last step that is believed to be best and was not asked, and by how much it is believed to better the
// objective with what is paid; nil where none is believed to.
func (d *descent) rounded() (point []float64, predicted float64) {
	q := d.subproblem(d.radius)
	q.prices, q.stiff = d.prices, d.prices
	here, _ := q.cost(q.centre)
	costs := map[string]float64{}
	believed := func(axes []float64) float64 {
		other := d.snapped(d.moved(d.here.point, axes))
		name := key(d.design(other))
		cost, seen := costs[name]
		if seen {
			return cost
		}
		cost, _ = q.cost(d.along(other))
		costs[name] = cost
		if here-cost > predicted && !d.knows(other) && d.missedBy(other) == 0 {
			point, predicted = other, here-cost
		}
		return cost
	}
	corners := d.corners(d.last.axes)
	slices.SortStableFunc(corners, func(a, b []float64) int { return cmp.Compare(believed(a), believed(b)) })
	for _, corner := range corners[:min(goodCorners, len(corners))] {
		d.searchBelief(corner, believed)
	}
	return point, predicted
}

// corners are points of the lattice about axes: all of them, or some of many.
func (d *descent) corners(axes []float64) [][]float64 {
	lower, upper := slices.Clone(axes), slices.Clone(axes)
	for a, j := range d.axes {
		in := d.space[j]
		half := 0.5 / float64(in.Levels())
		lower[a], upper[a] = in.Unit(in.Value(axes[a]-half)), in.Unit(in.Value(axes[a]+half))
	}
	var corners [][]float64
	add := func(high func(a int) bool) {
		corner := slices.Clone(lower)
		for a := range corner {
			if high(a) {
				corner[a] = upper[a]
			}
		}
		corners = append(corners, corner)
	}
	if len(axes) <= mostCorners {
		for bits := range 1 << len(axes) {
			add(func(a int) bool { return bits>>a&1 == 1 })
		}
		return corners
	}
	r := plan.NewRand(1)
	add(func(a int) bool { return axes[a]-lower[a] > upper[a]-axes[a] })
	for range someCorners {
		add(func(a int) bool { return r.Float64()*(upper[a]-lower[a]) < axes[a]-lower[a] })
	}
	return corners
}

// searchBelief goes from a corner to ever better points of the lattice by what is believed of them: by one axis, or two, at a time.
func (d *descent) searchBelief(corner []float64, believed func([]float64) float64) {
	steps := make([]float64, len(corner))
	for a, j := range d.axes {
		steps[a] = 1 / float64(d.space[j].Levels())
	}
	cost := believed(corner)
	for {
		best, least := corner, cost
		look := func(other []float64) {
			for a := range other {
				if other[a] <= 0 || other[a] >= 1 || math.Abs(other[a]-d.here.point[d.axes[a]]) > d.radius+steps[a] {
					return
				}
			}
			if there := believed(other); there < least {
				best, least = other, there
			}
		}
		for a := range corner {
			for _, sign := range []float64{-1, 1} {
				one := slices.Clone(corner)
				one[a] += sign * steps[a]
				look(one)
				for b := a + 1; b < len(corner) && len(corner) <= mostInPairs; b++ {
					for _, other := range []float64{-1, 1} {
						two := slices.Clone(one)
						two[b] += other * steps[b]
						look(two)
					}
				}
			}
		}
		if least >= cost {
			return
		}
		corner, cost = best, least
	}
}
