// Package pareto compares designs by several objectives, all to be made least: dominance, fronts, hypervolumes.
package pareto

import (
	"cmp"
	"math"
	"slices"
)

// Dominates is true where a is no worse than b in any objective, and better in one.
func Dominates(a, b []float64) bool {
	better := false
	for k, v := range a {
		if v > b[k] {
			return false
		}
		better = better || v < b[k]
	}
	return better
}

// Front lists the points that none of the others dominates, in their order. Of equal points the first is listed. A point with a NaN is not.
func Front(points [][]float64) []int {
	order := make([]int, 0, len(points))
	for i, p := range points {
		if !slices.ContainsFunc(p, math.IsNaN) {
			order = append(order, i)
		}
	}
	// none can dominate one that stands before it in this order
	slices.SortStableFunc(order, func(i, j int) int { return slices.Compare(points[i], points[j]) })
	var front []int
	for _, i := range order {
		if !slices.ContainsFunc(front, func(j int) bool { return Dominates(points[j], points[i]) || slices.Equal(points[j], points[i]) }) {
			front = append(front, i)
		}
	}
	slices.Sort(front)
	return front
}

// Layers gives every point the number of its front: 0 where none dominates it, 1 where only those do, and so on (K. Deb, A. Pratap, S.
// Agarwal and T. Meyarivan, IEEE Transactions on Evolutionary Computation 6 (2002)). Equal points are in one layer.
func Layers(points [][]float64) []int {
	layers := make([]int, len(points))
	dominated := make([]int, len(points)) // by how many
	beaten := make([][]int, len(points))
	for i := range points {
		for j := range i {
			switch {
			case Dominates(points[i], points[j]):
				beaten[i] = append(beaten[i], j)
				dominated[j]++
			case Dominates(points[j], points[i]):
				beaten[j] = append(beaten[j], i)
				dominated[i]++
			}
		}
	}
	var now []int
	for i, n := range dominated {
		if n == 0 {
			now = append(now, i)
		}
	}
	for layer := 0; len(now) > 0; layer++ {
		var next []int
		for _, i := range now {
			layers[i] = layer
			for _, j := range beaten[i] {
				if dominated[j]--; dominated[j] == 0 {
					next = append(next, j)
				}
			}
		}
		now = next
	}
	return layers
}

// Crowding is how far the neighbours of each point stand apart, as a share of the range of every objective, summed over them: infinite for
// the ends (Deb et al. 2002).
func Crowding(points [][]float64) []float64 {
	crowding := make([]float64, len(points))
	if len(points) == 0 {
		return crowding
	}
	order := make([]int, len(points))
	for i := range order {
		order[i] = i
	}
	for k := range points[0] {
		slices.SortStableFunc(order, func(i, j int) int { return cmp.Compare(points[i][k], points[j][k]) })
		first, last := order[0], order[len(order)-1]
		wide := points[last][k] - points[first][k]
		crowding[first], crowding[last] = math.Inf(1), math.Inf(1)
		if !(wide > 0) {
			continue
		}
		for at := 1; at < len(order)-1; at++ {
			crowding[order[at]] += (points[order[at+1]][k] - points[order[at-1]][k]) / wide
		}
	}
	return crowding
}

// Knee is the point of a front that bends it most: the farthest towards the ideal from the plane through the ends of the objectives, in shares of
// their ranges (I. Das, Structural Optimization 18 (1999)). It is -1 where fewer than three points stand there, or none stands before the plane.
func Knee(front [][]float64) int {
	if len(front) < 3 {
		return -1
	}
	least, most := slices.Clone(front[0]), slices.Clone(front[0])
	for _, p := range front {
		for k, v := range p {
			least[k], most[k] = math.Min(least[k], v), math.Max(most[k], v)
		}
	}
	// in shares the ends of two objectives are (0, 1) and (1, 0): the plane is where the shares sum up to 1, and of more objectives that
	// through the points at which one of them is worst
	best, farthest := -1, 0.0
	for i, p := range front {
		sum := 0.0
		for k, v := range p {
			if most[k] > least[k] {
				sum += (v - least[k]) / (most[k] - least[k])
			}
		}
		if before := (1 - sum) / math.Sqrt(float64(len(p))); before > farthest {
			best, farthest = i, before
		}
	}
	return best
}
