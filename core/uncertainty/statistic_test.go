package uncertainty_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core/plan"
	"ropebench/core/uncertainty"
)

func TestStatisticsAndTheirSlopes(t *testing.T) {
	t.Parallel()
	draws := []float64{3, 1, 7, 2, 5}
	for name, c := range map[string]struct {
		of     uncertainty.Statistic
		wanted float64
	}{
		"expected":           {uncertainty.ExpectedOf, 3.6},
		"deviation":          {uncertainty.DeviationOf, math.Sqrt(4.64)},
		"median":             {uncertainty.QuantileOf(0.5), 3},
		"quantile":           {uncertainty.QuantileOf(0.4), 2.5}, // between the second and the third
		"beyond the largest": {uncertainty.QuantileOf(0.99), 7},
	} {
		slopes := make([]float64, len(draws))
		assert.InDelta(t, c.wanted, c.of(draws, slopes), 1e-12, name)
		for i := range draws {
			const step = 1e-6
			other := append([]float64{}, draws...)
			other[i] += step
			assert.InDelta(t, (c.of(other, nil)-c.wanted)/step, slopes[i], 1e-5, "%s, draw %d", name, i)
		}
	}
	assert.Zero(t, uncertainty.DeviationOf([]float64{2, 2}, []float64{1, 1}))
}

// Means of linear, squared and mixed values are exact to rounding, with few rows.
func TestEvenNormalsHaveTheirMoments(t *testing.T) {
	t.Parallel()
	for seed := range uint64(20) {
		z := uncertainty.EvenNormals(plan.NewRand(seed), 16, 3)
		for a := range 3 {
			mean, distinct := 0.0, map[float64]bool{}
			for i := range 16 {
				mean += z.Row(i)[a] / 16
				distinct[z.Row(i)[a]] = true
			}
			assert.InDelta(t, 0, mean, 1e-12)
			assert.Len(t, distinct, 16)
			for b := range 3 {
				product := 0.0
				for i := range 16 {
					product += z.Row(i)[a] * z.Row(i)[b] / 16
				}
				assert.InDelta(t, map[bool]float64{true: 1, false: 0}[a == b], product, 1e-12)
			}
		}
	}
	assert.Equal(t, 2, uncertainty.EvenNormals(plan.NewRand(1), 2, 4).Rows, "too few rows for that many inputs are draws all the same")
}
