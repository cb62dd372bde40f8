package formula_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/formula"
)

func TestStatisticsAreNamed(t *testing.T) {
	t.Parallel()
	e, err := formula.Parse("expected(cost + a) + 2*deviation(cost + a)*b - quantile(gap, 0.05) + probability(gap >= 1.5)*expected(cost + a)")
	require.NoError(t, err)
	assert.Equal(t, []string{"expected(cost + a)", "deviation(cost + a)", "b", "quantile(gap, 0.05)", "probability(gap >= 1.5)"}, e.Names)
	assert.Equal(t, []string{"a", "b", "cost", "gap"}, e.AllNames())
	require.Len(t, e.Statistics, 4)
	assert.Equal(t, 0.05, e.Statistics[2].Share)
	assert.Equal(t, "cost + a", e.Statistics[0].Of.Text)
	values := map[string]float64{"expected(cost + a)": 3, "deviation(cost + a)": 0.5, "b": 4, "quantile(gap, 0.05)": 1, "probability(gap >= 1.5)": 0.9}
	value, err := e.Evaluate(func(name string) formula.Value { return formula.Scalar(values[name]) })
	require.NoError(t, err)
	assert.InDelta(t, 3+4-1+2.7, value.Number, 1e-12)
	renamed, err := e.Renamed(func(name string) string { return name + ".wet" })
	require.NoError(t, err)
	assert.Equal(t, "expected(cost.wet + a.wet) + 2*deviation(cost.wet + a.wet)*b.wet - quantile(gap.wet, 0.05) + probability(gap.wet >= 1.5)*expected(cost.wet + a.wet)", renamed.Text)
	alone, err := e.WithoutScatter()
	require.NoError(t, err)
	plain := map[string]float64{"cost": 2, "a": 1, "b": 4, "gap": 1.6}
	value, err = alone.Evaluate(func(name string) formula.Value { return formula.Scalar(plain[name]) })
	require.NoError(t, err)
	assert.InDelta(t, 3+0-1.6+3, value.Number, 1e-12, alone.Text)
	for text, says := range map[string]string{
		"expected(a, b)":             "expected takes one argument, not 2",
		"quantile(a)":                "quantile takes 2 arguments, not 1",
		"quantile(a, 95)":            "between 0 and 1, such as 0.95",
		"quantile(a, b)":             "between 0 and 1, such as 0.95",
		"probability(a + b)":         "probability is of a comparison",
		"deviation(expected(a) - b)": "cannot be taken of another statistic",
		"expected(peek(a))":          "expected: there is no function peek; did you mean peak?",
		"expcted(a)":                 "there is no function expcted; did you mean expected?",
	} {
		_, err := formula.Parse(text)
		assert.ErrorContains(t, err, says, text)
	}
}
