package optimize

import (
	"math"

	"ropebench/core"
	"ropebench/core/plan"
)

const exclusionStarts = 30 // points from which a design is looked for that keeps what inputs alone decide

// Excluded finds out, without asking for anything, whether no design keeps all constraints that inputs alone decide, as far as that
// is found from the start and from points all over the space. It lists the constraints that are in each other's way; none where a
// design keeps them all.
func Excluded(p Problem, o Options) []int {
	if p.Ahead == nil || o.check(p) != nil {
		return nil
	}
	s := newSearch(p, core.EvaluatorFunc(nil), o, nil, 0)
	l := s.landscape(p, o)
	points := append([][]float64{l.begin()}, plan.Draw(plan.NewRand(1), exclusionStarts, len(p.Space))...)
	nearest, least := points[0], math.Inf(1)
	for _, point := range points {
		point = l.repaired(point)
		missed := l.missedBy(point)
		if missed == 0 {
			return nil
		}
		if missed < least {
			nearest, least = point, missed
		}
	}
	return l.inTheWay(nearest)
}

// inTheWay lists the constraints on inputs alone that a point near to keeping them misses, or that keep it from doing so.
func (l *landscape) inTheWay(point []float64) []int {
	d := l.descent(lookRadius)
	d.here = place{trial: trial{point: point}}
	d.here.values, d.here.slopes = l.look(point, true)
	for k, slopes := range d.here.slopes {
		if slopes == nil { // the solver decides it: it is not looked at
			d.here.values[k], d.here.slopes[k] = 0, make([]float64, len(l.axes))
		}
	}
	var listed []int
	inTheWay := make([]bool, len(l.constraints()))
	if len(l.axes) > 0 {
		inTheWay = l.inEachOthersWay(d)
	}
	for i, f := range l.constraints() {
		k := l.objectives() + i
		if f.decided && f.price == 0 && (inTheWay[i] || f.limit.Margin(d.here.values[k]) < 0) {
			listed = append(listed, i)
		}
	}
	return listed
}
