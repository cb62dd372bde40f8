package surrogate

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/plan"
	"ropebench/core/published"
	"ropebench/core/space"
)

var ishigami, borehole = published.Ishigami().Of, published.Borehole().Of

func sampled(t *testing.T, s space.Space, n int, seed uint64, f func(core.Design) float64) (designs []core.Design, y []float64) {
	points, err := plan.All(t.Context(), plan.LatinHypercube, plan.NewRand(seed), n, s.Levels())
	require.NoError(t, err)
	for _, point := range points {
		design := s.Design(point)
		designs, y = append(designs, design), append(y, f(design))
	}
	return designs, y
}

func fitted(t *testing.T, s space.Space, n int, seed uint64, f func(core.Design) float64) *Surrogate {
	designs, y := sampled(t, s, n, seed, f)
	fit, err := Fit(t.Context(), Encode(s), designs, y, Options{Seed: seed})
	require.NoError(t, err)
	return fit
}

// trueR2 is the share of the variance of a function that a surface predicts at fresh points.
func trueR2(s *Surrogate, d int, f func(core.Design) float64) float64 {
	var y, left []float64
	for _, point := range plan.Draw(plan.NewRand(1234), 5000, d) {
		y = append(y, f(point))
		left = append(left, y[len(y)-1]-s.Mean(point))
	}
	return 1 - dot(left, left)/float64(len(left))/variance(y)
}

// What is reported is what comes true at points that were not asked: make bench has all seeds.
func TestQ2IsWhatComesTrue(t *testing.T) {
	t.Parallel()
	for seed := range uint64(2) {
		s := fitted(t, published.Cube(8), 60, seed, borehole)
		assert.InDelta(t, trueR2(s, 8, borehole), s.Q2, 0.005)
		assert.GreaterOrEqual(t, s.Q2, 0.995)
		assert.LessOrEqual(t, s.From, s.Q2)
		assert.GreaterOrEqual(t, s.To, s.Q2)
		s = fitted(t, published.Cube(3), 150, seed, ishigami)
		assert.InDelta(t, trueR2(s, 3, ishigami), s.Q2, 0.08)
	}
}

func TestNoiseIsNotPredicted(t *testing.T) {
	t.Parallel()
	lucky := 0
	for seed := range uint64(5) {
		r := plan.NewRand(seed + 100)
		s := fitted(t, published.Cube(5), 60, seed, func(core.Design) float64 { return r.NormFloat64() })
		if s.Q2 > 0.15 {
			lucky++
		}
	}
	assert.LessOrEqual(t, lucky, 1)
}

// A quadratic function is found as the polynomial that it is, with its terms.
func TestPolynomialsAreFound(t *testing.T) {
	t.Parallel()
	f := func(u core.Design) float64 { return 3 + 2*(2*u[0]-1) - (2*u[1]-1)*(2*u[2]-1) + 4*(2*u[3]-1)*(2*u[3]-1) }
	designs, y := sampled(t, published.Cube(5), 40, 1, f)
	p, err := fitPolynomial(Encode(published.Cube(5)).Coordinates(designs), y)
	require.NoError(t, err)
	assert.ElementsMatch(t, []Term{{0, -1}, {1, 2}, {3, 3}}, p.Terms)
	assert.InDelta(t, f(core.Design{0.3, 0.2, 0.9, 0.7, 0.5}), p.Mean([]float64{0.3, 0.2, 0.9, 0.7, 0.5}), 1e-9)
	s := fitted(t, published.Cube(5), 40, 1, f)
	assert.InDelta(t, 1, s.Q2, 1e-6)
}

// Without noise a process and radial functions go through the points; the process is sure there, and less so away from them.
func TestSurfacesGoThroughTheirPoints(t *testing.T) {
	t.Parallel()
	designs, y := sampled(t, published.Cube(2), 30, 3, func(u core.Design) float64 { return math.Sin(5*u[0]) * math.Exp(u[1]) })
	x := Encode(published.Cube(2)).Coordinates(designs)
	g, err := gaussianMethod{kernel: Matern52}.fit(t.Context(), plan.NewRand(1), x, []int{0, 1}, 2, y)
	require.NoError(t, err)
	r, err := fitRadial(x, y)
	require.NoError(t, err)
	for i := range y {
		mean, deviation := g.Predict(x.Row(i))
		assert.InDelta(t, y[i], mean, 1e-4)
		assert.InDelta(t, mean, g.Mean(x.Row(i)), 1e-9)
		assert.Less(t, deviation, 1e-3)
		assert.InDelta(t, y[i], r.Mean(x.Row(i)), 1e-6)
	}
	_, far := g.Predict([]float64{3, 3})
	_, near := g.Predict([]float64{0.5, 0.5})
	assert.Greater(t, far, 20*near)
}

// The deviations that a process expects are those that come true.
func TestDeviationsComeTrue(t *testing.T) {
	t.Parallel()
	designs, y := sampled(t, published.Cube(3), 120, 5, ishigami)
	g, err := gaussianMethod{kernel: SquaredExponential, noisy: true}.fit(t.Context(), plan.NewRand(1), Encode(published.Cube(3)).Coordinates(designs), []int{0, 1, 2}, 3, y)
	require.NoError(t, err)
	within := 0
	for _, point := range plan.Draw(plan.NewRand(8), 1000, 3) {
		if mean, deviation := g.Predict(point); math.Abs(mean-ishigami(point)) < 2*deviation {
			within++
		}
	}
	assert.Greater(t, within, 850)
}

// Noise is seen, in the unit of the output, also where points are repeated.
func TestNoiseIsEstimated(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(6)
	designs, y := sampled(t, published.Cube(2), 60, 2, func(u core.Design) float64 { return 10*u[0] + 0.5*r.NormFloat64() })
	for i := range 10 {
		designs = append(designs, designs[i])
		y = append(y, 10*designs[i][0]+0.5*r.NormFloat64())
	}
	s, err := Fit(t.Context(), Encode(published.Cube(2)), designs, y, Options{})
	require.NoError(t, err)
	noise, repeated := RepeatedNoise(designs, y)
	assert.Equal(t, 10, repeated)
	assert.InDelta(t, 0.5, noise, 0.3)
	noise, repeated = RepeatedNoise([]core.Design{{1}, {1}, {2}}, []float64{5, 5, 7})
	assert.Zero(t, noise, "the same value again is no noise")
	assert.Equal(t, 1, repeated)
	assert.Equal(t, []int{0}, s.Active, "the second input does not help")
	assert.Greater(t, s.Q2, 0.9)
}

// Words have no order, and the rows of a catalog are as near as their numbers.
func TestWordsAndCatalogs(t *testing.T) {
	t.Parallel()
	s := space.Space{{Upper: 1}, {Values: []float64{0, 1, 2}, Unordered: true},
		{Values: []float64{0, 1, 2, 3, 4, 5, 6, 7}, Traits: [][]float64{{0}, {0.1}, {0.15}, {0.3}, {0.5}, {0.8}, {0.85}, {1}}}}
	e := Encode(s)
	assert.Equal(t, []int{0, 1, 1, 1, 2}, e.Inputs)
	row := e.Coordinates([]core.Design{{0.25, 1, 4}}).Row(0)
	assert.Equal(t, []float64{0.25, 0, math.Sqrt2 / 2, 0, 0.5}, row)
	f := func(d core.Design) float64 {
		return d[0]*[]float64{1, -2, 4}[int(d[1])] + 3*math.Pow(s[2].Traits[int(d[2])][0], 2)
	}
	fit := fitted(t, s, 70, 1, f)
	assert.Greater(t, fit.Q2, 0.99)
	assert.InDelta(t, f(core.Design{0.5, 2, 6}), fit.Mean(core.Design{0.5, 2, 6}), 0.2)
}

// One value that does not fit stands out by its residual, and hardly any other does.
func TestOutliersStandOut(t *testing.T) {
	t.Parallel()
	designs, y := sampled(t, published.Cube(3), 60, 4, func(u core.Design) float64 { return u[0] + 2*u[1]*u[2] })
	y[17] += 3
	s, err := Fit(t.Context(), Encode(published.Cube(3)), designs, y, Options{})
	require.NoError(t, err)
	most := 0
	for i, r := range s.Residuals {
		if math.Abs(r) > math.Abs(s.Residuals[most]) {
			most = i
		}
	}
	assert.Equal(t, 17, most)
	assert.Greater(t, math.Abs(s.Residuals[17]), Outlying)
}

func TestWhatCannotBeFitted(t *testing.T) {
	t.Parallel()
	designs, y := sampled(t, published.Cube(3), 7, 1, ishigami)
	_, err := Fit(t.Context(), Encode(published.Cube(3)), designs, y, Options{})
	assert.ErrorContains(t, err, "at least 8 usable evaluations, and there are 7")
	designs, _ = sampled(t, published.Cube(3), 20, 1, ishigami)
	_, err = Fit(t.Context(), Encode(published.Cube(3)), designs, make([]float64, 20), Options{})
	assert.ErrorIs(t, err, ErrConstant)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	designs, y = sampled(t, published.Cube(3), 30, 1, ishigami)
	_, err = Fit(ctx, Encode(published.Cube(3)), designs, y, Options{})
	assert.ErrorIs(t, err, context.Canceled)
}

// The next points go where little is known, and more of them to a limit.
func TestNextPointsGoWhereLittleIsKnown(t *testing.T) {
	t.Parallel()
	f := func(u core.Design) float64 { return math.Sin(6*u[0]) + u[1] }
	var designs []core.Design
	var y []float64
	for _, point := range plan.Draw(plan.NewRand(1), 40, 2) {
		design := core.Design{point[0] / 2, point[1]} // nothing is known of the right half
		designs, y = append(designs, design), append(y, f(design))
	}
	s, err := Fit(t.Context(), Encode(published.Cube(2)), designs, y, Options{})
	require.NoError(t, err)
	count := func(limits []float64, in func(core.Design) bool) (n int) {
		next, err := Next(t.Context(), plan.NewRand(3), []Wish{{Surface: s, Limits: limits}}, 12)
		require.NoError(t, err)
		require.Len(t, next, 12)
		for _, design := range next {
			if in(design) {
				n++
			}
		}
		return n
	}
	assert.GreaterOrEqual(t, count(nil, func(d core.Design) bool { return d[0] > 0.5 }), 9)
	all := fitted(t, published.Cube(2), 40, 2, func(u core.Design) float64 { return u[0] + 0.05*math.Sin(25*u[1]) })
	s = all
	near := func(d core.Design) bool { return math.Abs(d[0]-0.2) < 0.15 }
	assert.Greater(t, count([]float64{0.2}, near), count(nil, near))
}

// Curves follow the inputs: their shape, and where they end.
func TestCurvesArePredicted(t *testing.T) {
	t.Parallel()
	of := func(d core.Design) curve.Curve {
		var c curve.Curve
		end := 2 + d[1]
		for k := range 120 {
			x := end * float64(k) / 119
			c.X, c.Y = append(c.X, x), append(c.Y, d[0]*math.Sin(2*x)+x*x*d[1])
		}
		return c
	}
	designs, _ := sampled(t, published.Cube(2), 40, 1, ishigamiOfNothing)
	var curves []curve.Curve
	for _, design := range designs {
		curves = append(curves, of(design))
	}
	c, err := FitCurves(t.Context(), Encode(published.Cube(2)), designs, curves, Options{})
	require.NoError(t, err)
	assert.Greater(t, c.Q2, 0.99)
	assert.Less(t, c.Shapes, 5)
	predicted := c.Predict(core.Design{0.3, 0.6})
	truth := of(core.Design{0.3, 0.6})
	assert.InDelta(t, 2.6, predicted.X[len(predicted.X)-1], 1e-3)
	for _, x := range []float64{0, 0.7, 1.5, 2.5} {
		p, err := predicted.At(x)
		require.NoError(t, err)
		v, err := truth.At(x)
		require.NoError(t, err)
		assert.InDelta(t, v, p, 0.05)
	}
	curves[3].X = slices.Clone(curves[3].X)
	curves[3].X[5] = 0
	_, err = FitCurves(t.Context(), Encode(published.Cube(2)), designs, curves, Options{})
	assert.ErrorContains(t, err, "x ascends")
}

func ishigamiOfNothing(core.Design) float64 { return 0 }
