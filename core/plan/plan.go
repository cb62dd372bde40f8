// Package plan makes sampling plans: points of the unit cube.
package plan

import "math/rand/v2"

// NewRand returns the generator that every plan and method uses for a seed.
func NewRand(seed uint64) *rand.Rand {
	return rand.New(rand.NewPCG(seed, 0x6a09e667f3bcc909)) // the second word is arbitrary, and fixed
}

// Random draws n points of d coordinates, each uniform in [0, 1).
func Random(r *rand.Rand, n, d int) [][]float64 {
	points := grid(n, d)
	for _, point := range points {
		for j := range point {
			point[j] = r.Float64()
		}
	}
	return points
}

// LatinHypercube draws n points of d coordinates such that each coordinate has exactly one point in each of n equal
// parts of [0, 1]. M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21 (1979).
func LatinHypercube(r *rand.Rand, n, d int) [][]float64 {
	points := grid(n, d)
	for j := range d {
		for i, part := range r.Perm(n) {
			points[i][j] = (float64(part) + r.Float64()) / float64(n)
		}
	}
	return points
}

func grid(n, d int) [][]float64 {
	values := make([]float64, n*d)
	points := make([][]float64, n)
	for i := range points {
		points[i] = values[i*d : (i+1)*d : (i+1)*d]
	}
	return points
}

// A Plan gives n points of d coordinates.
type Plan func(r *rand.Rand, n, d int) ([][]float64, error)

// Plans has the sampling plans by their names in a bench file.
var Plans = map[string]Plan{
	"random":          func(r *rand.Rand, n, d int) ([][]float64, error) { return Random(r, n, d), nil },
	"latin-hypercube": func(r *rand.Rand, n, d int) ([][]float64, error) { return LatinHypercube(r, n, d), nil },
	"sobol":           Sobol,
}
