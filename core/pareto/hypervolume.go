package pareto

import (
	"cmp"
	"slices"
)

// Hypervolume is the volume that points dominate up to a reference point, which is worse than all that count in every objective; exact. Points
// beyond the reference count for nothing. Two objectives are swept (n log n), three are swept with a staircase; more are the sum of exclusive
// volumes (L. While, L. Bradstreet and L. Barone, IEEE Transactions on Evolutionary Computation 16 (2012)).
func Hypervolume(points [][]float64, reference []float64) float64 {
	var inside [][]float64
	for _, p := range points {
		if within(p, reference) {
			inside = append(inside, p)
		}
	}
	if len(inside) == 0 {
		return 0
	}
	return volume(inside, reference)
}

func within(p, reference []float64) bool {
	for k, v := range p {
		if !(v < reference[k]) {
			return false
		}
	}
	return true
}

func volume(points [][]float64, reference []float64) float64 {
	switch len(reference) {
	case 1:
		return reference[0] - slices.MinFunc(points, func(a, b []float64) int { return cmp.Compare(a[0], b[0]) })[0]
	case 2:
		return area(points, reference)
	case 3:
		return swept(points, reference)
	}
	return exclusive(points, reference)
}

// area sweeps two objectives.
func area(points [][]float64, reference []float64) float64 {
	sorted := slices.Clone(points)
	slices.SortFunc(sorted, func(a, b []float64) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	sum, height := 0.0, reference[1]
	for _, p := range sorted {
		if p[1] < height {
			sum += (reference[0] - p[0]) * (height - p[1])
			height = p[1]
		}
	}
	return sum
}

// swept goes along the third objective with the staircase of the first two.
func swept(points [][]float64, reference []float64) float64 {
	sorted := slices.Clone(points)
	slices.SortFunc(sorted, func(a, b []float64) int { return cmp.Compare(a[2], b[2]) })
	var stairs [][2]float64 // ascending in the first, descending in the second
	covered, sum := 0.0, 0.0
	for i, p := range sorted {
		if i > 0 {
			sum += covered * (p[2] - sorted[i-1][2])
		}
		stairs, covered = stepped(stairs, [2]float64{p[0], p[1]}, reference, covered)
	}
	return sum + covered*(reference[2]-sorted[len(sorted)-1][2])
}

// stepped adds a point to a staircase, and what it covers to the area.
func stepped(stairs [][2]float64, p [2]float64, reference []float64, covered float64) ([][2]float64, float64) {
	at, _ := slices.BinarySearchFunc(stairs, p, func(s, p [2]float64) int { return cmp.Compare(s[0], p[0]) })
	height := reference[1]
	if at > 0 {
		height = stairs[at-1][1]
	}
	if height <= p[1] {
		return stairs, covered // it is dominated
	}
	end, x := at, p[0]
	for ; end < len(stairs) && stairs[end][1] >= p[1]; end++ {
		covered += (stairs[end][0] - x) * (height - p[1])
		x, height = stairs[end][0], stairs[end][1]
	}
	right := reference[0]
	if end < len(stairs) {
		right = stairs[end][0]
	}
	covered += (right - x) * (height - p[1])
	return slices.Replace(stairs, at, end, p), covered
}

// exclusive sums up what each point covers that those behind it do not.
func exclusive(points [][]float64, reference []float64) float64 {
	last := len(reference) - 1
	sorted := slices.Clone(points)
	slices.SortFunc(sorted, func(a, b []float64) int { return -cmp.Compare(a[last], b[last]) }) // the worst first: what limits it is a slice
	sum := 0.0
	for i, p := range sorted {
		sum += (reference[last] - p[last]) * alone(p, sorted[i+1:], reference)
	}
	return sum
}

// alone is what a point covers in all objectives but the last that those behind it, which are no worse in the last, do not cover.
func alone(p []float64, behind [][]float64, reference []float64) float64 {
	last := len(reference) - 1
	box := 1.0
	for k := range last {
		box *= reference[k] - p[k]
	}
	if len(behind) == 0 {
		return box
	}
	limited := make([][]float64, 0, len(behind))
	for _, q := range behind {
		worse := make([]float64, last)
		for k := range worse {
			worse[k] = max(p[k], q[k])
		}
		limited = append(limited, worse)
	}
	keep := Front(limited)
	front := make([][]float64, len(keep))
	for i, k := range keep {
		front[i] = limited[k]
	}
	return box - Hypervolume(front, reference[:last])
}
