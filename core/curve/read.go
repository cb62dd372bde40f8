package curve

import (
	"fmt"
	"math"
)

// First is the value of the first sample, Final that of the last.
func (c Curve) First() float64 { return c.Y[0] }

// Final is the value of the last sample.
func (c Curve) Final() float64 { return c.Y[len(c.Y)-1] }

// PeakAbs is the largest absolute value of the samples.
func (c Curve) PeakAbs() float64 { return math.Max(c.Peak(), -c.Trough()) }

// Total is the sum of the values.
func (c Curve) Total() float64 {
	sum := 0.0
	for _, y := range c.Y {
		sum += y
	}
	return sum
}

// Integral is the integral over x by the trapezoidal rule.
func (c Curve) Integral() float64 {
	return c.integrate(func(a, b float64) float64 { return (a + b) / 2 })
}

// integrate sums width times the mean that rule gives for the values at both sides of each interval.
func (c Curve) integrate(rule func(a, b float64) float64) float64 {
	sum := 0.0
	for i := range c.X[1:] {
		sum += (c.X[i+1] - c.X[i]) * rule(c.Y[i], c.Y[i+1])
	}
	return sum
}

func (c Curve) length() float64 { return c.X[len(c.X)-1] - c.X[0] }

// Mean of a vector is over its values; of a curve it is the integral over x divided by its length.
func (c Curve) Mean() float64 {
	if c.X == nil || c.length() == 0 {
		return c.Total() / float64(len(c.Y))
	}
	return c.Integral() / c.length()
}

// RMS is the root of the mean of the squares, the squares of a curve by the trapezoidal rule.
func (c Curve) RMS() float64 {
	squares := Curve{X: c.X, Y: make([]float64, len(c.Y))}
	for i, y := range c.Y {
		squares.Y[i] = y * y
	}
	return math.Sqrt(squares.Mean())
}

// Reaches is true for an x within the curve, ends included, whether its x grows or falls.
func (c Curve) Reaches(x float64) bool {
	first, last := c.X[0], c.X[len(c.X)-1]
	return x >= math.Min(first, last) && x <= math.Max(first, last)
}

// At is the value at x, linear between samples, at a step that before it. x must be within the range of the curve, whose x
// grows or falls all the way.
func (c Curve) At(x float64) (float64, error) {
	c = c.rising()
	if err := c.forwards(); err != nil {
		return 0, err
	}
	if !c.Reaches(x) {
		return 0, fmt.Errorf("x = %g is outside of the curve, which runs from %g to %g", x, c.X[0], c.X[len(c.X)-1])
	}
	for i := range c.X[1:] {
		if x <= c.X[i+1] {
			return between(c, i, x), nil
		}
	}
	return c.Final(), nil
}

// between is the value at x on the line from sample i to the next.
func between(c Curve, i int, x float64) float64 {
	if c.X[i+1] == c.X[i] {
		return c.Y[i+1]
	}
	return c.Y[i] + (x-c.X[i])/(c.X[i+1]-c.X[i])*(c.Y[i+1]-c.Y[i])
}

// Slope is the curve of differences: central, weighted by distance, and one-sided at the ends.
func (c Curve) Slope() (Curve, error) {
	n := len(c.X)
	if n < 2 {
		return Curve{}, fmt.Errorf("a slope needs two samples, and there is one")
	}
	slope := Curve{X: c.X, Y: make([]float64, n)}
	for i := range slope.Y {
		from, to := max(0, i-1), min(n-1, i+1)
		if c.X[to] == c.X[from] {
			return Curve{}, fmt.Errorf("the slope at x = %g is not finite: two samples have the same x", c.X[i])
		}
		slope.Y[i] = (c.Y[to] - c.Y[from]) / (c.X[to] - c.X[from])
	}
	return slope, nil
}

// Window is the part with a <= x <= b: every sample in it, and where an end is between two samples the value there. x of
// the curve does not go back.
func (c Curve) Window(a, b float64) (Curve, error) {
	if err := c.forwards(); err != nil {
		return Curve{}, err
	}
	points := c.windowPoints(a, b)
	if len(points) == 0 {
		return Curve{}, fmt.Errorf("the window is empty: the curve runs from %g to %g", c.X[0], c.X[len(c.X)-1])
	}
	var part Curve
	for _, p := range points {
		y := c.Y[p.sample]
		if p.x < c.X[p.sample] {
			y = between(c, p.sample-1, p.x)
		}
		part.X, part.Y = append(part.X, p.x), append(part.Y, y)
	}
	return part, nil
}

// A windowPoint is a sample of a window: that sample of the curve, or x on the line that ends in it.
type windowPoint struct {
	sample int
	x      float64
}

func (c Curve) windowPoints(a, b float64) (points []windowPoint) {
	for i, x := range c.X {
		for k, end := range []float64{a, b} {
			isEnd := k == 0 && a <= b || a < b
			if isEnd && i > 0 && c.X[i-1] < end && end < x {
				points = append(points, windowPoint{i, end})
			}
		}
		if a <= x && x <= b {
			points = append(points, windowPoint{i, x})
		}
	}
	return points
}

// A crossing is where the curve passes a level.
type crossing struct {
	x       float64
	upward  bool
	segment int // it lies between this sample and the next
}

// crossings finds where the value passes the level, linear between samples. A sample on the level counts once, with
// the direction in which the curve leaves it behind; one that only touches the level is no crossing.
func (c Curve) crossings(level float64) []crossing {
	var found []crossing
	side, at := 0, 0 // on which side the curve was last, and the sample where it reached the level since
	for i, y := range c.Y {
		now := sign(y - level)
		switch {
		case now == 0 && side != 0 && (i == 0 || sign(c.Y[i-1]-level) != 0):
			at = i
		case now != 0 && side != 0 && now != side:
			if sign(c.Y[i-1]-level) != 0 {
				x := c.X[i-1] + (level-c.Y[i-1])/(y-c.Y[i-1])*(c.X[i]-c.X[i-1])
				found = append(found, crossing{x: x, upward: now > 0, segment: i - 1})
			} else {
				found = append(found, crossing{x: c.X[at], upward: now > 0, segment: at - 1})
			}
		}
		if now != 0 {
			side = now
		}
	}
	return found
}

func sign(x float64) int {
	switch {
	case x > 0:
		return 1
	case x < 0:
		return -1
	}
	return 0
}

// FirstCrossing and LastCrossing are where the value passes the level, either way; found is false if it never does.
func (c Curve) FirstCrossing(level float64) (x float64, found bool) {
	all := c.crossings(level)
	if len(all) == 0 {
		return 0, false
	}
	return all[0].x, true
}

// LastCrossing is where the value passes the level for the last time.
func (c Curve) LastCrossing(level float64) (x float64, found bool) {
	all := c.crossings(level)
	if len(all) == 0 {
		return 0, false
	}
	return all[len(all)-1].x, true
}

// periods gives the first and the last upward crossing and how many whole periods are between them.
func (c Curve) periods(level float64) (from, to float64, n int, err error) {
	n = -1
	for _, at := range c.crossings(level) {
		if !at.upward {
			continue
		}
		if n++; n == 0 {
			from = at.x
		}
		to = at.x
	}
	if n < 1 {
		return 0, 0, 0, fmt.Errorf("the curve rises through %g fewer than two times: there is no whole period", level)
	}
	return from, to, n, nil
}

// Frequency is the whole periods between the first and the last upward crossing of the level, divided by the x
// between them.
func (c Curve) Frequency(level float64) (float64, error) {
	from, to, n, err := c.periods(level)
	return float64(n) / (to - from), err
}

// Duty is the share of x above the level, between the first and the last upward crossing.
func (c Curve) Duty(level float64) (float64, error) {
	from, to, _, err := c.periods(level)
	if err != nil {
		return 0, err
	}
	above, rose := 0.0, from
	for _, at := range c.crossings(level) {
		switch {
		case at.x < from || at.x > to:
		case at.upward:
			rose = at.x
		default:
			above += at.x - rose
		}
	}
	return above / (to - from), nil
}

// PresentValue discounts a stream of money: the sum of y/(1 + rate)^x, x in periods.
func (c Curve) PresentValue(rate float64) float64 {
	sum := 0.0
	for i, y := range c.Y {
		sum += y / math.Pow(1+rate, c.X[i])
	}
	return sum
}
