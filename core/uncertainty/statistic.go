package uncertainty

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
)

// A Statistic tells of draws that are equally probable by one number; slopes has by how much that grows with each of them, where it is not nil.
type Statistic func(draws, slopes []float64) float64

// ExpectedOf is the mean.
func ExpectedOf(draws, slopes []float64) float64 {
	sum := 0.0
	for i, x := range draws {
		sum += x
		if slopes != nil {
			slopes[i] = 1 / float64(len(draws))
		}
	}
	return sum / float64(len(draws))
}

// DeviationOf is the standard deviation, by the number of draws: EvenNormals have a deviation of 1 by that.
func DeviationOf(draws, slopes []float64) float64 {
	mean, n := ExpectedOf(draws, nil), float64(len(draws))
	squares := 0.0
	for _, x := range draws {
		squares += (x - mean) * (x - mean)
	}
	deviation := math.Sqrt(squares / n)
	for i := range slopes {
		if slopes[i] = 0; deviation > 0 {
			slopes[i] = (draws[i] - mean) / (n * deviation)
		}
	}
	return deviation
}

// QuantileOf is the quantile of a share, on the line between the two draws beside it: the i-th of n stands for the share of (i - 1/2)/n (A. Hazen,
// Transactions of the American Society of Civil Engineers 77 (1914)).
func QuantileOf(share float64) Statistic {
	return func(draws, slopes []float64) float64 {
		order := make([]int, len(draws))
		for i := range order {
			order[i] = i
		}
		slices.SortStableFunc(order, func(i, k int) int { return cmp.Compare(draws[i], draws[k]) })
		at := min(max(share*float64(len(draws))-0.5, 0), float64(len(draws)-1))
		below := int(at)
		above := min(below+1, len(draws)-1)
		part := at - float64(below)
		for i := range slopes {
			slopes[i] = 0
		}
		if slopes != nil {
			slopes[order[below]] += 1 - part
			slopes[order[above]] += part
		}
		return draws[order[below]]*(1-part) + draws[order[above]]*part
	}
}

// EvenNormals are n rows of independent standard normal numbers, a column for each of several inputs: a Latin hypercube whose columns have a mean of 0,
// a variance of 1 and no correlations among them as far as n allows, so that means of linear and squared values need few rows (J. C. Helton and F. J.
// Davis, Reliability Engineering and System Safety 81 (2003)).
func EvenNormals(r *rand.Rand, n, inputs int) core.Matrix {
	standard := make([]Distribution, inputs)
	for k := range standard {
		standard[k] = Normal(0, 1)
	}
	drawn := Draw(r, standard, n, true)
	means := make([]float64, inputs)
	for k := range inputs {
		for i := range n {
			means[k] += drawn.Row(i)[k] / float64(n)
		}
		for i := range n {
			drawn.Row(i)[k] -= means[k]
		}
	}
	covariance := mat.NewSymDense(inputs, nil)
	for a := range inputs {
		for b := range a + 1 {
			sum := 0.0
			for i := range n {
				sum += drawn.Row(i)[a] * drawn.Row(i)[b]
			}
			covariance.SetSym(a, b, sum/float64(n))
		}
	}
	var chol mat.Cholesky
	if n <= inputs || !chol.Factorize(covariance) {
		return drawn // too few rows to be told apart
	}
	var lower mat.TriDense
	chol.LTo(&lower)
	for i := range n {
		row := drawn.Row(i)
		for a := range inputs { // forward substitution
			for b := range a {
				row[a] -= lower.At(a, b) * row[b]
			}
			row[a] /= lower.At(a, a)
		}
	}
	return drawn
}
