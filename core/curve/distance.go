package curve

import (
	"fmt"
	"math"
	"slices"
)

// DistanceBelow is the least distance, in y, by which the curve stays below limit where both exist; negative where it is
// above. Both are straight between their samples, and each side of a step counts. The curve may run to and fro; x of limit
// must grow or fall all the way. The error says that they do not overlap, or where the limit goes back.
func (c Curve) DistanceBelow(limit Curve) (float64, error) {
	limit = limit.rising()
	if err := limit.forwards(); err != nil {
		return 0, err
	}
	least, at := math.Inf(1), 0
	for i := range c.X {
		// The segment from the sample to the next; that of the last sample is the sample.
		from := edge{c.X[i], c.Y[i]}
		to := from
		if i+1 < len(c.X) {
			to = edge{c.X[i+1], c.Y[i+1]}
		}
		if to.x < from.x {
			from, to = to, from
		}
		for at > 0 && limit.X[at] >= from.x {
			at--
		}
		for at+1 < len(limit.X) && limit.X[at+1] < from.x {
			at++
		}
		for k := at; k < len(limit.X) && limit.X[k] <= to.x; k++ {
			next := min(k+1, len(limit.X)-1)
			least = math.Min(least, distance(from, to, edge{limit.X[k], limit.Y[k]}, edge{limit.X[next], limit.Y[next]}))
		}
	}
	if math.IsInf(least, 1) {
		return 0, fmt.Errorf("the curve, from x = %g to %g, and its limit, from %g to %g, do not overlap", slices.Min(c.X), slices.Max(c.X), limit.X[0], limit.X[len(limit.X)-1])
	}
	return least, nil
}

// An edge is one end of a segment.
type edge struct{ x, y float64 }

// distance is the least by which one segment stays below another where both exist, +Inf where they do not. Both are given
// from their lower x on.
func distance(from, to, limitFrom, limitTo edge) float64 {
	left, right := math.Max(from.x, limitFrom.x), math.Min(to.x, limitTo.x)
	if left > right {
		return math.Inf(1)
	}
	top := func(x float64) float64 { return reach(from, to, x, math.Max) }
	bottom := func(x float64) float64 { return reach(limitFrom, limitTo, x, math.Min) }
	return math.Min(bottom(left)-top(left), bottom(right)-top(right))
}

// reach is the y of a segment at x; of one that stands upright the end that further says.
func reach(from, to edge, x float64, further func(a, b float64) float64) float64 {
	switch {
	case from.x == to.x:
		return further(from.y, to.y)
	case x == to.x:
		return to.y
	}
	return from.y + (x-from.x)/(to.x-from.x)*(to.y-from.y)
}

// forwards returns an error where x goes back.
func (c Curve) forwards() error {
	for i := range c.X[1:] {
		if c.X[i+1] < c.X[i] {
			return fmt.Errorf("its x goes back from %g to %g at sample %d, and there must be one value for each x", c.X[i], c.X[i+1], i+2)
		}
	}
	return nil
}

// falls is true for a curve that ends at a smaller x than it began with.
func (c Curve) falls() bool { return len(c.X) > 1 && c.X[len(c.X)-1] < c.X[0] }

// rising is the curve with its samples in the order of growing x, where they stand in that of falling x.
func (c Curve) rising() Curve {
	if !c.falls() {
		return c
	}
	return Curve{X: reversed(c.X), Y: reversed(c.Y)}
}

func reversed(values []float64) []float64 {
	values = slices.Clone(values)
	slices.Reverse(values)
	return values
}

// Mirrored is the curve with its values negated.
func (c Curve) Mirrored() Curve {
	mirrored := Curve{X: c.X, Y: make([]float64, len(c.Y))}
	for i, y := range c.Y {
		mirrored.Y[i] = -y
	}
	return mirrored
}
