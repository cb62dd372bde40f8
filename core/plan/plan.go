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

// LatinHypercube draws n points with a coordinate for each of levels, such that a coordinate has exactly one point in each of
// n equal parts of [0, 1] (M. D. McKay, R. J. Beckman, W. J. Conover, Technometrics 21 (1979)). Where levels names a number,
// the coordinate has that many equal parts, and each has as many points as any other, or one more.
func LatinHypercube(r *rand.Rand, n int, levels []int) [][]float64 {
	points := grid(n, len(levels))
	for j, count := range levels {
		if count == 0 {
			count = n
		}
		for i, part := range balanced(r, n, count) {
			points[i][j] = (float64(part) + r.Float64()) / float64(count)
		}
	}
	return points
}

// balanced gives n points to so many parts, each as often as any other or once more, in random order. Which parts have one
// more is random, too.
func balanced(r *rand.Rand, n, count int) []int {
	parts := make([]int, 0, n)
	for len(parts) < n {
		round := r.Perm(count)
		parts = append(parts, round[:min(count, n-len(parts))]...)
	}
	r.Shuffle(n, func(i, k int) { parts[i], parts[k] = parts[k], parts[i] })
	return parts
}

func grid(n, d int) [][]float64 {
	values := make([]float64, n*d)
	points := make([][]float64, n)
	for i := range points {
		points[i] = values[i*d : (i+1)*d : (i+1)*d]
	}
	return points
}

// A Plan gives n points with a coordinate for each of levels: into how many equal parts it is cut, 0 if it is not.
type Plan func(r *rand.Rand, n int, levels []int) ([][]float64, error)

// Plans has the sampling plans by their names in a bench file.
var Plans = map[string]Plan{
	"random":          func(r *rand.Rand, n int, levels []int) ([][]float64, error) { return Random(r, n, len(levels)), nil },
	"latin-hypercube": func(r *rand.Rand, n int, levels []int) ([][]float64, error) { return LatinHypercube(r, n, levels), nil },
	"sobol":           func(r *rand.Rand, n int, levels []int) ([][]float64, error) { return Sobol(r, n, len(levels)) },
}
