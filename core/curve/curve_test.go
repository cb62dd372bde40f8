package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPeakAndTrough(t *testing.T) {
	t.Parallel()
	c := Curve{X: []float64{0, 1, 2}, Y: []float64{-1, 5, 2}}
	assert.Equal(t, 5.0, c.Peak())
	assert.Equal(t, -1.0, c.Trough())
}

func TestCheck(t *testing.T) {
	t.Parallel()
	assert.NoError(t, Curve{Y: []float64{1}}.Check())
	assert.ErrorContains(t, Curve{}.Check(), "no values")
	assert.ErrorContains(t, Curve{X: []float64{1}, Y: []float64{1, 2}}.Check(), "1 values of x and 2 of y")
	assert.ErrorContains(t, Curve{Y: []float64{1, math.NaN()}}.Check(), "value 2 is NaN")
}

func TestThinKeepsPeaks(t *testing.T) {
	t.Parallel()
	c := Curve{}
	for i := range 10000 {
		c.X = append(c.X, float64(i))
		c.Y = append(c.Y, math.Sin(float64(i)/500))
	}
	c.Y[7777] = 42
	thin := c.Thin(200)
	assert.LessOrEqual(t, len(thin.Y), 200)
	assert.Equal(t, 42.0, thin.Peak())
	assert.IsIncreasing(t, thin.X)
}
