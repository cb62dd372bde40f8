package formula

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/curve"
)

// moving gives a decaying swing that changes with p: its amplitude, its phase, and how long it lasts.
func moving(p float64) (curve.Curve, curve.Derivative) {
	const n = 60
	c, t := curve.Curve{}, curve.Derivative{}
	for i := range n {
		share := float64(i) / (n - 1)
		x := share * (6 + p)
		swing, decay := math.Sin(3*x+p), math.Exp(-0.1*x)
		c.X, t.X = append(c.X, x), append(t.X, share)
		c.Y = append(c.Y, p*decay*swing)
		t.Y = append(t.Y, decay*swing+p*(-0.1*share*decay*swing+decay*math.Cos(3*x+p)*(3*share+1)))
	}
	return c, t
}

func TestReadingsMoveAsTheirDifferencesSay(t *testing.T) {
	t.Parallel()
	const p, h = 1.3, 1e-6
	evaluate := func(e Expression, p float64) Value {
		c, _ := moving(p)
		value, err := e.Evaluate(func(name string) Value {
			return map[string]Value{"c": Sequence(c), "v": Sequence(curve.Curve{Y: c.Y}), "p": Scalar(p), "n": Scalar(2)}[name]
		})
		require.NoError(t, err, e.Text)
		return value
	}
	for _, text := range []string{
		"first(c)", "final(c)", "peak(c)", "trough(v)", "peak_abs(-c)", "total(v)", "mean(c)", "mean(v)", "rms(c)", "rms(v)", "integral(c)",
		"at(c, 2*p)", "at(c, 0)", "integral(slope(c))", "peak(slope(c))", "integral(window(c, p, 3*p))", "integral(window(c, (6 + p)*20/59 + (p - 1.3), 5))", "integral(window(c, 1, (6 + p)*30/59 - (p - 1.3)))", "final(window(c, -1, 2))", "mean(window(c, 1, 99))",
		"first_crossing(c, 0.1*p)", "last_crossing(c, 0.2)", "first_crossing(c, 99, p^2)", "frequency(c, 0.1*p)", "duty(c, 0.2)", "present_value(c, 0.05*p)",
		"peak(p*c + c^2)/n", "integral(c > 0 ? c : 0)", "min(p, peak(c), 7)", "total(max(v, 0.1))", "p > 1 ? rms(c) : 0", "sqrt(peak(abs(v)))", "total(v > 0 ? sqrt(v) : 0)", "total(max(v, 0)^1.5)", "-peak(+c)*not 0",
	} {
		expression, err := Parse(text)
		require.NoError(t, err)
		dual, err := expression.Differentiate(func(name string) Dual {
			c, derivative := moving(p)
			switch name {
			case "c":
				return Dual{Value: Sequence(c), Derivatives: make([]float64, 2), SampleDerivatives: []*curve.Derivative{&derivative, nil}}
			case "v":
				return Dual{Value: Sequence(curve.Curve{Y: c.Y}), Derivatives: make([]float64, 2), SampleDerivatives: []*curve.Derivative{{Y: derivative.Y}, nil}}
			case "p":
				return Dual{Value: Scalar(p), Derivatives: []float64{1, 0}, SampleDerivatives: make([]*curve.Derivative, 2)}
			}
			return Constant(Scalar(2), 2)
		}, 2)
		require.NoError(t, err, text)
		assert.InDelta(t, evaluate(expression, p).Number, dual.Number, 1e-12, text)
		difference := (evaluate(expression, p+h).Number - evaluate(expression, p-h).Number) / (2 * h)
		assert.InDelta(t, difference, dual.Derivatives[0], 1e-6*(1+math.Abs(difference)), text)
		assert.Zero(t, dual.Derivatives[1], "nothing moves in the other direction: %s", text)
	}
}

func TestTangentsOfSequences(t *testing.T) {
	t.Parallel()
	expression, err := Parse("2*v + v^2")
	require.NoError(t, err)
	dual, err := expression.Differentiate(func(string) Dual {
		return Dual{Value: Sequence(curve.Curve{Y: []float64{1, 3}}), Derivatives: []float64{0}, SampleDerivatives: []*curve.Derivative{{Y: []float64{1, 10}}}}
	}, 1)
	require.NoError(t, err)
	assert.Equal(t, []float64{4, 80}, dual.SampleDerivatives[0].Y)
}
