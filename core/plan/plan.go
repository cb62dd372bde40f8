// Package plan makes sampling plans: points of the unit cube.
package plan

import (
	"context"
	"math/rand/v2"
)

// NewRand returns the generator that every plan and method uses for a seed.
func NewRand(seed uint64) *rand.Rand {
	return rand.New(rand.NewPCG(seed, 0x6a09e667f3bcc909)) // the second word is arbitrary, and fixed
}

// A Plan prepares points with a coordinate for each of levels: into how many equal parts it is cut, 0 if it is not. Stages
// says how many points there are at first, and how many more each time the plan is continued: what is added leaves the points
// before it as they are, and spreads all of them together. Parts of a cut coordinate have as many points as any other, or one more, after
// each stage. The function that it returns gives one point after the other. The error is that of ctx, or says what cannot be made.
type Plan func(ctx context.Context, r *rand.Rand, stages, levels []int) (next func() ([]float64, error), err error)

// Plans has the plans of any number of points by their names in a bench file.
var Plans = map[string]Plan{"random": Random, "latin-hypercube": LatinHypercube, "maximin-latin-hypercube": MaximinLatinHypercube, "sobol": Sobol}

// All gives the points of a plan at once.
func All(ctx context.Context, plan Plan, r *rand.Rand, n int, levels []int) ([][]float64, error) {
	next, err := plan(ctx, r, []int{n}, levels)
	if err != nil {
		return nil, err
	}
	points := make([][]float64, n)
	for i := range points {
		if points[i], err = next(); err != nil {
			return nil, err
		}
	}
	return points, nil
}

// Draw draws n points of d coordinates, each uniform in [0, 1).
func Draw(r *rand.Rand, n, d int) [][]float64 {
	points := make([][]float64, n)
	for i := range points {
		points[i] = make([]float64, d)
		for j := range d {
			points[i][j] = r.Float64()
		}
	}
	return points
}

// Random draws points whose coordinates are uniform in [0, 1).
func Random(ctx context.Context, r *rand.Rand, stages, levels []int) (next func() ([]float64, error), err error) {
	return inStages(stages, len(levels), func(n int, before [][]float64) (func() []float64, error) {
		return stratified(ctx, r, n, levels, before, true)
	})
}

// inStages gives the points of each stage in turn. begin prepares n points, and is given the coordinates of all that stand
// before them: a list for each coordinate.
func inStages(stages []int, d int, begin func(n int, before [][]float64) (func() []float64, error)) (next func() ([]float64, error), err error) {
	stage, left := 0, stages[0]
	before, given := make([][]float64, d), make([][]float64, d)
	of, err := begin(left, before)
	return func() ([]float64, error) {
		for left == 0 && stage+1 < len(stages) {
			stage++
			left = stages[stage]
			copy(before, given)
			if of, err = begin(left, before); err != nil {
				return nil, err
			}
		}
		left--
		point := of()
		if stage+1 < len(stages) {
			for j, u := range point {
				given[j] = append(given[j], u)
			}
		}
		return point, nil
	}, err
}
