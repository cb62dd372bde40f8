package sensitivity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/published"
)

var ishigami = published.Ishigami()

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
	far := ishigami
	far.Name, far.Of = "far from 0", func(u core.Design) float64 { return 1e9 + ishigami.Of(u) }
	for _, f := range []published.Function{ishigami, published.SobolG(), far} {
		inside, all := 0, 0
		for seed := range uint64(5) {
			p := NewVariancePlan(f.Space(), seed, 1<<13)
			found, err := p.Indices(asked(t, p, f.Of))
			require.NoError(t, err)
			for j := range f.Inputs {
				assert.InDelta(t, f.First[j], found.First[j].Value, 0.01, "%s, first of %d", f.Name, j+1)
				assert.InDelta(t, f.Total[j], found.Total[j].Value, 0.01, "%s, total of %d", f.Name, j+1)
				for _, pair := range []struct {
					e    Estimate
					true float64
				}{{found.First[j], f.First[j]}, {found.Total[j], f.Total[j]}} {
					all++
					if pair.e.From <= pair.true && pair.true <= pair.e.To {
						inside++
					}
					assert.Less(t, pair.e.To-pair.e.From, 0.04)
				}
			}
		}
		assert.GreaterOrEqual(t, float64(inside), 0.85*float64(all), "%s: limits hold the index with a chance of 95 %%", f.Name)
	}
}

// With a base too small for scramblings the points are random, and the limits are those of resampling: wide, and they hold the index.
func TestRandomPlansHaveLimitsToo(t *testing.T) {
	t.Parallel()
	p := NewVariancePlan(published.Cube(130), 1, 200)
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
	p := NewVariancePlan(published.Cube(3), 1, 1<<11)
	values := asked(t, p, func(u core.Design) float64 {
		if u[0] > 0.999 {
			return math.NaN()
		}
		return ishigami.Of(u)
	})
	found, err := p.Indices(values)
	require.NoError(t, err)
	assert.Less(t, found.Used, 1<<11)
	assert.Greater(t, found.Used, 1<<10)
	assert.InDelta(t, ishigami.First[0], found.First[0].Value, 0.05)
	for i := range values.Data {
		values.Data[i] = 4
	}
	_, err = p.Indices(values)
	assert.ErrorIs(t, err, ErrNoVariance)
}
