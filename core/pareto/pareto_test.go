package pareto

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core/plan"
)

func TestFrontsHaveNoDominatedPoint(t *testing.T) {
	t.Parallel()
	points := [][]float64{{1, 5}, {2, 3}, {2, 3}, {4, 4}, {3, 1}, {3, 2}, {math.NaN(), 0}}
	assert.Equal(t, []int{0, 1, 4}, Front(points))
	assert.Equal(t, []int{0, 0, 0, 2, 0, 1}, Layers(points[:6]), "equal points are in one layer")
	assert.Equal(t, []int{0, 1, 2, 3}, Layers([][]float64{{0, 0}, {1, 1}, {2, 2}, {3, 3}}))
	assert.Empty(t, Front(nil))
	r := plan.NewRand(1)
	for range 50 {
		drawn := plan.Draw(r, 40, 3)
		front := Front(drawn)
		for i, p := range drawn {
			dominated := slices.ContainsFunc(drawn, func(q []float64) bool { return Dominates(q, p) })
			assert.Equal(t, !dominated, slices.Contains(front, i))
			assert.Equal(t, !dominated, Layers(drawn)[i] == 0)
		}
	}
}

func TestCrowdingIsLargeWherePointsStandAlone(t *testing.T) {
	t.Parallel()
	crowding := Crowding([][]float64{{0, 10}, {1, 9}, {2, 8}, {6, 3}, {10, 0}})
	assert.True(t, math.IsInf(crowding[0], 1) && math.IsInf(crowding[4], 1))
	assert.InDelta(t, 0.2+0.2, crowding[1], 1e-12)
	assert.Greater(t, crowding[3], crowding[2])
	assert.Empty(t, Crowding(nil))
	assert.Equal(t, []float64{math.Inf(1), 0, math.Inf(1)}, Crowding([][]float64{{1}, {1}, {1}}), "no range, no distance")
}

func TestTheKneeBendsMost(t *testing.T) {
	t.Parallel()
	assert.Equal(t, 1, Knee([][]float64{{0, 100}, {2, 20}, {50, 10}, {100, 0}}))
	assert.Equal(t, -1, Knee([][]float64{{0, 1}, {1, 0}}), "two ends have no knee")
	assert.Equal(t, -1, Knee([][]float64{{0, 4}, {3, 3}, {4, 0}}), "nor has a front that bends the other way")
}

// byGrid counts cells of a grid on which coordinates stand.
func byGrid(points [][]float64, reference []float64, cells int) float64 {
	d := len(reference)
	count, total := 0, 1
	for range d {
		total *= cells
	}
	at := make([]float64, d)
	for c := range total {
		for k, rest := 0, c; k < d; k, rest = k+1, rest/cells {
			at[k] = (float64(rest%cells) + 0.5) / float64(cells)
		}
		if slices.ContainsFunc(points, func(p []float64) bool { return Dominates(p, at) }) {
			count++
		}
	}
	return float64(count) / float64(total)
}

func TestHypervolumesAreExact(t *testing.T) {
	t.Parallel()
	assert.InDelta(t, 2+1.0, Hypervolume([][]float64{{1, 2}, {2, 1}, {2.5, 2.5}, {0, 9}}, []float64{3, 3}), 1e-15)
	assert.Zero(t, Hypervolume([][]float64{{3, 1}}, []float64{3, 3}))
	assert.InDelta(t, 2.0, Hypervolume([][]float64{{1}, {2}}, []float64{3}), 1e-15)
	r := plan.NewRand(2)
	for _, d := range []int{2, 3, 4, 5} {
		cells := []int{0, 0, 40, 20, 10, 6}[d]
		reference := slices.Repeat([]float64{1}, d)
		points := plan.Draw(r, 12, d)
		for _, p := range points {
			for k := range p {
				p[k] = math.Floor(p[k]*float64(cells)) / float64(cells)
			}
		}
		assert.InDelta(t, byGrid(points, reference, cells), Hypervolume(points, reference), 1e-12, "%d objectives", d)
		slices.Reverse(points)
		assert.InDelta(t, byGrid(points, reference, cells), Hypervolume(append(points, points...), reference), 1e-12, "the order and doubles do not matter")
	}
}
