package optimize

import (
	"math"
	"slices"

	"ropebench/core/plan"
)

// repaired is a near point that keeps what inputs alone decide, as far as that is found without the solver.
func (l *landscape) repaired(point []float64) []float64 {
	near := l.slid(point)
	if len(l.axes) < len(l.space) && l.missedBy(near) > 0 {
		near = l.stepNearer(l.snapped(near))
	}
	if len(l.axes) == 0 || l.missedBy(near) == 0 {
		return near
	}
	r := plan.NewRand(1)
	for try := range besideTries { // slopes may vanish at a point, and not beside it
		beside := slices.Clone(point)
		for _, j := range l.axes {
			beside[j] = reflected(point[j] + besideSpread*float64(try+1)*r.NormFloat64())
		}
		if other := l.slid(beside); l.missedBy(other) == 0 {
			return other
		}
	}
	return near
}

const (
	besideTries  = 8
	besideSpread = 0.02 // of the first point beside one that cannot be repaired, and so much more each time
)

// slid is the nearest point with the same stepped inputs.
func (l *landscape) slid(point []float64) []float64 {
	if len(l.axes) == 0 || l.missedBy(point) == 0 {
		return point
	}
	n := len(l.axes)
	q := &subproblem{landscape: l, centre: l.along(point), point: point, bend: identity(n), blind: true, radius: 1,
		prices: make([]float64, len(l.constraints())), values: make([]float64, len(l.functions)), slopes: make([][]float64, len(l.functions))}
	for k := range q.slopes {
		q.slopes[k] = make([]float64, n)
	}
	here, slopes := l.look(point, true)
	q.aims = make([][2]float64, len(l.constraints()))
	for i, f := range l.constraints() {
		k := l.objectives() + i
		switch {
		case f.decided && f.price == 0:
			q.aims[i][0], q.aims[i][1] = f.aim(f.rounding(here[k], slopes[k]))
		default:
			q.aims[i] = [2]float64{math.Inf(-1), math.Inf(1)}
		}
	}
	return q.solve().point
}

// rounding is the margin that keeps a value on the right side of its limit in spite of rounding.
func (f function) rounding(value float64, slopes []float64) float64 {
	return 1e-12 * math.Max(math.Max(math.Abs(value), f.size()), largest(slopes))
}

// size is that of the limit: of its end that is farther from 0.
func (f function) size() float64 {
	size := 0.0
	for _, end := range []float64{f.limit.Lower, f.limit.Upper} {
		if !math.IsInf(end, 0) {
			size = math.Max(size, math.Abs(end))
		}
	}
	return size
}
