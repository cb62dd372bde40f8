package curve

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A curve that is written from its right end to its left one is the same curve.
func TestAFallingXIsReadAsARisingOne(t *testing.T) {
	rising := Curve{X: []float64{1, 2, 4}, Y: []float64{10, 20, 0}}
	falling := Curve{X: []float64{4, 2, 1}, Y: []float64{0, 20, 10}}
	assert.True(t, falling.Reaches(1))
	assert.True(t, falling.Reaches(3.5))
	assert.False(t, falling.Reaches(4.5))
	for _, x := range []float64{1, 1.5, 2, 3.5, 4} {
		want, err := rising.At(x)
		require.NoError(t, err)
		got, err := falling.At(x)
		require.NoError(t, err)
		assert.InDelta(t, want, got, 1e-15)
		moves, back := Derivative{X: []float64{0.1, 0.2, 0.3}, Y: []float64{1, 2, 3}}, Derivative{X: []float64{0.3, 0.2, 0.1}, Y: []float64{3, 2, 1}}
		assert.InDelta(t, rising.AtDerivative(moves, x, 0.5), falling.AtDerivative(back, x, 0.5), 1e-15)
	}
	assert.Equal(t, []float64{4, 2, 1}, falling.X, "what was given stays as it is")
	_, err := Curve{X: []float64{4, 1, 2}, Y: []float64{0, 1, 2}}.At(1.5)
	assert.ErrorContains(t, err, "goes back")

	below := Curve{X: []float64{0, 5}, Y: []float64{-1, -1}}
	want, err := below.DistanceBelow(rising)
	require.NoError(t, err)
	got, err := below.DistanceBelow(falling)
	require.NoError(t, err)
	assert.InDelta(t, want, got, 1e-15)
}
