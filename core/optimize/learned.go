package optimize

import (
	"math"
	"slices"

	"ropebench/core/space"
)

// Learned is what a search has learned of a problem besides its designs: another search of the same objective over the same inputs, with
// other limits, ranges or starts, begins with it.
type Learned struct {
	Inputs     []string    `json:"inputs"`               // the continuous ones
	Widths     []float64   `json:"widths"`               // of their ranges, of logarithms where the scale is logarithmic
	Curvature  [][]float64 `json:"curvature,omitempty"`  // of the Lagrangian of what only the solver decides, over the unit cube
	Radius     float64     `json:"radius,omitempty"`     // of the trust region at last, in the unit cube
	Covariance [][]float64 `json:"covariance,omitempty"` // of the samples that came last, over the unit cube, with a mean variance of 1
}

// width is how long an axis of the unit cube is in the unit of its input.
func width(in space.Input) float64 {
	if in.Log {
		return math.Log(in.Upper / in.Lower)
	}
	return in.Upper - in.Lower
}

// learned collects what is known now; nil where nothing was learned.
func (l *landscape) learned(end *ending) *Learned {
	k := &Learned{Covariance: l.covariance}
	if end != nil {
		k.Curvature, k.Radius = end.curvature, end.radius
	}
	if k.Curvature == nil && k.Covariance == nil {
		return nil
	}
	for _, j := range l.axes {
		k.Inputs, k.Widths = append(k.Inputs, l.space[j].Name), append(k.Widths, width(l.space[j]))
	}
	return k
}

// fitted gives a matrix over the axes of an earlier search for those of this one: power is 1 for a curvature, -1 for a covariance. It is
// nil where there is none, or where other inputs move.
func (l *landscape) fitted(matrix func(*Learned) [][]float64, power float64) [][]float64 {
	if l.warm == nil || len(matrix(l.warm)) != len(l.axes) || len(l.warm.Inputs) != len(l.axes) || len(l.warm.Widths) != len(l.axes) {
		return nil
	}
	ratio := make([]float64, len(l.axes))
	for a, j := range l.axes {
		if l.warm.Inputs[a] != l.space[j].Name {
			return nil
		}
		ratio[a] = math.Pow(width(l.space[j])/l.warm.Widths[a], power)
	}
	fit := square(len(l.axes))
	for a, row := range matrix(l.warm) {
		if len(row) != len(l.axes) {
			return nil
		}
		for b, value := range row {
			fit[a][b] = value * ratio[a] * ratio[b]
			if math.IsNaN(fit[a][b]) || math.IsInf(fit[a][b], 0) {
				return nil
			}
		}
	}
	return fit
}

// beginWarm lets the first descent begin with the curvature that an earlier search has learned.
func (d *descent) beginWarm() {
	d.bend = d.fitted(func(k *Learned) [][]float64 { return k.Curvature }, 1)
	if d.scaled = d.bend != nil; d.scaled && d.warm.Radius > 0 {
		d.radius = min(mostRadius, max(d.warm.Radius, leastWarmRadius))
	}
}

// leastWarmRadius is that of a trust region at first, however small an earlier one had become: limits may have moved.
const leastWarmRadius = firstRadius / 4

// beginWarm lets the first distribution begin with the shape of an earlier one.
func (d *distribution) beginWarm() {
	fit := d.fitted(func(k *Learned) [][]float64 { return k.Covariance }, -1)
	if fit == nil {
		return
	}
	for a, i := range d.landscape.axes {
		for b, j := range d.landscape.axes[:a+1] {
			d.covariance.SetSym(i, j, fit[a][b])
		}
	}
	d.decompose()
}

// remember keeps the shape of a distribution that has gathered about the best design: its covariance over the continuous inputs, with a
// mean variance of 1.
func (l *landscape) remember(d *distribution) {
	best := l.Best()
	if best.Design == nil || d.count < len(d.mean) || distance(d.mean, l.space.Point(best.Design)) > gathered {
		return
	}
	trace := 0.0
	for _, j := range l.axes {
		trace += d.covariance.At(j, j)
	}
	if !(trace > 0) {
		return
	}
	l.covariance = square(len(l.axes))
	for a, i := range l.axes {
		for b, j := range l.axes {
			l.covariance[a][b] = d.covariance.At(i, j) * float64(len(l.axes)) / trace
		}
	}
}

// gathered is how near its mean is to the best design where a distribution tells something of its surroundings.
const gathered = 0.05

func clonedRows(rows [][]float64) [][]float64 {
	clone := make([][]float64, len(rows))
	for i, row := range rows {
		clone[i] = slices.Clone(row)
	}
	return clone
}
