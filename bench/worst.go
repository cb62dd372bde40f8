package bench

import (
	"fmt"
	"math"

	"ropebench/core/curve"
	"ropebench/core/formula"
)

// Worst reduces the vector or curve that a requirement limits to the one number on which its verdict hangs: the element
// with the least margin, or the least distance to a limit curve. It is nil for a requirement on a number.
func (b *Bench) Worst(q Requirement) func(curve.Curve) (float64, error) {
	if q.LimitCurve != nil {
		return func(c curve.Curve) (float64, error) { return leastDistance(c, *q.LimitCurve, q.Kind == "under") }
	}
	s, err := q.Of.Shape(b.ShapeOf)
	if err != nil || s == formula.Number {
		return nil
	}
	return func(c curve.Curve) (float64, error) {
		worst := c.Y[0]
		for _, y := range c.Y {
			if q.Limit.Margin(y) < q.Limit.Margin(worst) {
				worst = y
			}
		}
		return worst, nil
	}
}

// leastDistance is how far c stays below (or above) the limit where both exist: at the samples of either, between which
// both are straight.
func leastDistance(c, limit curve.Curve, under bool) (float64, error) {
	least := math.Inf(1)
	for _, x := range append(append([]float64{}, c.X...), limit.X...) {
		y, err := c.At(x)
		most, limitErr := limit.At(x)
		if err != nil || limitErr != nil {
			continue // one of them does not exist there
		}
		if !under {
			y, most = most, y
		}
		least = math.Min(least, most-y)
	}
	if math.IsInf(least, 1) {
		return 0, fmt.Errorf("the curve, from x = %g to %g, and its limit, from %g to %g, do not overlap", c.X[0], c.X[len(c.X)-1], limit.X[0], limit.X[len(limit.X)-1])
	}
	return least, nil
}
