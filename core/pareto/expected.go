package pareto

import (
	"cmp"
	"math"
	"slices"
)

// A Box is a part of the space of objectives: from Lower, which may be infinitely far, to Upper.
type Box struct{ Lower, Upper []float64 }

// Boxes divides what no point of a front dominates, up to a reference point, into boxes that do not overlap: slabs of the last objective,
// each divided in the others (of the kind of K. Yang, M. Emmerich, A. Deutz and T. Baeck, Journal of Global Optimization 75 (2019)).
func Boxes(front [][]float64, reference []float64) []Box {
	last := len(reference) - 1
	if last == 0 {
		upper := reference[0]
		for _, p := range front {
			upper = min(upper, p[0])
		}
		return []Box{{Lower: []float64{math.Inf(-1)}, Upper: []float64{upper}}}
	}
	sorted := slices.Clone(front)
	slices.SortStableFunc(sorted, func(a, b []float64) int { return cmp.Compare(a[last], b[last]) })
	var boxes []Box
	var before [][]float64 // of the points below a slab, in the other objectives
	lower := math.Inf(-1)
	for i := 0; i <= len(sorted); i++ {
		upper := reference[last]
		if i < len(sorted) {
			upper = min(upper, sorted[i][last])
		}
		if lower < upper {
			for _, box := range Boxes(before, reference[:last]) {
				boxes = stacked(boxes, box, lower, upper)
			}
			lower = upper
		}
		if i < len(sorted) {
			before = nondominated(append(before, sorted[i][:last]))
		}
	}
	return boxes
}

// stacked adds a box of the other objectives from lower to upper, on top of the same one of the slab below where there is one: so there are
// few in all.
func stacked(boxes []Box, box Box, lower, upper float64) []Box {
	last := len(box.Lower)
	for i := len(boxes) - 1; i >= 0; i-- {
		below := boxes[i]
		if below.Upper[last] == lower && slices.Equal(below.Lower[:last], box.Lower) && slices.Equal(below.Upper[:last], box.Upper) {
			below.Upper[last] = upper
			return boxes
		}
	}
	return append(boxes, Box{Lower: append(slices.Clone(box.Lower), lower), Upper: append(slices.Clone(box.Upper), upper)})
}

func nondominated(points [][]float64) [][]float64 {
	var kept [][]float64
	for _, i := range Front(points) {
		kept = append(kept, points[i])
	}
	return kept
}

// ExpectedGain is by how much a point is expected to enlarge the hypervolume whose complement the boxes are: its objectives are believed to be
// normal with some means and deviations, of which any may be 0, and independent.
func ExpectedGain(boxes []Box, means, deviations []float64) float64 {
	sum := 0.0
	for _, box := range boxes {
		volume := 1.0
		for k, mean := range means {
			volume *= ExpectedBelow(box.Upper[k]-mean, deviations[k]) - ExpectedBelow(box.Lower[k]-mean, deviations[k])
			if volume <= 0 {
				break
			}
		}
		sum += max(0, volume)
	}
	return sum
}

// ExpectedBelow is how far below a level a normal value is expected to be, counting nothing where it is above: the level stands some gain above
// its mean. It is the expected improvement of D. R. Jones, M. Schonlau and W. J. Welch, Journal of Global Optimization 13 (1998).
func ExpectedBelow(gain, deviation float64) float64 {
	if deviation <= 0 || math.IsInf(gain, 0) {
		return max(0, gain)
	}
	u := gain / deviation
	return max(0, gain*math.Erfc(-u/math.Sqrt2)/2+deviation*math.Exp(-u*u/2)/math.Sqrt(2*math.Pi))
}
