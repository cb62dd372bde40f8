// Package uncertainty holds distributions of inputs, draws from them, and what follows for the values that depend on them: moments, quantiles
// and probabilities with their limits of confidence.
package uncertainty

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"
)

// A Distribution says how a number scatters.
type Distribution interface {
	// CDF is the probability of a value of at most x.
	CDF(x float64) float64
	// Quantile is the value that is not exceeded with a probability in [0, 1].
	Quantile(p float64) float64
}

// Normal has a mean and a standard deviation above 0.
func Normal(mean, deviation float64) Distribution { return distuv.Normal{Mu: mean, Sigma: deviation} }

// Lognormal has the mean and the standard deviation of the values themselves, both above 0.
func Lognormal(mean, deviation float64) Distribution {
	variance := math.Log1p(deviation * deviation / (mean * mean))
	return distuv.LogNormal{Mu: math.Log(mean) - variance/2, Sigma: math.Sqrt(variance)}
}

// Uniform is the same everywhere from lower to upper.
func Uniform(lower, upper float64) Distribution { return distuv.Uniform{Min: lower, Max: upper} }

// Triangular rises from lower to its mode and falls to upper.
func Triangular(lower, mode, upper float64) Distribution {
	return distuv.NewTriangle(lower, upper, mode, nil)
}

// Weibull has a shape and a scale above 0.
func Weibull(shape, scale float64) Distribution { return distuv.Weibull{K: shape, Lambda: scale} }

// Empirical runs through measured values, of which there are two or more, ascending: linear between the means of the shares of neighbours.
func Empirical(values []float64) Distribution { return empirical(slices.Clone(values)) }

type empirical []float64

func (e empirical) Quantile(p float64) float64 {
	at := min(max(p*float64(len(e))-0.5, 0), float64(len(e)-1))
	i := min(int(at), len(e)-2)
	return e[i] + (at-float64(i))*(e[i+1]-e[i])
}

func (e empirical) CDF(x float64) float64 {
	switch i, _ := slices.BinarySearch(e, x); {
	case x < e[0]:
		return 0
	case x >= e[len(e)-1]:
		return 1
	case i == 0:
		return 0.5 / float64(len(e))
	case e[i] == e[i-1]:
		return (float64(i) + 0.5) / float64(len(e))
	default:
		return (float64(i-1) + 0.5 + (x-e[i-1])/(e[i]-e[i-1])) / float64(len(e))
	}
}

// leastWithin is the probability that a distribution must have between two ends for what is between them to be drawn to some digits.
const leastWithin = 1e-9

// Within cuts a distribution off at both ends. The error says that next to nothing of it is between them.
func Within(d Distribution, lower, upper float64) (Distribution, error) {
	from, to := d.CDF(lower), d.CDF(upper)
	if !(to-from >= leastWithin) {
		return nil, fmt.Errorf("next to nothing of the distribution is between %g and %g", lower, upper)
	}
	return cut{Distribution: d, lower: lower, upper: upper, from: from, share: to - from}, nil
}

type cut struct {
	Distribution
	lower, upper, from, share float64
}

func (c cut) CDF(x float64) float64 {
	return min(max((c.Distribution.CDF(x)-c.from)/c.share, 0), 1)
}

func (c cut) Quantile(p float64) float64 {
	return min(max(c.Distribution.Quantile(c.from+p*c.share), c.lower), c.upper)
}
