package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// wave is a sine of so many periods over [0, 1], finely sampled.
func wave(periods float64) Curve {
	c := Curve{}
	for i := range 10001 {
		x := float64(i) / 10000
		c.X, c.Y = append(c.X, x), append(c.Y, math.Sin(2*math.Pi*periods*x))
	}
	return c
}

func TestWhatIsReadOff(t *testing.T) {
	t.Parallel()
	c := Curve{X: []float64{0, 1, 3}, Y: []float64{2, -4, 6}}
	assert.Equal(t, []float64{2, 6, 6, -4, 6, 4}, []float64{c.First(), c.Final(), c.Peak(), c.Trough(), c.PeakAbs(), c.Total()})
	assert.Equal(t, 1.0, c.Integral())
	assert.InDelta(t, 1.0/3, c.Mean(), 1e-12)
	assert.InDelta(t, 4.0/3, Curve{Y: c.Y}.Mean(), 1e-12, "of a vector, over its values")
	assert.InDelta(t, math.Sqrt((10+52)/3.0), c.RMS(), 1e-12)
	assert.InDelta(t, math.Sqrt(56.0/3), Curve{Y: c.Y}.RMS(), 1e-12)
	assert.InDelta(t, math.Sqrt(0.5), wave(3).RMS(), 1e-4)
	assert.InDelta(t, 100/1.1+100/1.21-300, Curve{X: []float64{0, 1, 2}, Y: []float64{-300, 100, 100}}.PresentValue(0.1), 1e-9)
	single := Curve{X: []float64{2}, Y: []float64{5}}
	assert.Equal(t, []float64{0, 5}, []float64{single.Integral(), single.Mean()})
}

func TestAt(t *testing.T) {
	t.Parallel()
	c := Curve{X: []float64{0, 1, 1, 3}, Y: []float64{0, 10, 20, 40}}
	for x, want := range map[float64]float64{0: 0, 0.5: 5, 1: 10, 2: 30, 3: 40} {
		y, err := c.At(x)
		require.NoError(t, err)
		assert.Equal(t, want, y, "%g", x)
	}
	for _, x := range []float64{-0.1, 3.1, math.NaN()} {
		_, err := c.At(x)
		assert.ErrorContains(t, err, "outside of the curve, which runs from 0 to 3")
	}
}

func TestSlopeAndWindow(t *testing.T) {
	t.Parallel()
	c := Curve{X: []float64{0, 1, 3}, Y: []float64{0, 2, 12}}
	slope, err := c.Slope()
	require.NoError(t, err)
	assert.Equal(t, []float64{2, 4, 5}, slope.Y)
	window, err := c.Window(0.5, 2)
	require.NoError(t, err)
	assert.Equal(t, Curve{X: []float64{0.5, 1, 2}, Y: []float64{1, 2, 7}}, window)
	all, err := c.Window(-9, 9)
	require.NoError(t, err)
	assert.Equal(t, c, all, "wider than the curve is the curve")
	steps := Curve{X: []float64{0, 1, 1, 2, 2, 2}, Y: []float64{0, 1, 5, 6, 7, 8}}
	edges, err := steps.Window(1, 2)
	require.NoError(t, err)
	assert.Equal(t, Curve{X: []float64{1, 1, 2, 2, 2}, Y: []float64{1, 5, 6, 7, 8}}, edges, "every sample at its edges")
	point, err := c.Window(2, 2)
	require.NoError(t, err)
	assert.Equal(t, Curve{X: []float64{2}, Y: []float64{7}}, point)
	_, err = Curve{X: []float64{0, 1, 0}, Y: []float64{0, 1, 2}}.Window(0, 1)
	assert.ErrorContains(t, err, "its x goes back from 1 to 0 at sample 3")
	_, err = Curve{X: []float64{0, 1, 0}, Y: []float64{0, 1, 2}}.At(0)
	assert.ErrorContains(t, err, "its x goes back from 1 to 0 at sample 3")
	_, err = c.Window(4, 5)
	assert.ErrorContains(t, err, "the window is empty")
	_, err = Curve{X: []float64{1}, Y: []float64{1}}.Slope()
	assert.ErrorContains(t, err, "needs two samples")
	_, err = Curve{X: []float64{1, 1}, Y: []float64{1, 2}}.Slope()
	assert.ErrorContains(t, err, "not finite")
}

func TestCrossings(t *testing.T) {
	t.Parallel()
	c := Curve{X: []float64{0, 1, 2, 3, 4, 5, 6}, Y: []float64{-1, 1, 0, 2, 0, 0, -2}}
	first, found := c.FirstCrossing(0)
	assert.True(t, found)
	assert.Equal(t, 0.5, first)
	last, _ := c.LastCrossing(0)
	assert.Equal(t, 4.0, last, "where it reached the level that it then left downwards; touching it at 2 is no crossing")
	_, found = c.FirstCrossing(9)
	assert.False(t, found)
	_, found = Curve{X: []float64{0, 1}, Y: []float64{0, 1}}.FirstCrossing(0)
	assert.False(t, found, "a curve that begins on the level does not pass it")
}

func TestFrequencyAndDuty(t *testing.T) {
	t.Parallel()
	f, err := wave(7.3).Frequency(0)
	require.NoError(t, err)
	assert.InDelta(t, 7.3, f, 1e-6)
	duty, err := wave(7.3).Duty(0)
	require.NoError(t, err)
	assert.InDelta(t, 0.5, duty, 1e-6)
	duty, err = wave(4).Duty(0.5)
	require.NoError(t, err)
	assert.InDelta(t, 1.0/3, duty, 1e-6, "a sine is above a half a third of the time")
	_, err = wave(0.5).Frequency(0)
	assert.ErrorContains(t, err, "no whole period")
}

func TestWindowsOfWindows(t *testing.T) {
	t.Parallel()
	c := wave(2)
	rapid.Check(t, func(t *rapid.T) {
		a := rapid.Float64Range(0, 0.9).Draw(t, "a")
		b := a + rapid.Float64Range(0.01, 0.1).Draw(t, "width")
		m := (a + b) / 2
		whole, err := c.Window(a, b)
		left, leftErr := c.Window(a, m)
		right, rightErr := c.Window(m, b)
		if err != nil || leftErr != nil || rightErr != nil {
			t.Fatal(err, leftErr, rightErr)
		}
		if math.Abs(whole.Integral()-left.Integral()-right.Integral()) > 1e-9 {
			t.Fatalf("%g to %g: the parts do not add up", a, b)
		}
	})
}
