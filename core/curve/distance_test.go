package curve

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestDistances(t *testing.T) {
	t.Parallel()
	level := func(y float64) Curve { return Curve{X: []float64{0, 2}, Y: []float64{y, y}} }
	stepped := Curve{X: []float64{0, 1, 1, 2}, Y: []float64{10, 10, 5, 5}}
	for name, c := range map[string]struct {
		curve, limit Curve
		want         float64
	}{
		"a loop":                            {Curve{X: []float64{0, 1, 0}, Y: []float64{0, 100, 0}}, level(50), -50},
		"steps":                             {Curve{X: []float64{0, 1, 1, 2}, Y: []float64{0, 0, 10, 0}}, level(5), -5},
		"a stepped limit":                   {Curve{X: []float64{0, 2}, Y: []float64{6, 6}}, stepped, -1},
		"a stepped limit, from behind":      {Curve{X: []float64{2, 0}, Y: []float64{6, 6}}, stepped, -1},
		"the step itself":                   {Curve{X: []float64{1, 1}, Y: []float64{4, 7}}, stepped, -2},
		"the end of a curve at a step":      {Curve{X: []float64{0, 1}, Y: []float64{0, 4}}, stepped, 1},
		"one sample":                        {Curve{X: []float64{0.5}, Y: []float64{1}}, stepped, 9},
		"a limit at one place":              {Curve{X: []float64{0, 1, 0}, Y: []float64{0, 2, 4}}, Curve{X: []float64{0.5}, Y: []float64{4}}, 1},
		"only where both are":               {Curve{X: []float64{-5, 0, 1, 9}, Y: []float64{99, 0, 0, 99}}, Curve{X: []float64{0, 1}, Y: []float64{3, 2}}, 2},
		"between the samples of the curve":  {Curve{X: []float64{0, 2}, Y: []float64{0, 0}}, Curve{X: []float64{0, 1, 2}, Y: []float64{3, 1, 3}}, 1},
		"to and fro beyond the limit's end": {Curve{X: []float64{0, 9, 1}, Y: []float64{0, 9, 1}}, level(5), 3},
	} {
		got, err := c.curve.DistanceBelow(c.limit)
		require.NoError(t, err, name)
		assert.Equal(t, c.want, got, name)
	}
	_, err := Curve{X: []float64{3, 4, 3}, Y: []float64{1, 1, 1}}.DistanceBelow(level(5))
	assert.ErrorContains(t, err, "the curve, from x = 3 to 4, and its limit, from 0 to 2, do not overlap")
	_, err = level(1).DistanceBelow(Curve{X: []float64{0, 2, 1}, Y: []float64{1, 1, 1}})
	assert.ErrorContains(t, err, "goes back from 2 to 1 at sample 3")
}

// The distance is that of all pairs of points on curve and limit that share an x.
func TestDistancesAreThoseOfThePoints(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		grid := rapid.IntRange(0, 8) // so that samples meet often
		var c, limit Curve
		for range rapid.IntRange(1, 8).Draw(t, "n") {
			c.X, c.Y = append(c.X, float64(grid.Draw(t, "x"))), append(c.Y, float64(grid.Draw(t, "y")))
		}
		x := 0.0
		for range rapid.IntRange(1, 8).Draw(t, "m") {
			x += float64(rapid.IntRange(0, 2).Draw(t, "dx"))
			limit.X, limit.Y = append(limit.X, x), append(limit.Y, float64(grid.Draw(t, "limit")))
		}
		want := math.Inf(1)
		for _, p := range points(c) {
			for _, q := range points(limit) {
				if p[0] == q[0] {
					want = math.Min(want, q[1]-p[1])
				}
			}
		}
		got, err := c.DistanceBelow(limit)
		if math.IsInf(want, 1) {
			assert.Error(t, err)
			return
		}
		require.NoError(t, err)
		assert.InDelta(t, want, got, 1e-9)
	})
}

// points are the samples of a curve and the values on its lines at all quarters: on the grid the least distance is at one.
func points(c Curve) (all [][2]float64) {
	for i, x := range c.X {
		all = append(all, [2]float64{x, c.Y[i]})
		if i == 0 {
			continue
		}
		low, high := math.Min(c.X[i-1], x), math.Max(c.X[i-1], x)
		for at := low; at <= high && low < high; at += 0.25 {
			all = append(all, [2]float64{at, c.Y[i-1] + (at-c.X[i-1])/(x-c.X[i-1])*(c.Y[i]-c.Y[i-1])})
		}
	}
	return all
}

func BenchmarkDistanceOfALongCurve(b *testing.B) {
	c := wave(3)
	for range b.N {
		if _, err := c.DistanceBelow(c); err != nil {
			b.Fatal(err)
		}
	}
}
