package core_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
)

// What leaves a limit can be written down, however far a value is from it.
func TestDistancesAreFinite(t *testing.T) {
	t.Parallel()
	open, huge := math.Inf(1), 1.79e308
	for _, l := range []core.Limit{{Lower: -open, Upper: -huge}, {Lower: huge, Upper: open}, {Lower: -open, Upper: 1e-3}, {Lower: -1e-3, Upper: open, Reserve: huge}} {
		for _, value := range []float64{huge, -huge} {
			for _, distance := range []float64{l.Margin(value), l.Violation(value), l.Share(value)} {
				assert.False(t, math.IsInf(distance, 0) || math.IsNaN(distance), "%v, %g: %g", l, value, distance)
			}
		}
	}
	assert.Equal(t, -math.MaxFloat64, core.Limit{Lower: -open, Upper: -huge}.Margin(huge))
	assert.Equal(t, 0.5, core.Limit{Lower: 0, Upper: 2}.Margin(0.5))
	assert.True(t, math.IsNaN(core.Limit{Lower: 0, Upper: 2}.Margin(math.NaN())), "what is no number is not hidden")
}
