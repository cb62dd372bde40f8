package uncertainty

import (
	"context"
	"math"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat/distuv"
)

// A LimitState gives the margins of a requirement at points of independent standard normal numbers: below 0 where it is missed, NaN where it cannot
// be told.
type LimitState func(ctx context.Context, points [][]float64) ([]float64, error)

// A DesignPoint is the most probable one at which a requirement is missed.
type DesignPoint struct {
	At    []float64 // in standard normal numbers
	Index float64   // of reliability: its distance from the origin, below 0 where the requirement is missed there
	// Shares are those of the numbers in the distance, squared, with the sign of the direction in which the requirement is missed; their sizes add up
	// to 1.
	Shares []float64
	Asked  int
	// Found is false where no such point was found: Says why.
	Found bool
	Says  string
}

// Probability is that of a miss, as far as the limit is a plane near to the design point.
func (d DesignPoint) Probability() float64 { return distuv.UnitNormal.CDF(-d.Index) }

const (
	slopeStep   = 0.01 // of differences, in standard deviations
	mostSteps   = 60
	nearLimit   = 1e-3 // of the margin at the median, within which a point is on the limit: what is left of the distance follows from the slope
	alongside   = 1e-6 // by which the cosine between the slope and the point may differ from 1: the distance then differs by as large a share
	atOrigin    = 1e-6 // deviations, within which every direction is right
	mostFar     = 8.0  // deviations, beyond which a miss is less probable than 1e-15
	mostHalving = 8
)

// FirstOrder finds the design point of n standard normal numbers by at most so many margins: the iteration of A. M. Hasofer and N. C. Lind, Journal of
// the Engineering Mechanics Division 100 (1974), and R. Rackwitz and B. Fiessler, Computers and Structures 9 (1978), with the merit function of
// Y. Zhang and A. Der Kiureghian (1995), from a start; nil: the median. Slopes are central differences. An error is that of the limit state.
func FirstOrder(ctx context.Context, n int, margin LimitState, most int, start []float64) (DesignPoint, error) {
	d := DesignPoint{At: make([]float64, n), Shares: make([]float64, n)}
	copy(d.At, start)
	value, slope, err := d.slopes(ctx, margin)
	if err != nil {
		return d, err
	}
	scale := math.Max(math.Abs(value), math.SmallestNonzeroFloat64)
	for range mostSteps {
		length := floats.Norm(slope, 2)
		switch {
		case math.IsNaN(value) || math.IsNaN(length):
			return d.without("the solver gives no values on the way to where it would be missed: draws by latin-hypercube count such failures"), nil
		case length == 0:
			return d.without("its margin does not change with small changes of what scatters"), nil
		case math.Abs(value) <= nearLimit*scale && d.stands(slope, length):
			return d.found(value, slope, length), nil
		case d.Asked >= most:
			return d.without("the evaluations were used up before the most probable miss was found: ask for more points"), nil
		}
		// the nearest point of the plane that touches the margin here
		to := make([]float64, n)
		share := (floats.Dot(slope, d.At) - value) / (length * length)
		for k := range to {
			to[k] = share * slope[k]
		}
		if floats.Norm(to, 2) > 2*mostFar {
			floats.Scale(2*mostFar/floats.Norm(to, 2), to)
		}
		before := d.At
		price := 2*floats.Norm(before, 2)/length + 10
		merit := func(at []float64, margin float64) float64 { return floats.Dot(at, at)/2 + price*math.Abs(margin) }
		here := merit(before, value)
		part := 1.0
		for halving := 0; ; halving++ {
			next := make([]float64, n)
			for k := range next {
				next[k] = before[k] + part*(to[k]-before[k])
			}
			margins, err := margin(ctx, [][]float64{next})
			if d.Asked++; err != nil {
				return d, err
			}
			if d.At = next; merit(next, margins[0]) < here || halving >= mostHalving {
				break
			}
			part /= 2
		}
		if floats.Norm(d.At, 2) > mostFar {
			d.Index = mostFar
			return d.without("no most probable failure point lies within 8 standard deviations in the direction of the gradient"), nil
		}
		if value, slope, err = d.slopes(ctx, margin); err != nil {
			return d, err
		}
	}
	return d.without("the most probable miss was not found in 60 steps: the margin may have edges, and draws by latin-hypercube do not mind these"), nil
}

// without says why there is no design point.
func (d DesignPoint) without(says string) DesignPoint {
	d.Says = says
	return d
}

// stands is true where the point lies along the slope, as the nearest one of the limit does.
func (d DesignPoint) stands(slope []float64, length float64) bool {
	distance := floats.Norm(d.At, 2)
	if distance < atOrigin {
		return true
	}
	return 1-math.Abs(floats.Dot(slope, d.At))/(length*distance) <= alongside
}

func (d DesignPoint) found(value float64, slope []float64, length float64) DesignPoint {
	d.Found = true
	d.Index = (value - floats.Dot(slope, d.At)) / length
	for k, s := range slope {
		d.At[k] = -d.Index * s / length
	}
	for k, s := range slope {
		d.Shares[k] = -math.Copysign(s*s/(length*length), s)
	}
	return d
}

// slopes are the margin at the point and its slopes.
func (d *DesignPoint) slopes(ctx context.Context, margin LimitState) (value float64, slope []float64, err error) {
	points := [][]float64{append([]float64(nil), d.At...)}
	for k := range d.At {
		for _, step := range []float64{slopeStep, -slopeStep} {
			point := append([]float64(nil), d.At...)
			point[k] += step
			points = append(points, point)
		}
	}
	margins, err := margin(ctx, points)
	d.Asked += len(points)
	if err != nil {
		return 0, nil, err
	}
	slope = make([]float64, len(d.At))
	for k := range slope {
		slope[k] = (margins[1+2*k] - margins[2+2*k]) / (2 * slopeStep)
	}
	return margins[0], slope, nil
}
