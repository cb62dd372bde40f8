package optimize

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/core/budget"
)

const (
	linePoints = 6        // over the range, from which a search along a line begins
	lineWidth  = 1e-7     // of the bracket at which it ends, in the unit interval
	golden     = 0.381966 // of the larger part
)

// alongLine searches a single continuous input: some points over its range, and then about the best of them by golden section, with
// steps to the least point of a parabola where the three best meet all constraints (R. P. Brent, Algorithms for Minimization without
// Derivatives (1973), chapter 5).
func (l *landscape) alongLine(ctx context.Context) error {
	var points [][]float64
	if l.startPoint != nil {
		points = append(points, l.startPoint)
	}
	for i := range linePoints {
		points = append(points, []float64{float64(i) / (linePoints - 1)})
	}
	trials, err := l.ask(ctx, points)
	if err != nil {
		return err
	}
	slices.SortStableFunc(trials, func(a, b trial) int { return cmp.Compare(a.point[0], b.point[0]) })
	best := 0
	for i := range trials {
		if trials[i].rank.Better(trials[best].rank) {
			best = i
		}
	}
	low, middle, high := trials[max(0, best-1)], trials[best], trials[min(len(trials)-1, best+1)]
	before, last := math.Inf(1), math.Inf(1) // widths of the bracket two steps and one step ago
	for width := high.point[0] - low.point[0]; width > lineWidth; width = high.point[0] - low.point[0] {
		u := section(low, middle, high)
		if width < before/2 { // parabolas bring it on
			u = l.parabola(low, middle, high, u)
		}
		before, last = last, width
		trials, err := l.ask(ctx, [][]float64{{u}})
		if err != nil {
			return err
		}
		t := trials[0]
		switch {
		case t.rank.Better(middle.rank) && u < middle.point[0]:
			middle, high = t, middle
		case t.rank.Better(middle.rank):
			low, middle = middle, t
		case u < middle.point[0]:
			low = t
		default:
			high = t
		}
	}
	return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("converged: the best lies within %.1g of the range of %s", lineWidth, l.space[0].Name)}
}

// section is the point of golden section in the larger part.
func section(low, middle, high trial) float64 {
	a, b, c := low.point[0], middle.point[0], high.point[0]
	if b-a > c-b {
		return b - golden*(b-a)
	}
	return b + golden*(c-b)
}

// parabola is the least point of the parabola through three that meet everything; otherwise where there is none inside.
func (l *landscape) parabola(low, middle, high trial, otherwise float64) float64 {
	a, b, c := low.point[0], middle.point[0], high.point[0]
	if b == a || b == c || !low.rank.Feasible() || !middle.rank.Feasible() || !high.rank.Feasible() {
		return otherwise
	}
	f := func(t trial) float64 { return l.goal.Least(t.outcome.Values) }
	p := (b-a)*(b-a)*(f(middle)-f(high)) - (b-c)*(b-c)*(f(middle)-f(low))
	q := (b-a)*(f(middle)-f(high)) - (b-c)*(f(middle)-f(low))
	u := b - p/(2*q)
	least := lineWidth / 4
	if math.IsNaN(u) || u <= a+least || u >= c-least {
		return otherwise
	}
	if math.Abs(u-b) < least {
		return b + math.Copysign(2*least, c+a-2*b)
	}
	return u
}
