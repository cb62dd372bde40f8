package uncertainty

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/integrate/quad"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distuv"

	"ropebench/core"
)

// A Joint is several numbers that scatter together: each has its distribution, and some are correlated. They are told by as many independent
// standard normal numbers (A. Nataf, Comptes Rendus de l'Academie des Sciences 225 (1962); A. Der Kiureghian and P.-L. Liu, Journal of
// Engineering Mechanics 112 (1986)).
type Joint struct {
	distributions []Distribution
	factor        [][]float64 // the lower Cholesky factor of the correlations of the normal numbers; nil: they are independent
}

// Independent numbers have no correlations.
func Independent(distributions []Distribution) Joint { return Joint{distributions: distributions} }

// A Contradiction are correlations that no numbers can have together.
type Contradiction struct {
	Numbers []int // three of them or more, the last of which contradicts those before
}

func (c Contradiction) Error() string { return "these correlations contradict each other" }

// ErrOutOfReach is a correlation that two numbers of such distributions cannot have.
var ErrOutOfReach = errors.New("two numbers with these distributions cannot be correlated so strongly")

// Correlated numbers have correlations: a symmetric matrix with ones on its diagonal. The error is a Contradiction, or wraps ErrOutOfReach.
func Correlated(distributions []Distribution, correlations [][]float64) (Joint, error) {
	n := len(distributions)
	normal := mat.NewSymDense(n, nil)
	independent := true
	for i := range n {
		normal.SetSym(i, i, 1)
		for k := range i {
			if correlations[i][k] == 0 {
				continue
			}
			independent = false
			rho, err := normalCorrelation(distributions[i], distributions[k], correlations[i][k])
			if err != nil {
				return Joint{}, err
			}
			normal.SetSym(i, k, rho)
		}
	}
	if independent {
		return Independent(distributions), nil
	}
	j := Joint{distributions: distributions, factor: make([][]float64, n)}
	var chol mat.Cholesky
	if !chol.Factorize(normal) {
		return Joint{}, contradiction(normal)
	}
	var lower mat.TriDense
	chol.LTo(&lower)
	for i := range n {
		j.factor[i] = make([]float64, n)
		for k := range i + 1 {
			j.factor[i][k] = lower.At(i, k)
		}
	}
	return j, nil
}

// contradiction finds the fewest numbers whose correlations contradict each other: three of them, or the first ones up to one that does.
func contradiction(c *mat.SymDense) Contradiction {
	n := c.SymmetricDim()
	possible := func(numbers []int) bool {
		part := mat.NewSymDense(len(numbers), nil)
		for i, a := range numbers {
			for k, b := range numbers[:i+1] {
				part.SetSym(i, k, c.At(a, b))
			}
		}
		var chol mat.Cholesky
		return chol.Factorize(part)
	}
	for a := range n {
		for b := range a {
			for d := range b {
				if !possible([]int{d, b, a}) {
					return Contradiction{Numbers: []int{d, b, a}}
				}
			}
		}
	}
	var first []int
	for i := range n {
		if first = append(first, i); !possible(first) {
			break
		}
	}
	return Contradiction{Numbers: first}
}

const (
	quadrature = 48   // nodes in each direction
	sameRho    = 1e-9 // to which a correlation is found
	mostRho    = 1 - 1e-6
)

// normalCorrelation is the correlation of two standard normal numbers that gives those of two distributions theirs.
func normalCorrelation(a, b Distribution, wanted float64) (float64, error) {
	nodes, weights := make([]float64, quadrature), make([]float64, quadrature)
	quad.Hermite{}.FixedLocations(nodes, weights, math.Inf(-1), math.Inf(1))
	moments := func(of func(z float64) float64) float64 {
		sum := 0.0
		for i, x := range nodes {
			sum += weights[i] / math.Sqrt(math.Pi) * of(math.Sqrt2*x)
		}
		return sum
	}
	at := func(d Distribution, z float64) float64 { return d.Quantile(standard(z)) }
	meanA, meanB := moments(func(z float64) float64 { return at(a, z) }), moments(func(z float64) float64 { return at(b, z) })
	deviation := func(d Distribution, mean float64) float64 {
		return math.Sqrt(moments(func(z float64) float64 { return math.Pow(at(d, z)-mean, 2) }))
	}
	scale := deviation(a, meanA) * deviation(b, meanB)
	given := func(rho float64) float64 {
		return moments(func(z float64) float64 {
			return (at(a, z) - meanA) * moments(func(w float64) float64 { return at(b, rho*z+math.Sqrt(1-rho*rho)*w) - meanB })
		}) / scale
	}
	low, high := -mostRho, mostRho
	if least, most := given(low), given(high); wanted < least || wanted > most {
		return 0, fmt.Errorf("%w: from %.3g to %.3g, and not %g", ErrOutOfReach, least, most, wanted)
	}
	for high-low > sameRho {
		if middle := low + (high-low)/2; given(middle) < wanted {
			low = middle
		} else {
			high = middle
		}
	}
	return low + (high-low)/2, nil
}

// standard is the probability that a standard normal number is at most z, neither 0 nor 1.
func standard(z float64) float64 {
	return min(max(distuv.UnitNormal.CDF(z), math.SmallestNonzeroFloat64), 1-0x1p-53)
}

// At are the numbers that belong to independent standard normal ones.
func (j Joint) At(normals []float64) []float64 {
	numbers := make([]float64, len(normals))
	for k, d := range j.distributions {
		z := normals[k]
		if j.factor != nil {
			z = 0
			for i, share := range j.factor[k] {
				z += share * normals[i]
			}
		}
		numbers[k] = quantileAt(d, z)
	}
	return numbers
}

// quantileAt is exact far out on either side: from above it is as far as 1 - p can be told.
func quantileAt(d Distribution, z float64) float64 {
	if n, is := d.(distuv.Normal); is {
		return n.Mu + n.Sigma*z
	}
	if n, is := d.(distuv.LogNormal); is {
		return math.Exp(n.Mu + n.Sigma*z)
	}
	return d.Quantile(standard(z))
}

// Draw gives n draws, a row for each: at random, or as a Latin hypercube, in which every one of the independent numbers has one draw in each of n
// parts of equal probability (M. D. McKay, R. J. Beckman and W. J. Conover, Technometrics 21 (1979)).
func (j Joint) Draw(r *rand.Rand, n int, latin bool) core.Matrix {
	if j.factor == nil {
		return Draw(r, j.distributions, n, latin)
	}
	normals := make([]Distribution, len(j.distributions))
	for k := range normals {
		normals[k] = distuv.UnitNormal
	}
	draws := Draw(r, normals, n, latin)
	for i := range n {
		copy(draws.Row(i), j.At(draws.Row(i)))
	}
	return draws
}
