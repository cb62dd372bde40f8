package formula

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
)

// gradientOf gives the value of a formula of x and y, and its derivatives.
func gradientOf(t require.TestingT, text string, x, y float64) []float64 {
	expression, err := Parse(text)
	require.NoError(t, err)
	program, err := Compile([]string{"x", "y"}, []Definition{{"f", expression}})
	require.NoError(t, err)
	out := make([]float64, 3)
	program.Derivatives([]int{0, 1}).NewMachine().One([]float64{x, y}, out)
	return out
}

func TestDerivativesAreExact(t *testing.T) {
	t.Parallel()
	const x, y = 1.5, 0.4
	for text, want := range map[string][2]float64{
		"3*x - y/2 + 7": {3, -0.5}, "x*y": {y, x}, "x/y": {1 / y, -x / y / y}, "-x^2": {-2 * x, 0}, "x^5": {5 * math.Pow(x, 4), 0},
		"x^y": {y * math.Pow(x, y-1), math.Log(x) * math.Pow(x, y)}, "x^-2": {-2 * math.Pow(x, -3), 0}, "2^y": {0, math.Ln2 * math.Pow(2, y)},
		"sqrt(x)": {0.5 / math.Sqrt(x), 0}, "exp(x*y)": {y * math.Exp(x*y), x * math.Exp(x*y)}, "log(x)": {1 / x, 0}, "log10(y)": {0, 1 / (y * math.Ln10)},
		"sin(x)": {math.Cos(x), 0}, "cos(y)": {0, -math.Sin(y)}, "tan(x)": {1 + math.Pow(math.Tan(x), 2), 0}, "asin(y)": {0, 1 / math.Sqrt(1-y*y)},
		"acos(y)": {0, -1 / math.Sqrt(1-y*y)}, "atan(x)": {1 / (1 + x*x), 0}, "atan2(x, y)": {y / (x*x + y*y), -x / (x*x + y*y)},
		"min(x, y, 3)": {0, 1}, "max(x, y)": {1, 0}, "abs(y - x)": {1, -1}, "floor(x) + ceil(y)": {0, 0}, "x > y ? x*x : y": {2 * x, 0},
		"(x > y)*x": {1, 0}, "x and y": {0, 0}, "not x": {0, 0}, "4": {0, 0}, "x": {1, 0}, "x*x*x*y + x*x": {3*x*x*y + 2*x, x * x * x},
	} {
		got := gradientOf(t, text, x, y)
		assert.InDelta(t, want[0], got[1], 1e-14, "by x: %s", text)
		assert.InDelta(t, want[1], got[2], 1e-14, "by y: %s", text)
	}
}

func TestTiesAndPartsThatDoNotCount(t *testing.T) {
	t.Parallel()
	for text, want := range map[string][3]float64{
		"abs(x)":              {0, 0, 0}, // between -1 and 1
		"min(x, y)":           {0, 1, 0}, // the first of equals
		"max(y, x)":           {0, 0, 1},
		"x > 0 ? sqrt(x) : 0": {0, 0, 0}, // the slope of sqrt is infinite there, and does not count
		"x^y":                 {1, 0, 0},
	} {
		got := gradientOf(t, text, 0, 0)
		assert.Equal(t, want[:], got, text)
	}
	assert.True(t, math.IsInf(gradientOf(t, "sqrt(x)", 0, 0)[1], 1), "where it counts, it is seen")
	for text, want := range map[string][3]float64{ // the branch that is not taken is no number
		"x > 0 ? y^2*log(x) : y^2 + x":               {3, 1, 4},
		"x > 0 ? y*log(x)*sqrt(x) : y*x":             {-2, 2, -1},
		"x > 0 ? y/sqrt(x) + log(x)/y : y":           {2, 0, 1},
		"x > 0 ? (y*log(x))*(y*log(x)) : 3*y":        {6, 0, 3},
		"2*(x > 0 ? (y + 1)*log(x)*(y - 3) : y) + x": {3, 1, 2},
	} {
		assert.Equal(t, want[:], gradientOf(t, text, -1, 2), text)
	}
}

func TestDerivativesAgreeWithDifferences(t *testing.T) {
	t.Parallel()
	texts := []string{"x*x*y + sin(x*y)/(1 + x^2)", "exp(-x^2)*log(2 + y^2)", "(x > y ? x^3 : y^2)*max(x, 1)", "sqrt(1 + (x - y)^2)^3", "atan2(x + 3, y + 4)*x^1.5/(3 + y)"}
	rapid.Check(t, func(r *rapid.T) {
		text := rapid.SampledFrom(texts).Draw(r, "text")
		x, y := rapid.Float64Range(0.1, 2).Draw(r, "x"), rapid.Float64Range(0.1, 2).Draw(r, "y")
		if math.Abs(x-y) < 1e-3 || math.Abs(x-1) < 1e-3 {
			r.Skip() // at a kink
		}
		const h = 1e-5
		got := gradientOf(r, text, x, y)
		difference := func(dx, dy float64) float64 {
			return (gradientOf(r, text, x+dx, y+dy)[0] - gradientOf(r, text, x-dx, y-dy)[0]) / (2 * h)
		}
		scale := 1 + math.Abs(got[0])
		assert.InDelta(r, difference(h, 0), got[1], 1e-6*scale)
		assert.InDelta(r, difference(0, h), got[2], 1e-6*scale)
	})
}

func TestGradientOfSeveralResultsOverManyRows(t *testing.T) {
	t.Parallel()
	f, err := Parse("x^2*y")
	require.NoError(t, err)
	g, err := Parse("f + x")
	require.NoError(t, err)
	program, err := Compile([]string{"x", "y"}, []Definition{{"f", f}, {"g", g}})
	require.NoError(t, err)
	rows, out := core.NewMatrix(150, 2), core.NewMatrix(150, 4)
	for i := range rows.Rows {
		copy(rows.Row(i), []float64{float64(i), 2})
	}
	program.Derivatives([]int{0}).NewMachine().Eval(rows, out)
	for i := range rows.Rows {
		x := rows.Row(i)
		assert.Equal(t, []float64{2 * x[0] * x[0], 2*x[0]*x[0] + x[0], 4 * x[0], 4*x[0] + 1}, out.Row(i))
	}
}
