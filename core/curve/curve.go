// Package curve holds vectors and curves, and what is read off them.
package curve

import (
	"errors"
	"fmt"
	"math"
)

// A Curve is a vector Y over another, X, of the same length. A plain vector has no X.
type Curve struct {
	X, Y []float64
}

// Check returns an error where the curve is empty, its sides differ in length, or a value is not finite.
func (c Curve) Check() error {
	if len(c.Y) == 0 {
		return errors.New("it has no values")
	}
	if c.X != nil && len(c.X) != len(c.Y) {
		return fmt.Errorf("it has %d values of x and %d of y", len(c.X), len(c.Y))
	}
	for _, side := range [][]float64{c.X, c.Y} {
		for i, value := range side {
			if math.IsNaN(value) || math.IsInf(value, 0) {
				return fmt.Errorf("value %d is %g, not a finite number", i+1, value)
			}
		}
	}
	return nil
}

// Peak is the largest value of the samples.
func (c Curve) Peak() float64 {
	peak := math.Inf(-1)
	for _, y := range c.Y {
		peak = math.Max(peak, y)
	}
	return peak
}

// Trough is the smallest value of the samples.
func (c Curve) Trough() float64 {
	trough := math.Inf(1)
	for _, y := range c.Y {
		trough = math.Min(trough, y)
	}
	return trough
}

// Thin returns at most about n samples for drawing: in each of n/2 equal groups the smallest and the largest value
// stay, so that peaks are not lost.
func (c Curve) Thin(n int) Curve {
	if len(c.Y) <= n || n < 4 {
		return c
	}
	groups := n / 2
	thinned := Curve{}
	keep := func(i int) {
		thinned.Y = append(thinned.Y, c.Y[i])
		if c.X != nil {
			thinned.X = append(thinned.X, c.X[i])
		}
	}
	for g := range groups {
		from, to := g*len(c.Y)/groups, (g+1)*len(c.Y)/groups
		low, high := from, from
		for i := from; i < to; i++ {
			if c.Y[i] < c.Y[low] {
				low = i
			}
			if c.Y[i] > c.Y[high] {
				high = i
			}
		}
		keep(min(low, high))
		if low != high {
			keep(max(low, high))
		}
	}
	return thinned
}
