package sensitivity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/published"
	"ropebench/core/space"
)

func drawn(d, n int, seed uint64) []core.Design {
	designs := make([]core.Design, n)
	for i, point := range plan.Draw(plan.NewRand(seed), n, d) {
		designs[i] = point
	}
	return designs
}

func valuesOf(designs []core.Design, f func(core.Design) float64) []float64 {
	y := make([]float64, len(designs))
	for i, design := range designs {
		y[i] = f(design)
	}
	return y
}

// A linear function of independent uniform inputs has correlations and standardized coefficients in the ratio of its own coefficients.
func TestCorrelationsAndRegressionOfALinearFunction(t *testing.T) {
	t.Parallel()
	designs := drawn(3, 2000, 1)
	y := valuesOf(designs, func(u core.Design) float64 { return 3*u[0] - 4*u[1] })
	all := Correlate(published.Cube(3), designs, y)
	for j, want := range []float64{0.6, -0.8, 0} {
		assert.InDelta(t, want, all[j].Linear.Value, 0.05)
		assert.LessOrEqual(t, all[j].Linear.From, want)
		assert.GreaterOrEqual(t, all[j].Linear.To, want)
	}
	regression, ok := Regress(published.Cube(3), designs, y)
	require.True(t, ok)
	assert.InDelta(t, 1, regression.R2, 1e-9)
	for j, want := range []float64{0.6, -0.8, 0} {
		assert.InDelta(t, want, regression.Coefficients[j].Value, 0.03)
	}
}

// Rank correlation sees a curved but monotonous function whole; the linear one does not.
func TestRankCorrelationFollowsTheOrder(t *testing.T) {
	t.Parallel()
	designs := drawn(1, 300, 2)
	c := Correlate(published.Cube(1), designs, valuesOf(designs, func(u core.Design) float64 { return math.Exp(20 * u[0]) }))[0]
	assert.InDelta(t, 1, c.Rank.Value, 1e-12)
	assert.Less(t, c.Linear.Value, 0.7)
	assert.Equal(t, []float64{1, 2.5, 4, 2.5}, Ranks([]float64{1, 2, 3, 2}))
}

// Fisher's limits, by hand: r = 0.5 of 28 points has z = 0.5493 with a deviation of 0.2.
func TestLimitsOfACorrelation(t *testing.T) {
	t.Parallel()
	e := fisher(0.5, 1.0/25)
	assert.InDelta(t, 0.156, e.From, 5e-4)
	assert.InDelta(t, 0.736, e.To, 5e-4)
}

// A word has no order: what it explains has no sign, however its words are numbered.
func TestWordsExplainWithoutOrder(t *testing.T) {
	t.Parallel()
	pad := space.Space{{Values: []float64{0, 1, 2}, Unordered: true}, {Upper: 1}}
	r := plan.NewRand(3)
	var designs []core.Design
	var y []float64
	for i := range 90 {
		word := float64(i % 3)
		designs = append(designs, core.Design{word, r.Float64()})
		y = append(y, []float64{1, -2, 1}[i%3])
	}
	all := Correlate(pad, designs, y)
	assert.InDelta(t, 1, all[0].Linear.Value, 1e-12)
	assert.Less(t, math.Abs(all[1].Linear.Value), 0.3)
}

func TestInputsThatMoveTogetherAreFound(t *testing.T) {
	t.Parallel()
	designs := drawn(3, 50, 4)
	for _, design := range designs {
		design[2] = 1 - design[0] + 0.01*design[1]
	}
	assert.Equal(t, [][2]int{{0, 2}}, Collinear(published.Cube(3), designs))
	_, ok := Regress(published.Cube(3), append(designs[:20:20], designs[:20]...), make([]float64, 40))
	assert.False(t, ok)
}

// The effects of a linear function are its coefficients times the ranges, with no spread; words move, too.
func TestElementaryEffects(t *testing.T) {
	t.Parallel()
	s := space.Space{{Lower: 2, Upper: 6}, {Lower: 0, Upper: 5, Step: 1}, {Values: []float64{0, 1, 2}, Unordered: true}, {Upper: 1}}
	f := func(u core.Design) float64 { return 3*u[0] - 2*u[1] + 10*math.Mod(u[2], 2) + 0*u[3] }
	walks := Trajectories(s, 1, 12)
	values := make([][]float64, len(walks))
	for k, walk := range walks {
		require.Len(t, walk.Designs, 5)
		for i, j := range walk.Moved {
			for other := range s {
				assert.Equal(t, other != j, walk.Designs[i][other] == walk.Designs[i+1][other], "one input moves")
			}
		}
		values[k] = valuesOf(walk.Designs, f)
	}
	effects := ElementaryEffects(4, 1, walks, values)
	assert.InDelta(t, 12, effects[0].Mean, 1e-9)
	assert.InDelta(t, 0, effects[0].Spread, 1e-9)
	assert.InDelta(t, -10, effects[1].Mean, 1e-9)
	assert.InDelta(t, 10, effects[1].Absolute.Value, 1e-9)
	assert.Greater(t, effects[2].Spread, 3.0)
	assert.Zero(t, effects[3].Absolute.To)
	values[0][2] = math.NaN()
	sum := 0
	for _, e := range ElementaryEffects(4, 1, walks, values) {
		sum += e.Used
	}
	assert.Equal(t, 12*4-2, sum, "a failure takes the moves to it and from it")
}

// Slopes are over the whole range: on its own scale, one-sided at an end, and to the next level.
func TestProbesAndSlopes(t *testing.T) {
	t.Parallel()
	s := space.Space{{Lower: 0, Upper: 4}, {Lower: 1, Upper: 100, Log: true}, {Lower: 0, Upper: 10, Step: 2}, {Values: []float64{0, 1}, Unordered: true}}
	at := core.Design{4, 10, 4, 1}
	f := func(u core.Design) float64 { return 5*u[0] + 7*math.Log10(u[1]) + 3*u[2] }
	want := []float64{20, 14, 30}
	probes := Probes(s, at, 0.01)
	require.Len(t, probes, 3, "a word has no slope")
	for k, p := range probes {
		assert.InDelta(t, want[k], p.Slope(f(p.Below), f(p.Above)), 1e-6)
	}
	assert.Equal(t, at, probes[0].Above, "at the upper end one side is the design itself")
	assert.InDelta(t, 14, Ranged(s[1], 10, 7/(10*math.Ln10)), 1e-9)
	assert.InDelta(t, 20, Ranged(s[0], 4, 5), 1e-12)
}

// exact is a surface without any error of its own.
type exact struct{ f func(core.Design) float64 }

func (e exact) Mean(d core.Design) float64            { return e.f(d) }
func (e exact) Parts() int                            { return 2 }
func (e exact) PartMean(_ int, d core.Design) float64 { return e.f(d) }

// What a surface does not predict may belong to any input: the limits are never closer than that.
func TestLimitsOnASurfaceIncludeWhatItLeavesOpen(t *testing.T) {
	t.Parallel()
	first, total := ishigami.First, ishigami.Total
	for _, q2 := range []float64{1, 0.8, 0} {
		found, err := OnSurface(t.Context(), published.Cube(3), exact{ishigami.Of}, q2, 1)
		require.NoError(t, err)
		for j := range 3 {
			assert.InDelta(t, first[j], found.First[j].Value, 0.02)
			assert.InDelta(t, total[j], found.Total[j].Value, 0.02)
			assert.GreaterOrEqual(t, found.Total[j].To-found.Total[j].From, 0.99*(1-q2))
			assert.LessOrEqual(t, found.Total[j].From, total[j]*q2+0.01)
			assert.GreaterOrEqual(t, found.Total[j].To, total[j]*q2+1-q2-0.01)
		}
	}
}
