package plan

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
)

// LatinHypercube draws points such that a coordinate has exactly one in each of n equal parts of [0, 1] (M. D. McKay, R. J.
// Beckman, W. J. Conover, Technometrics 21 (1979)). Points that are added go where the parts for all of them are empty, so that a plan
// that is doubled is a Latin hypercube again.
func LatinHypercube(ctx context.Context, r *rand.Rand, stages, levels []int) (next func() ([]float64, error), err error) {
	return inStages(stages, len(levels), func(n int, before [][]float64) (func() []float64, error) {
		return stratified(ctx, r, n, levels, before, false)
	})
}

// stratified draws n points whose cut coordinates are in balance. One that is not cut has each value in a part of its own, or is free: uniform.
func stratified(ctx context.Context, r *rand.Rand, n int, levels []int, before [][]float64, free bool) (next func() []float64, err error) {
	parts := make([][]int32, len(levels)) // nil: free
	for j, count := range levels {
		if free && count == 0 {
			continue
		}
		if parts[j], err = spread(ctx, r, n, count, before[j]); err != nil {
			return nil, err
		}
	}
	i := -1
	return func() []float64 {
		i++
		point := make([]float64, len(levels))
		for j, count := range levels {
			if parts[j] == nil {
				point[j] = r.Float64()
			} else {
				point[j] = within(r, int(parts[j][i]), count, n+len(before[j]))
			}
		}
		return point
	}, nil
}

// MostMaximin bounds the points of a maximin Latin hypercube.
const MostMaximin = 2000

// MaximinLatinHypercube is a Latin hypercube whose points are as far from each other as exchanges of coordinates make them.
// The measure is the phi of M. D. Morris, T. J. Mitchell, Journal of Statistical Planning and Inference 43 (1995), which with a large
// power orders plans by their least distance, and by how often it occurs. Points of earlier stages stay where they are, and count.
func MaximinLatinHypercube(ctx context.Context, r *rand.Rand, stages, levels []int) (next func() ([]float64, error), err error) {
	sum := 0
	for _, n := range stages {
		sum += n
	}
	if sum > MostMaximin {
		return nil, fmt.Errorf("a maximin Latin hypercube has at most %d points, not %d: take latin-hypercube or sobol", MostMaximin, sum)
	}
	return inStages(stages, len(levels), func(n int, before [][]float64) (func() []float64, error) {
		draw, err := stratified(ctx, r, n, levels, before, false)
		if err != nil {
			return nil, err
		}
		e := exchange{fixed: len(before[0])}
		for i := range e.fixed {
			point := make([]float64, len(levels))
			for j := range point {
				point[j] = before[j][i]
			}
			e.points = append(e.points, point)
		}
		for range n {
			e.points = append(e.points, draw())
		}
		if err := e.improve(ctx, r); err != nil {
			return nil, err
		}
		i := e.fixed - 1
		return func() []float64 {
			i++
			return e.points[i]
		}, nil
	})
}

// An exchange moves the points of a plan apart by exchanging coordinates of two of them.
type exchange struct {
	points [][]float64
	fixed  int // the first ones stay
	// distances has the square of each distance, row by row.
	distances []float64
	// changed are those of two points after an exchange.
	changed [2][]float64
}

const (
	maximinPower   = 10         // of squared distances: 20 of distances
	exchangesOf    = 200        // for each point
	mostExchanged  = 20_000_000 // distances computed: less than a second
	leastSquare    = 1e-12      // points that coincide count as that near
	startingChance = 0.02       // an exchange that makes phi worse by this share is taken with a chance of 1/e at first
)

// improve is simulated annealing from a low temperature that falls to nothing; the best plan met is kept.
func (e *exchange) improve(ctx context.Context, r *rand.Rand) error {
	n, d := len(e.points), len(e.points[0])
	free := n - e.fixed
	if free < 2 || d < 2 {
		return nil
	}
	e.measure()
	phi := e.phi()
	best, bestPhi := e.copied(), phi
	rounds := min(exchangesOf*free*d, mostExchanged/n)
	for round := range rounds {
		if round%1000 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		a, b, j := e.fixed+r.IntN(free), e.fixed+r.IntN(free), r.IntN(d)
		if a == b || e.points[a][j] == e.points[b][j] {
			continue
		}
		after := phi + e.gain(a, b, j)
		temperature := startingChance * (1 - float64(round)/float64(rounds))
		if worse := math.Log(after/phi) / maximinPower; worse > 0 && r.Float64() >= math.Exp(-worse/temperature) {
			continue
		}
		e.take(a, b, j)
		if phi = after; phi < bestPhi {
			best, bestPhi = e.copied(), phi
		}
	}
	e.points = best
	return nil
}

func (e *exchange) copied() [][]float64 {
	points := make([][]float64, len(e.points))
	for i, point := range e.points {
		points[i] = append([]float64(nil), point...)
	}
	return points
}

func (e *exchange) measure() {
	n := len(e.points)
	e.distances, e.changed = make([]float64, n*n), [2][]float64{make([]float64, n), make([]float64, n)}
	for a := range n {
		for b := range n {
			for j, u := range e.points[a] {
				e.distances[a*n+b] += (u - e.points[b][j]) * (u - e.points[b][j])
			}
		}
	}
}

func (e *exchange) phi() float64 {
	sum, n := 0.0, len(e.points)
	for a := range n {
		for b := range a {
			sum += repulsion(e.distances[a*n+b])
		}
	}
	return sum
}

// repulsion is 1/square^maximinPower.
func repulsion(square float64) float64 {
	x := 1 / math.Max(square, leastSquare)
	x2 := x * x
	x4 := x2 * x2
	return x4 * x4 * x2
}

// gain is by how much phi changes if two points exchange a coordinate; the distances are those after it.
func (e *exchange) gain(a, b, j int) float64 {
	n, sum := len(e.points), 0.0
	ua, ub := e.points[a][j], e.points[b][j]
	rowA, rowB := e.distances[a*n:(a+1)*n], e.distances[b*n:(b+1)*n]
	for k, point := range e.points {
		if k == a || k == b {
			continue
		}
		u := point[j]
		by := (u-ub)*(u-ub) - (u-ua)*(u-ua)
		e.changed[0][k], e.changed[1][k] = rowA[k]+by, rowB[k]-by
		sum += repulsion(rowA[k]+by) - repulsion(rowA[k]) + repulsion(rowB[k]-by) - repulsion(rowB[k])
	}
	return sum
}

// take makes the exchange whose gain was asked last.
func (e *exchange) take(a, b, j int) {
	n := len(e.points)
	e.points[a][j], e.points[b][j] = e.points[b][j], e.points[a][j]
	for k := range n {
		if k != a && k != b {
			e.distances[a*n+k], e.distances[k*n+a] = e.changed[0][k], e.changed[0][k]
			e.distances[b*n+k], e.distances[k*n+b] = e.changed[1][k], e.changed[1][k]
		}
	}
}
