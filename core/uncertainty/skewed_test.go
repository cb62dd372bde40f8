package uncertainty_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core/plan"
	"ropebench/core/uncertainty"
)

// Limits of the mean of skewed values hold as often as they promise.
func TestLimitsOfSkewedMeansHold(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(5)
	for name, c := range map[string]struct {
		draw func() float64
		mean float64
	}{
		"exponential": {r.ExpFloat64, 1},
		"lognormal":   {func() float64 { return math.Exp(0.6 * r.NormFloat64()) }, math.Exp(0.18)},
		"normal":      {r.NormFloat64, 0},
	} {
		for _, n := range []int{60, 300} {
			held, all := 0, 3000
			for range all {
				values := make([]float64, n)
				for i := range values {
					values[i] = c.draw()
				}
				if e := uncertainty.Mean(values); e.From <= c.mean && c.mean <= e.To {
					held++
				}
			}
			share := float64(held) / float64(all)
			t.Logf("%s, %d values: %.3f", name, n, share)
			assert.GreaterOrEqual(t, share, 0.93, "%s, %d values", name, n)
			assert.LessOrEqual(t, share, 0.97, "%s, %d values", name, n)
		}
	}
	same := uncertainty.Mean([]float64{2, 2, 2})
	assert.Equal(t, uncertainty.Estimate{Value: 2, From: 2, To: 2}, same)
}
