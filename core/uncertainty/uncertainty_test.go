package uncertainty_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"ropebench/core/uncertainty"
)

func TestDistributionsAndTheirQuantiles(t *testing.T) {
	t.Parallel()
	within, err := uncertainty.Within(uncertainty.Normal(80, 14), 45, 120)
	require.NoError(t, err)
	all := map[string]uncertainty.Distribution{
		"normal": uncertainty.Normal(80, 14), "lognormal": uncertainty.Lognormal(80, 14), "uniform": uncertainty.Uniform(-2, 3), "triangular": uncertainty.Triangular(45, 80, 120),
		"weibull": uncertainty.Weibull(2.1, 80), "empirical": uncertainty.Empirical([]float64{1, 2, 2, 4, 8, 9}), "within": within,
	}
	for name, d := range all {
		last := math.Inf(-1)
		for p := 0.02; p < 1; p += 0.01 {
			x := d.Quantile(p)
			assert.GreaterOrEqual(t, x, last, name)
			if last = x; name != "empirical" || p > 0.1 && p < 0.2 {
				assert.InDelta(t, p, d.CDF(x), 1e-9, "%s at %g", name, p)
			}
		}
	}
	r := rand.New(rand.NewPCG(1, 2))
	draws := uncertainty.Draw(r, []uncertainty.Distribution{all["lognormal"], within}, 100_000, true)
	var logs, cuts []float64
	for i := range draws.Rows {
		logs, cuts = append(logs, draws.Row(i)[0]), append(cuts, draws.Row(i)[1])
	}
	assert.InDelta(t, 80, uncertainty.Mean(logs).Value, 1e-3, "of the values, not of their logarithms")
	assert.InDelta(t, 14, uncertainty.Deviation(logs), 0.01)
	assert.GreaterOrEqual(t, slices.Min(cuts), 45.0)
	assert.LessOrEqual(t, slices.Max(cuts), 120.0)
	_, err = uncertainty.Within(uncertainty.Normal(80, 1), 200, 300)
	assert.ErrorContains(t, err, "between 200 and 300")
}

func TestALatinHypercubeHasOneDrawInEachPart(t *testing.T) {
	t.Parallel()
	const n = 50
	r := rand.New(rand.NewPCG(3, 4))
	draws := uncertainty.Draw(r, []uncertainty.Distribution{uncertainty.Uniform(0, 1), uncertainty.Uniform(0, 1)}, n, true)
	for k := range 2 {
		seen := map[int]bool{}
		for i := range n {
			seen[int(draws.Row(i)[k]*n)] = true
		}
		assert.Len(t, seen, n)
	}
	assert.NotEqual(t, draws.Row(0)[0], draws.Row(0)[1])
}

// On a linear model of normal inputs all is known: limits of 95 % hold in about 950 of 1,000 runs.
func TestLimitsHoldAsOftenAsTheySay(t *testing.T) {
	t.Parallel()
	inputs := []uncertainty.Distribution{uncertainty.Normal(2, 0.5), uncertainty.Normal(-1, 2)}
	truth := distuv.Normal{Mu: 3 + 2*2 + 1, Sigma: math.Hypot(2*0.5, 2)}
	limit, p := truth.Quantile(0.9), 0.9
	for _, latin := range []bool{false, true} {
		held := map[string]int{}
		for seed := range uint64(1000) {
			draws := uncertainty.Draw(rand.New(rand.NewPCG(seed, 5)), inputs, 300, latin)
			var values []float64
			met := 0
			for i := range draws.Rows {
				y := 3 + 2*draws.Row(i)[0] - draws.Row(i)[1]
				values = append(values, y)
				if y <= limit {
					met++
				}
			}
			slices.Sort(values)
			for name, e := range map[string]uncertainty.Estimate{"probability": uncertainty.Probability(met, len(values)), "mean": uncertainty.Mean(values), "median": uncertainty.Quantile(values, 0.5), "tail": uncertainty.Quantile(values, 0.95)} {
				wanted := map[string]float64{"probability": p, "mean": truth.Mu, "median": truth.Mu, "tail": truth.Quantile(0.95)}[name]
				if e.From <= wanted && wanted <= e.To {
					held[name]++
				}
			}
		}
		for name, count := range held {
			assert.GreaterOrEqual(t, count, 930, "%s, Latin hypercube: %t", name, latin)
			if !latin {
				assert.LessOrEqual(t, count, 970, name)
			}
		}
		assert.Len(t, held, 4)
	}
}

func TestFewDrawsSayLittle(t *testing.T) {
	t.Parallel()
	all := uncertainty.Probability(20, 20)
	assert.Equal(t, 1.0, all.To)
	assert.InDelta(t, 0.8389, all.From, 1e-4, "Wilson's, by hand")
	none := uncertainty.Probability(0, 20)
	assert.Equal(t, 0.0, none.From)
	assert.InDelta(t, 1-all.From, none.To, 1e-12)
	tail := uncertainty.Quantile([]float64{1, 2, 3, 4, 5}, 0.99)
	assert.True(t, math.IsNaN(tail.To), "five draws do not bound a quantile of 99 % from above")
	assert.Equal(t, 5.0, tail.Value)
	many := make([]float64, 1000)
	for i := range many {
		many[i] = float64(i + 1)
	}
	median := uncertainty.Quantile(many, 0.5)
	assert.Equal(t, []float64{500.5, 469, 532}, []float64{median.Value, median.From, median.To}, "1.96 roots of n/4 to each side")
}
