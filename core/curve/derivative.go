package curve

import "math"

// A Derivative is how a curve moves when something changes: the derivatives of its samples. A nil X stays as it is.
type Derivative struct {
	X, Y []float64
}

func (t Derivative) x(i int) float64 {
	if t.X == nil {
		return 0
	}
	return t.X[i]
}

// The methods below give the derivative of what is read off a curve whose samples move by t. Where a reading hangs on
// one sample among equals, such as a peak that is reached twice, it is the first.

// FirstDerivative is the derivative of First, FinalDerivative that of Final.
func (c Curve) FirstDerivative(t Derivative) float64 { return t.Y[0] }

// FinalDerivative is the derivative of Final.
func (c Curve) FinalDerivative(t Derivative) float64 { return t.Y[len(t.Y)-1] }

// PeakDerivative is the derivative of Peak.
func (c Curve) PeakDerivative(t Derivative) float64 { return t.Y[c.index(c.Peak())] }

// TroughDerivative is the derivative of Trough.
func (c Curve) TroughDerivative(t Derivative) float64 { return t.Y[c.index(c.Trough())] }

// PeakAbsDerivative is the derivative of PeakAbs.
func (c Curve) PeakAbsDerivative(t Derivative) float64 {
	if c.Peak() >= -c.Trough() {
		return c.PeakDerivative(t)
	}
	return -c.TroughDerivative(t)
}

func (c Curve) index(value float64) int {
	for i, y := range c.Y {
		if y == value {
			return i
		}
	}
	return 0
}

// TotalDerivative is the derivative of Total.
func (c Curve) TotalDerivative(t Derivative) float64 { return Curve{Y: t.Y}.Total() }

// IntegralDerivative is the derivative of Integral.
func (c Curve) IntegralDerivative(t Derivative) float64 {
	sum := 0.0
	for i := range c.X[1:] {
		sum += (c.X[i+1]-c.X[i])*(t.Y[i]+t.Y[i+1])/2 + (t.x(i+1)-t.x(i))*(c.Y[i]+c.Y[i+1])/2
	}
	return sum
}

// MeanDerivative is the derivative of Mean.
func (c Curve) MeanDerivative(t Derivative) float64 {
	if c.X == nil || c.length() == 0 {
		return c.TotalDerivative(t) / float64(len(c.Y))
	}
	stretch := t.x(len(c.X)-1) - t.x(0)
	return (c.IntegralDerivative(t) - c.Mean()*stretch) / c.length()
}

// RMSDerivative is the derivative of RMS; 0 where that is 0.
func (c Curve) RMSDerivative(t Derivative) float64 {
	rms := c.RMS()
	if rms == 0 {
		return 0
	}
	squares, moves := Curve{X: c.X, Y: make([]float64, len(c.Y))}, Derivative{X: t.X, Y: make([]float64, len(c.Y))}
	for i, y := range c.Y {
		squares.Y[i], moves.Y[i] = y*y, 2*y*t.Y[i]
	}
	return squares.MeanDerivative(moves) / (2 * rms)
}

// AtDerivative is the derivative of At, where x moves by dx.
func (c Curve) AtDerivative(t Derivative, x, dx float64) float64 {
	if c.falls() {
		c, t = c.rising(), Derivative{X: reversed(t.X), Y: reversed(t.Y)}
	}
	for i := range c.X[1:] {
		if x <= c.X[i+1] {
			return c.lineDerivative(t, i, x, dx)
		}
	}
	return c.FinalDerivative(t)
}

// lineDerivative is how the value at x moves on the line from sample i to the next, where x moves by dx.
func (c Curve) lineDerivative(t Derivative, i int, x, dx float64) float64 {
	width := c.X[i+1] - c.X[i]
	if width == 0 {
		return t.Y[i+1]
	}
	share := (x - c.X[i]) / width
	shareMoves := ((dx - t.x(i)) - share*(t.x(i+1)-t.x(i))) / width
	return t.Y[i] + share*(t.Y[i+1]-t.Y[i]) + shareMoves*(c.Y[i+1]-c.Y[i])
}

// SlopeDerivative is the derivative of Slope.
func (c Curve) SlopeDerivative(t Derivative) Derivative {
	n := len(c.X)
	moves := Derivative{X: t.X, Y: make([]float64, n)}
	for i := range moves.Y {
		from, to := max(0, i-1), min(n-1, i+1)
		width := c.X[to] - c.X[from]
		slope := (c.Y[to] - c.Y[from]) / width
		moves.Y[i] = ((t.Y[to] - t.Y[from]) - slope*(t.x(to)-t.x(from))) / width
	}
	return moves
}

// WindowDerivative is the derivative of Window, whose ends move by da and db. An end that meets a sample moves on the line
// within the window.
func (c Curve) WindowDerivative(t Derivative, a, b, da, db float64) (moves Derivative) {
	last := len(c.X) - 1
	for _, p := range c.windowPoints(a, b) {
		dx, dy := t.x(p.sample), t.Y[p.sample]
		switch {
		case p.x == a && a > c.X[0] && a < c.X[last]:
			line := p.sample - 1
			for c.X[line+1] <= a {
				line++
			}
			dx, dy = da, c.lineDerivative(t, line, a, da)
		case p.x == b && b > c.X[0] && b < c.X[last]:
			line := p.sample - 1
			for c.X[line] >= b {
				line--
			}
			dx, dy = db, c.lineDerivative(t, line, b, db)
		}
		moves.X, moves.Y = append(moves.X, dx), append(moves.Y, dy)
	}
	return moves
}

// slope is how a crossing moves when the samples move by t and the level by dl.
func (at crossing) slope(c Curve, t Derivative, level, dl float64) float64 {
	i := max(0, at.segment)
	rise := c.Y[i+1] - c.Y[i]
	share := (level - c.Y[i]) / rise
	shareMoves := ((dl - t.Y[i]) - share*(t.Y[i+1]-t.Y[i])) / rise
	return t.x(i) + share*(t.x(i+1)-t.x(i)) + shareMoves*(c.X[i+1]-c.X[i])
}

// CrossingDerivative is the derivative of FirstCrossing, or of LastCrossing, where the level moves by dl; 0 where there is none.
func (c Curve) CrossingDerivative(t Derivative, last bool, level, dl float64) float64 {
	all := c.crossings(level)
	switch {
	case len(all) == 0:
		return 0
	case last:
		return all[len(all)-1].slope(c, t, level, dl)
	}
	return all[0].slope(c, t, level, dl)
}

// FrequencyDerivative is the derivative of Frequency.
func (c Curve) FrequencyDerivative(t Derivative, level, dl float64) float64 {
	from, to, n, err := c.periods(level)
	if err != nil {
		return 0 // there is no frequency either
	}
	first, last := c.periodDerivatives(t, level, dl, from, to)
	return -float64(n) * (last - first) / ((to - from) * (to - from))
}

// periodDerivatives is how the first and the last upward crossing move.
func (c Curve) periodDerivatives(t Derivative, level, dl, from, to float64) (first, last float64) {
	for _, at := range c.crossings(level) {
		if at.x == from {
			first = at.slope(c, t, level, dl)
		}
		if at.x == to {
			last = at.slope(c, t, level, dl)
		}
	}
	return first, last
}

// DutyDerivative is the derivative of Duty.
func (c Curve) DutyDerivative(t Derivative, level, dl float64) float64 {
	from, to, _, err := c.periods(level)
	if err != nil {
		return 0 // there is no duty either
	}
	duty, err := c.Duty(level)
	if err != nil {
		return 0
	}
	above, rose := 0.0, 0.0
	for _, at := range c.crossings(level) {
		switch moves := at.slope(c, t, level, dl); {
		case at.x < from || at.x > to:
		case at.upward:
			rose = moves
		default:
			above += moves - rose
		}
	}
	first, last := c.periodDerivatives(t, level, dl, from, to)
	return (above - duty*(last-first)) / (to - from)
}

// PresentValueDerivative is the derivative of PresentValue, where the rate moves by dr.
func (c Curve) PresentValueDerivative(t Derivative, rate, dr float64) float64 {
	sum := 0.0
	for i, y := range c.Y {
		discounted := math.Pow(1+rate, -c.X[i])
		sum += t.Y[i]*discounted - y*discounted*(math.Log1p(rate)*t.x(i)+c.X[i]/(1+rate)*dr)
	}
	return sum
}
