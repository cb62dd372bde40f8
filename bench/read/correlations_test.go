package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
)

const together = `bench: 1
inputs:
  mass:  {nominal: 80, scatter: {normal: {mean: 80, sd: 14}}}
  speed: {nominal: 15, scatter: {normal: {mean: 15, sd: 1}}}
  wind:  {nominal: 2, scatter: {lognormal: {mean: 2, sd: 1}}}
  pin:   {unit: mm, nominal: 20, range: [15, 30], tolerance: 0.05 mm}
  rope:  {nominal: 8, values: [8, 10]}
  held:  {nominal: 1}
solver: {formulas: {pull: mass*speed + wind + pin + rope + held}}
correlations: {mass: {speed: 0.3, wind: -0.2}}
`

func TestToleranceAndCorrelations(t *testing.T) {
	t.Parallel()
	b, _, err := Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": together}))
	require.NoError(t, err)
	pin, _ := b.Input("pin")
	assert.Equal(t, 0.05, pin.Tolerance)
	assert.Equal(t, map[string]float64{"lower": 19.95, "upper": 20.05}, pin.Scatter.Numbers)
	assert.Equal(t, []bench.Correlation{{A: "mass", B: "speed", Of: 0.3}, {A: "mass", B: "wind", Of: -0.2}}, b.Correlations)
	for says, change := range map[string][2]string{
		"tolerance is a number in the unit of the input":                           {"0.05 mm", "0.05 inch"},
		"a tolerance is above 0":                                                   {"0.05 mm", "-0.05"},
		"no value is sure to stay in the range [15, 30]":                           {"0.05 mm", "8"},
		"keep one of scatter and tolerance":                                        {"tolerance: 0.05 mm", "tolerance: 0.05, scatter: {normal: {mean: 20, sd: 1}}"},
		"rope is one of a list, and has no tolerance":                              {"values: [8, 10]", "values: [8, 10], tolerance: 1"},
		"correlations: held does not scatter":                                      {"wind: -0.2", "held: -0.2"},
		"correlations: sped is no input":                                           {"speed: 0.3", "sped: 0.3"},
		"a correlation is between -1 and 1, and not 1.2":                           {"speed: 0.3", "speed: 1.2"},
		"mass with mass: an input goes with itself":                                {"speed: 0.3", "mass: 0.3"},
		"speed with mass is given twice":                                           {"wind: -0.2}", "wind: -0.2}, speed: {mass: 0.1}"},
		"those of mass, speed, wind contradict each other: no numbers go together": {"wind: -0.2}", "wind: -0.8}, speed: {wind: 0.85}"},
		"cannot be correlated so strongly":                                         {"wind: -0.2}", "wind: -0.97}"},
		"correlations: mass needs names and their values":                          {"mass: {speed: 0.3, wind: -0.2}", "mass: 0.3"},
	} {
		require.Contains(t, together, change[0])
		_, _, err := Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": strings.Replace(together, change[0], change[1], 1)}))
		assert.ErrorContains(t, err, says)
	}
}
