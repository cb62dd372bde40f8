package uncertainty_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/plan"
	"ropebench/core/uncertainty"
)

// limit is a limit state of numbers that scatter.
func limit(j uncertainty.Joint, margin func(x []float64) float64) uncertainty.LimitState {
	return func(_ context.Context, points [][]float64) ([]float64, error) {
		margins := make([]float64, len(points))
		for i, u := range points {
			margins[i] = margin(j.At(u))
		}
		return margins, nil
	}
}

func joint(t *testing.T, correlations [][]float64, distributions ...uncertainty.Distribution) uncertainty.Joint {
	if correlations == nil {
		return uncertainty.Independent(distributions)
	}
	j, err := uncertainty.Correlated(distributions, correlations)
	require.NoError(t, err)
	return j
}

// textbook are limit states whose index of reliability is known in closed form.
func textbook(t *testing.T) map[string]struct {
	n      int
	limit  uncertainty.LimitState
	index  float64
	shares []float64
} {
	normal, lognormal := uncertainty.Normal, uncertainty.Lognormal
	// of lognormal numbers with means 60 and 30 and variations 0.1 and 0.2
	one, two := math.Log1p(0.1*0.1), math.Log1p(0.2*0.2)
	ratio := (math.Log(60) - one/2 - math.Log(30) + two/2) / math.Sqrt(one+two)
	return map[string]struct {
		n      int
		limit  uncertainty.LimitState
		index  float64
		shares []float64
	}{
		// C. A. Cornell, Journal of the American Concrete Institute 66 (1969): resistance less load
		"resistance and load": {2, limit(joint(t, nil, normal(60, 5), normal(30, 4)), func(x []float64) float64 { return x[0] - x[1] }), 30 / math.Sqrt(41), []float64{-25.0 / 41, 16.0 / 41}},
		// E. Rosenblueth and L. Esteva, ACI Publication SP-31 (1972): their lognormal ratio
		"lognormal ratio": {2, limit(joint(t, nil, lognormal(60, 6), lognormal(30, 6)), func(x []float64) float64 { return x[0]/x[1] - 1 }), ratio, []float64{-one / (one + two), two / (one + two)}},
		// A. Borri and E. Speranzini, Structural Safety 19 (1997): a curved limit, nearest at (1, 1)/sqrt(2) times 2.5
		"curved limit": {2, limit(joint(t, nil, normal(0, 1), normal(0, 1)), func(u []float64) float64 {
			return 0.1*(u[0]-u[1])*(u[0]-u[1]) - (u[0]+u[1])/math.Sqrt2 + 2.5
		}), 2.5, []float64{0.5, 0.5}},
		// the same as the first, correlated: the variance of the difference is 25 + 16 - 2*0.5*20
		"correlated": {2, limit(joint(t, [][]float64{{1, 0.5}, {0.5, 1}}, normal(60, 5), normal(30, 4)), func(x []float64) float64 { return x[0] - x[1] }), 30 / math.Sqrt(21), nil},
		// the median misses
		"missed at the median": {1, limit(joint(t, nil, normal(5, 2)), func(x []float64) float64 { return 3 - x[0] }), -1, []float64{1}},
	}
}

func TestDesignPointsAreThoseOfTextbooks(t *testing.T) {
	t.Parallel()
	for name, c := range textbook(t) {
		d, err := uncertainty.FirstOrder(t.Context(), c.n, c.limit, 500, nil)
		require.NoError(t, err, name)
		require.True(t, d.Found, "%s: %s", name, d.Says)
		assert.InDelta(t, c.index, d.Index, 1e-4, name)
		assert.LessOrEqual(t, d.Asked, 150, name)
		for k, share := range c.shares {
			assert.InDelta(t, share, d.Shares[k], 1e-4, "%s: share of %d", name, k)
		}
	}
}

func TestDesignPointsThatAreNotThere(t *testing.T) {
	t.Parallel()
	one := uncertainty.Independent([]uncertainty.Distribution{uncertainty.Normal(0, 1)})
	for says, margin := range map[string]func(x []float64) float64{
		"does not change with small changes of what scatters": func([]float64) float64 { return 3 },
		"within 8 standard deviations":                        func(x []float64) float64 { return 20 - x[0] },
		"gives no values on the way": func(x []float64) float64 {
			if x[0] > 1 {
				return math.NaN()
			}
			return 3 - x[0]
		},
	} {
		d, err := uncertainty.FirstOrder(t.Context(), 1, limit(one, margin), 500, nil)
		require.NoError(t, err)
		assert.False(t, d.Found, says)
		assert.Contains(t, d.Says, says)
	}
}

func TestCorrelationsAreThoseOfTheNumbers(t *testing.T) {
	t.Parallel()
	j := joint(t, [][]float64{{1, 0.6, 0}, {0.6, 1, -0.4}, {0, -0.4, 1}}, uncertainty.Normal(80, 14), uncertainty.Lognormal(15, 5), uncertainty.Uniform(0, 1))
	for _, latin := range []bool{false, true} {
		draws := j.Draw(plan.NewRand(3), 40_000, latin)
		column := func(k int) []float64 {
			all := make([]float64, draws.Rows)
			for i := range all {
				all[i] = draws.Row(i)[k]
			}
			return all
		}
		assert.InDelta(t, 0.6, correlation(column(0), column(1)), 0.02)
		assert.InDelta(t, -0.4, correlation(column(1), column(2)), 0.02)
		assert.InDelta(t, 0, correlation(column(0), column(2)), 0.02)
	}
	_, err := uncertainty.Correlated([]uncertainty.Distribution{uncertainty.Normal(0, 1), uncertainty.Normal(0, 1), uncertainty.Normal(0, 1), uncertainty.Normal(0, 1)},
		[][]float64{{1, 0, 0, 0}, {0, 1, 0.9, 0.9}, {0, 0.9, 1, -0.9}, {0, 0.9, -0.9, 1}})
	var contradiction uncertainty.Contradiction
	require.ErrorAs(t, err, &contradiction)
	assert.Equal(t, []int{1, 2, 3}, contradiction.Numbers)
	_, err = uncertainty.Correlated([]uncertainty.Distribution{uncertainty.Lognormal(1, 3), uncertainty.Normal(0, 1)}, [][]float64{{1, 0.95}, {0.95, 1}})
	assert.ErrorIs(t, err, uncertainty.ErrOutOfReach)
}

func correlation(a, b []float64) float64 {
	meanA, meanB := uncertainty.Mean(a).Value, uncertainty.Mean(b).Value
	sum := 0.0
	for i := range a {
		sum += (a[i] - meanA) * (b[i] - meanB) / float64(len(a))
	}
	return sum / (uncertainty.Deviation(a) * uncertainty.Deviation(b))
}
