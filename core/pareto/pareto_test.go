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

func TestBoxesAreWhatAFrontDoesNotDominate(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(5)
	for objectives := 1; objectives <= 4; objectives++ {
		reference, bottom := slices.Repeat([]float64{1}, objectives), slices.Repeat([]float64{0}, objectives)
		points := plan.Draw(r, 12, objectives)
		points = append(points, slices.Repeat([]float64{2}, objectives), points[0]) // beyond the reference, and twice
		boxes := Boxes(points, reference)
		inside := 0.0
		for _, box := range boxes {
			volume := 1.0
			for k := range objectives {
				volume *= box.Upper[k] - max(box.Lower[k], bottom[k])
			}
			inside += volume
		}
		if objectives == 3 {
			assert.LessOrEqual(t, len(boxes), 2*len(points)+1, "what stands on top of each other is one box")
		}
		assert.InDelta(t, 1, inside+Hypervolume(points, reference), 1e-12, "%d objectives", objectives)
		for range 50 {
			at := plan.Draw(r, 1, objectives)[0]
			gain := ExpectedGain(boxes, at, make([]float64, objectives))
			assert.InDelta(t, Hypervolume(append(slices.Clone(points), at), reference)-Hypervolume(points, reference), gain, 1e-12, "of what is known for sure")
		}
	}
}

func TestAnExpectedGainIsTheMeanOfGains(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(7)
	front, reference := [][]float64{{0.2, 0.8, 0.5}, {0.6, 0.3, 0.4}, {0.7, 0.7, 0.1}}, []float64{1, 1, 1}
	means, deviations := []float64{0.4, 0.5, 0.45}, []float64{0.2, 0.1, 0}
	sum, known := 0.0, Hypervolume(front, reference)
	const draws = 40_000
	for range draws {
		at := make([]float64, 3)
		for k := range at {
			at[k] = means[k] + deviations[k]*r.NormFloat64()
		}
		sum += Hypervolume(append(slices.Clone(front), at), reference) - known
	}
	assert.InDelta(t, sum/draws, ExpectedGain(Boxes(front, reference), means, deviations), 2e-3)
}

func TestWhatIsExpectedIsTheIntegralOfWhatIsGained(t *testing.T) {
	t.Parallel()
	for _, gain := range []float64{-2, -0.3, 0, 0.5, 3} {
		const deviation, steps = 0.7, 200_000
		sum := 0.0
		for i := range steps {
			z := -8 + 16*(float64(i)+0.5)/steps
			sum += math.Max(0, gain+deviation*z) * math.Exp(-z*z/2) / math.Sqrt(2*math.Pi) * 16 / steps
		}
		assert.InDelta(t, sum, ExpectedBelow(gain, deviation), 1e-8)
	}
	assert.Equal(t, []float64{2, 0}, []float64{ExpectedBelow(2, 0), ExpectedBelow(-2, 0)})
}
