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

// A Plan prepares n points with a coordinate for each of levels: into how many equal parts it is cut, 0 if it is not. The
// function that it returns gives one after the other, n in all. The error is that of ctx, or says what cannot be made.
type Plan func(ctx context.Context, r *rand.Rand, n int, levels []int) (next func() []float64, err error)

// Plans has the sampling plans by their names in a bench file.
var Plans = map[string]Plan{"random": Random, "latin-hypercube": LatinHypercube, "sobol": Sobol}

// All gives the points of a plan at once.
func All(ctx context.Context, plan Plan, r *rand.Rand, n int, levels []int) ([][]float64, error) {
	next, err := plan(ctx, r, n, levels)
	if err != nil {
		return nil, err
	}
	points := make([][]float64, n)
	for i := range points {
		points[i] = next()
	}
	return points, nil
}

// Random draws points whose coordinates are uniform in [0, 1).
func Random(_ context.Context, r *rand.Rand, _ int, levels []int) (next func() []float64, err error) {
	return func() []float64 { return Draw(r, 1, len(levels))[0] }, nil
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

// LatinHypercube draws points such that a coordinate has exactly one in each of n equal parts of [0, 1] (M. D. McKay, R. J.
// Beckman, W. J. Conover, Technometrics 21 (1979)). Where levels names a number, the coordinate has that many equal parts, and
// each has as many points as any other, or one more.
func LatinHypercube(ctx context.Context, r *rand.Rand, n int, levels []int) (next func() []float64, err error) {
	parts := make([][]int32, len(levels))
	for j, count := range levels {
		if count == 0 || count > n {
			count = n
		}
		if parts[j], err = balanced(ctx, r, n, count); err != nil {
			return nil, err
		}
	}
	i := -1
	return func() []float64 {
		i++
		point := make([]float64, len(levels))
		for j, count := range levels {
			switch part := int(parts[j][i]); {
			case count == 0:
				point[j] = (float64(part) + r.Float64()) / float64(n)
			case count > n: // one of the levels that begin in the part
				first, behind := ceilDivide(part*count, n), ceilDivide((part+1)*count, n)
				point[j] = (float64(first+r.IntN(behind-first)) + r.Float64()) / float64(count)
			default:
				point[j] = (float64(part) + r.Float64()) / float64(count)
			}
		}
		return point
	}, nil
}

func ceilDivide(a, b int) int { return (a + b - 1) / b }

// balanced gives n points to so many parts, n at most, each as often as any other or once more, in random order. Which parts
// have one more is random, too.
func balanced(ctx context.Context, r *rand.Rand, n, count int) ([]int32, error) {
	all := make([]int32, count)
	for i := range all {
		all[i] = int32(i)
	}
	parts := make([]int32, 0, n)
	for len(parts) < n {
		if n-len(parts) < count { // these have one more
			if err := shuffle(ctx, r, all); err != nil {
				return nil, err
			}
		}
		parts = append(parts, all[:min(count, n-len(parts))]...)
	}
	return parts, shuffle(ctx, r, parts)
}

// looksAfter is how many numbers are shuffled before it is looked whether that is still wanted.
const looksAfter = 1 << 20

// shuffle is that of R. Durstenfeld, Communications of the ACM 7 (1964).
func shuffle(ctx context.Context, r *rand.Rand, all []int32) error {
	for i := len(all) - 1; i > 0; i-- {
		if i%looksAfter == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		j := r.IntN(i + 1)
		all[i], all[j] = all[j], all[i]
	}
	return ctx.Err()
}
