package bench

import (
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// Worst reduces the vector or curve that a requirement limits to the one number on which its verdict hangs: the element
// with the least margin, or the least distance to a limit curve. It is nil for a requirement on a number.
func (b *Bench) Worst(q Requirement) func(curve.Curve) (float64, error) {
	if q.LimitCurve != nil {
		if q.Kind == "under" {
			return func(c curve.Curve) (float64, error) { return c.DistanceBelow(*q.LimitCurve) }
		}
		mirrored := q.LimitCurve.Mirrored()
		return func(c curve.Curve) (float64, error) { return c.Mirrored().DistanceBelow(mirrored) }
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
