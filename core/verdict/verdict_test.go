package verdict

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
)

func TestJudge(t *testing.T) {
	t.Parallel()
	infinite := math.Inf(1)
	for name, c := range map[string]struct {
		limit     core.Limit
		value     float64
		want      Verdict
		margin    float64
		violation float64
	}{
		"at most, met":            {core.Limit{Lower: -infinite, Upper: 2.5, Reserve: 0.2}, 2.1, Met, 0.4, 0},
		"at most, in the reserve": {core.Limit{Lower: -infinite, Upper: 2.5, Reserve: 0.2}, 2.4, MetWithoutReserve, 0.1, 0.1},
		"at most, on the limit":   {core.Limit{Lower: -infinite, Upper: 2.5}, 2.5, Met, 0, 0},
		"at most, just over it":   {core.Limit{Lower: -infinite, Upper: 2.5}, math.Nextafter(2.5, 3), Missed, -4.44e-16, 4.44e-16},
		"at least, missed":        {core.Limit{Lower: 1.5, Upper: infinite, Reserve: 0.1}, 1.2, Missed, -0.3, 0.4},
		"between":                 {core.Limit{Lower: 0.5, Upper: 4}, 1, Met, 0.5, 0},
		"equals, within":          {core.Limit{Lower: 5.95, Upper: 6.05}, 6.04, Met, 0.01, 0},
	} {
		assert.Equal(t, c.want, Judge(c.limit, c.value), name)
		assert.InDelta(t, c.margin, c.limit.Margin(c.value), 1e-12, name)
		assert.InDelta(t, c.violation, c.limit.Violation(c.value), 1e-12, name)
	}
	assert.Equal(t, NotShown, Judge(core.Limit{Lower: 0, Upper: 1}, math.NaN()))
	assert.True(t, MetWithoutReserve.IsMet())
	assert.False(t, NotShown.IsMet())
}
