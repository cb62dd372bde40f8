package formula

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/curve"
)

var given = map[string]Value{
	"n": Scalar(2), "v": Sequence(curve.Curve{Y: []float64{1, -2, 3}}), "w": Sequence(curve.Curve{Y: []float64{1, 1}}),
	"c": Sequence(curve.Curve{X: []float64{0, 1, 2}, Y: []float64{0, 4, 2}}), "d": Sequence(curve.Curve{X: []float64{0, 1, 2}, Y: []float64{1, 1, 1}}),
	"quick": Sequence(curve.Curve{X: []float64{0, 1e-9, 2e-9}, Y: []float64{1, 1, 1}}),
	"slow":  Sequence(curve.Curve{X: []float64{0, 1e-9, 2.1e-9}, Y: []float64{1, 1, 1}}),
	"other": Sequence(curve.Curve{X: []float64{0, 1, 3}, Y: []float64{1, 1, 1}}),
}

func shapes(name string) (Shape, bool) {
	value, known := given[name]
	switch {
	case value.Samples == nil:
		return Number, known
	case value.Samples.X == nil:
		return Vector, true
	}
	return Curve, true
}

func TestVectorsAndCurves(t *testing.T) {
	t.Parallel()
	number := func(x float64) Value { return Scalar(x) }
	over := func(y ...float64) Value { return Sequence(curve.Curve{X: []float64{0, 1, 2}, Y: y}) }
	for text, want := range map[string]Value{
		"2*v + n":                         Sequence(curve.Curve{Y: []float64{4, -2, 8}}),
		"-v":                              Sequence(curve.Curve{Y: []float64{-1, 2, -3}}),
		"c - d":                           over(-1, 3, 1),
		"c*v":                             over(0, -8, 6),
		"max(c, n)":                       over(2, 4, 2),
		"abs(v)^2":                        Sequence(curve.Curve{Y: []float64{1, 4, 9}}),
		"c > n ? c : 0":                   over(0, 4, 0),
		"not (c > n)":                     over(1, 0, 1),
		"+c/n":                            over(0, 2, 1),
		"peak(v)":                         number(3),
		"peak(2*c - d)/n":                 number(3.5),
		"at(c, 0.5)":                      number(2),
		"integral(c)":                     number(5),
		"peak(slope(c))":                  number(4),
		"total(window(c, 0.5, n))":        number(8),
		"first_crossing(c, 1)":            number(0.25),
		"last_crossing(c, 9, -1)":         number(-1),
		"n > 1 ? peak(c) : trough(c)":     number(4),
		"present_value(d, 1)":             number(1.75),
		"mean(v) + first(v) - final(c)":   number(2.0/3 + 1 - 2),
		"sqrt(rms(d)) + peak_abs(v)*pi^0": number(4),
	} {
		expression, err := Parse(text)
		require.NoError(t, err, text)
		got, err := expression.Evaluate(func(name string) Value { return given[name] })
		require.NoError(t, err, text)
		assert.Equal(t, want.Samples, got.Samples, text)
		assert.InDelta(t, want.Number, got.Number, 1e-12, text)
		shape, err := expression.Shape(shapes)
		require.NoError(t, err, text)
		assert.Equal(t, want.Samples == nil, shape == Number, text)
	}
}

func TestWhatHasNoValueIsSaid(t *testing.T) {
	t.Parallel()
	for text, message := range map[string]string{
		"v + w":                "a vector of 3 and one of 2 values",
		"c + other":            "two curves over different x (2 and 3 at sample 3)",
		"quick + slow":         "two curves over different x",
		"first_crossing(c, 9)": "first_crossing: the curve never passes 9; a third argument would say what then",
		"at(c, 7)":             "at: x = 7 is outside of the curve",
		"frequency(c, 1)":      "no whole period",
	} {
		expression, err := Parse(text)
		require.NoError(t, err, text)
		_, err = expression.Evaluate(func(name string) Value { return given[name] })
		assert.ErrorContains(t, err, message, text)
	}
}

func TestShapesAreChecked(t *testing.T) {
	t.Parallel()
	for text, message := range map[string]string{
		"peak(n)":           "peak is read off a vector or a curve, and n is a single number",
		"integral(v)":       "integral is read off a curve, and v is a vector: it has no x",
		"at(c, v)":          "argument 2 of at is a number, not a vector",
		"unknown + 1":       "unknown is not known here",
		"window(c, 1)":      "window takes 3 arguments, not 2",
		"first_crossing(c)": "takes 2 or 3 arguments, not 1",
		"peak(c, 1)":        "takes one argument, not 2",
	} {
		expression, err := Parse(text)
		if err == nil {
			_, err = expression.Shape(shapes)
		}
		assert.ErrorContains(t, err, message, text)
	}
}

func TestTake(t *testing.T) {
	t.Parallel()
	names, overX := Takes()
	assert.Contains(t, names, "integral")
	assert.NotContains(t, names, "at")
	assert.True(t, overX["integral"])
	value, err := Take("trough", *given["v"].Samples)
	require.NoError(t, err)
	assert.Equal(t, -2.0, value)
	_, err = Take("integral", *given["v"].Samples)
	assert.ErrorContains(t, err, "is taken of a curve")
	_, err = Take("slope", *given["c"].Samples)
	assert.ErrorContains(t, err, "there is no slope to take")
}
