package sensitivity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/space"
)

// cube is a space of d inputs from 0 to 1.
func cube(d int) space.Space {
	s := make(space.Space, d)
	for i := range s {
		s[i] = space.Input{Upper: 1}
	}
	return s
}

func ishigami(u core.Design) float64 {
	x := func(i int) float64 { return math.Pi * (2*u[i] - 1) }
	return math.Sin(x(0)) + 7*math.Pow(math.Sin(x(1)), 2) + 0.1*math.Pow(x(2), 4)*math.Sin(x(0))
}

// ofIshigami are the indices in closed form (T. Ishigami, T. Homma, Proc. ISUMA (1990)).
func ofIshigami() (first, total []float64) {
	const a, b = 7.0, 0.1
	pi4 := math.Pow(math.Pi, 4)
	v1 := math.Pow(1+b*pi4/5, 2) / 2
	v2 := a * a / 8
	v13 := b * b * pi4 * pi4 * (1.0/18 - 1.0/50)
	v := v1 + v2 + v13
	return []float64{v1 / v, v2 / v, 0}, []float64{(v1 + v13) / v, v2 / v, v13 / v}
}

var ofSobolG = []float64{0, 1, 4.5, 9, 99, 99, 99, 99}

func sobolG(u core.Design) float64 {
	product := 1.0
	for j, a := range ofSobolG {
		product *= (math.Abs(4*u[j]-2) + a) / (1 + a)
	}
	return product
}

// indicesOfSobolG are those in closed form (A. Saltelli, I. M. Sobol', Reliab. Eng. Syst. Saf. 50 (1995)).
func indicesOfSobolG() (first, total []float64) {
	all := 1.0
	var own []float64
	for _, a := range ofSobolG {
		own = append(own, 1/(3*(1+a)*(1+a)))
		all *= 1 + own[len(own)-1]
	}
	for _, v := range own {
		first = append(first, v/(all-1))
		total = append(total, v*all/(1+v)/(all-1))
	}
	return first, total
}

func asked(t *testing.T, p VariancePlan, f func(core.Design) float64) core.Matrix {
	next, err := p.Points(t.Context())
	require.NoError(t, err)
	values := core.NewMatrix(p.Base(), p.Block())
	for i := range values.Rows {
		block, err := next()
		require.NoError(t, err)
		require.Len(t, block, p.Block())
		for k, design := range block {
			values.Row(i)[k] = f(design)
		}
	}
	return values
}

func TestIndicesAreThoseInClosedForm(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		f       func(core.Design) float64
		indices func() (first, total []float64)
		d       int
	}{"Ishigami": {ishigami, ofIshigami, 3}, "Sobol' g": {sobolG, indicesOfSobolG, 8},
		"far from 0": {func(u core.Design) float64 { return 1e9 + ishigami(u) }, ofIshigami, 3}} {
		first, total := c.indices()
		inside, all := 0, 0
		for seed := range uint64(5) {
			p := NewVariancePlan(cube(c.d), seed, 1<<13)
			found, err := p.Indices(asked(t, p, c.f))
			require.NoError(t, err)
			for j := range c.d {
				assert.InDelta(t, first[j], found.First[j].Value, 0.01, "%s, first of %d", name, j+1)
				assert.InDelta(t, total[j], found.Total[j].Value, 0.01, "%s, total of %d", name, j+1)
				for _, pair := range []struct {
					e    Estimate
					true float64
				}{{found.First[j], first[j]}, {found.Total[j], total[j]}} {
					all++
					if pair.e.From <= pair.true && pair.true <= pair.e.To {
						inside++
					}
					assert.Less(t, pair.e.To-pair.e.From, 0.04)
				}
			}
		}
		assert.GreaterOrEqual(t, float64(inside), 0.85*float64(all), "%s: limits hold the index with a chance of 95 %%", name)
	}
}

// With a base too small for scramblings the points are random, and the limits are those of resampling: wide, and they hold the index.
func TestRandomPlansHaveLimitsToo(t *testing.T) {
	t.Parallel()
	p := NewVariancePlan(cube(130), 1, 200)
	require.Len(t, p.parts, 1, "260 coordinates are too many for the sequence")
	found, err := p.Indices(asked(t, p, func(u core.Design) float64 { return 3*u[0] + u[1] }))
	require.NoError(t, err)
	assert.Less(t, found.Total[0].From, 0.9)
	assert.Greater(t, found.Total[0].To, 0.9)
	assert.InDelta(t, 0.9, found.Total[0].Value, 0.2)
	assert.Zero(t, found.Total[5])
}

// A base point of which an evaluation failed is left out, and counted.
func TestBasePointsWithoutValuesAreLeftOut(t *testing.T) {
	t.Parallel()
	p := NewVariancePlan(cube(3), 1, 1<<11)
	values := asked(t, p, func(u core.Design) float64 {
		if u[0] > 0.999 {
			return math.NaN()
		}
		return ishigami(u)
	})
	found, err := p.Indices(values)
	require.NoError(t, err)
	assert.Less(t, found.Used, 1<<11)
	assert.Greater(t, found.Used, 1<<10)
	first, _ := ofIshigami()
	assert.InDelta(t, first[0], found.First[0].Value, 0.05)
	for i := range values.Data {
		values.Data[i] = 4
	}
	_, err = p.Indices(values)
	assert.ErrorIs(t, err, ErrNoVariance)
}
