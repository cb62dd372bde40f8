package optimize

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
	"ropebench/core/space"
)

func TestSimplicesStandInTheCube(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		d := rapid.IntRange(1, 6).Draw(t, "inputs")
		start := rapid.SliceOfN(rapid.Float64Range(0, 1), d, d).Draw(t, "start")
		size := rapid.Float64Range(1e-3, 0.3).Draw(t, "size")
		for _, points := range [][][]float64{along(plan.NewRand(1), start, size), turned(plan.NewRand(1), start, size)} {
			if len(points) != d+1 {
				t.Fatalf("%d corners for %d inputs", len(points), d)
			}
			for i, point := range points {
				for _, x := range point {
					if x < 0 || x > 1 {
						t.Fatalf("corner %d leaves the cube: %v", i, point)
					}
				}
				if i > 0 && distance(point, start) == 0 {
					t.Fatalf("corner %d stands on the first", i)
				}
			}
		}
	})
}

func TestTurnedEdgesAreOrthogonal(t *testing.T) {
	t.Parallel()
	start := []float64{0.5, 0.5, 0.5}
	points := turned(plan.NewRand(3), start, 0.1)
	edge := func(i int) []float64 {
		e := make([]float64, 3)
		for j := range e {
			e[j] = points[i][j] - start[j]
		}
		return e
	}
	assert.InDelta(t, 0, dot(edge(1), edge(2)), 1e-12)
	assert.InDelta(t, 0, dot(edge(2), edge(3)), 1e-12)
	assert.InDelta(t, 0.01, dot(edge(3), edge(3)), 1e-12)
}

func TestEndsOnOneSpotAreOne(t *testing.T) {
	t.Parallel()
	order := budget.NewOrder(least())
	end := func(x, objective float64) trial {
		return trial{point: []float64{x}, design: core.Design{objective}, rank: order.Rank(core.Outcome{Values: []float64{objective}})}
	}
	var ends []trial
	for _, e := range []trial{end(0.1, 5), end(0.9, 3), end(0.11, 4), end(0.5, 1)} {
		ends = insert(ends, e)
	}
	var objectives []float64
	for _, e := range ends {
		objectives = append(objectives, e.design[0])
	}
	assert.Equal(t, []float64{1, 3, 4}, objectives, "best first, the better of two on one spot")
	for range 50 {
		start, size := between(plan.NewRand(7), ends)
		assert.True(t, start[0] >= 0 && start[0] <= 1 && size >= leastBetween && size <= firstSize)
	}
}

func TestFarthestIsFarFromAllEarlierStarts(t *testing.T) {
	t.Parallel()
	earlier := [][]float64{{0.1, 0.1}, {0.2, 0.2}}
	point := farthest(plan.NewRand(1), earlier, 2)
	assert.Greater(t, distance(point, earlier[1]), 0.4)
}

func TestChildrenStayInTheCube(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(5)
	ev := &evolution{landscape: &landscape{search: &search{space: make(space.Space, 3)}}, rand: r}
	for _, point := range plan.Draw(r, 8, 3) {
		ev.members = append(ev.members, trial{point: point})
		ev.archive = append(ev.archive, trial{point: []float64{0, 1, 0.5}})
	}
	for i := range ev.members {
		for range 200 {
			child := ev.child(i, 1, 0.9)
			for _, x := range child {
				require.True(t, x >= 0 && x <= 1, "%v", child)
			}
			require.NotEqual(t, ev.members[i].point, child, "one coordinate at least is new")
		}
	}
}

// What is drawn lies about what is remembered.
func TestDrawsFollowTheMemory(t *testing.T) {
	t.Parallel()
	mean := func(remembered float64) (scales, rates float64) {
		ev := &evolution{rand: plan.NewRand(1)}
		for i := range memorySize {
			ev.scales[i], ev.rates[i] = remembered, remembered
		}
		const draws = 2000
		for range draws {
			scale, rate := ev.draw()
			scales, rates = scales+scale/draws, rates+rate/draws
		}
		return scales, rates
	}
	for _, remembered := range []float64{0.3, 0.7} {
		scales, rates := mean(remembered)
		assert.InDelta(t, remembered, rates, 0.02)
		assert.InDelta(t, remembered, scales, 0.15, "the tails of the distribution are cut off at 1")
	}
}

// A generation in which children were better than their parents is remembered by the means of their pairs.
func TestAGenerationIsRemembered(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(3)
	p := Problem{Space: space.Space{{Upper: 1}, {Upper: 1}}, Goal: least()}
	sphere := core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{x[0]*x[0] + x[1]*x[1]}} })
	s := newSearch(p, sphere, Options{Budget: 1000}, nil, 0)
	ev := &evolution{landscape: s.landscape(p, Options{}), rand: r, first: 20}
	for i := range memorySize {
		ev.scales[i], ev.rates[i] = 0.5, 0.5
	}
	var err error
	ev.members, err = s.ask(t.Context(), plan.Draw(r, 20, 2))
	require.NoError(t, err)
	require.NoError(t, ev.generation(t.Context()))
	assert.Equal(t, 1, ev.position)
	assert.NotEqual(t, 0.5, ev.scales[0])
	assert.NotEqual(t, 0.5, ev.rates[0])
	assert.Equal(t, 0.5, ev.scales[1], "one generation, one pair")
}

func TestTheSurestPairIsNeverForgotten(t *testing.T) {
	t.Parallel()
	ev := &evolution{}
	for i := range memorySize {
		ev.scales[i], ev.rates[i] = surestPair, surestPair
	}
	for range 3 * memorySize {
		ev.remember([]float64{0.2, 0.4}, []float64{0, 0})
	}
	assert.Equal(t, surestPair, ev.scales[memorySize-1])
	assert.InDelta(t, (0.04+0.16)/0.6, ev.scales[0], 1e-12)
	assert.Zero(t, ev.rates[0], "a Lehmer mean of zeros is zero")
}

func TestAPopulationFitsItsBudget(t *testing.T) {
	t.Parallel()
	assert.Equal(t, leastPopulation, population(10, 10))
	assert.Equal(t, 24, population(2, 10000))
	assert.Equal(t, 60, population(30, 10000))
	assert.Equal(t, 25, population(30, 200))
}

func TestErrorsOfTheEvaluatorEndASearch(t *testing.T) {
	t.Parallel()
	gone := evaluatorFunc(func(context.Context, []core.Design) ([]core.Outcome, error) { return nil, assert.AnError })
	for name, method := range general(true) {
		_, err := method(t.Context(), publishedProblems[0].problem(), gone, Options{Seed: 1, Budget: 50}, nil)
		assert.ErrorIs(t, err, assert.AnError, name)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	asked := 0
	_, err := NelderMead(ctx, publishedProblems[0].problem(), publishedProblems[0].evaluator(&asked), Options{Seed: 1, Budget: 50}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestOneInputIsEnough(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Lower: -3, Upper: 5}}, Goal: least()}
	parabola := core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{(x[0] - 1) * (x[0] - 1)}} })
	for name, method := range general(true) {
		result, err := method(t.Context(), p, parabola, Options{Seed: 1, Budget: 150}, nil)
		require.NoError(t, err, name)
		assert.InDelta(t, 1, result.Best.Design[0], 1e-2, name)
	}
}

// A search that has begun anew often enough in vain says that it is stuck, and leaves the rest of its budget.
func TestASearchThatIsStuckEnds(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Name: "a", Lower: -2, Upper: 3}, {Name: "b", Lower: -1, Upper: 2}}, Goal: least()}
	bowl := core.EvaluatorFunc(func(d core.Design) core.Outcome {
		return core.Outcome{Values: []float64{math.Max(1e-9, (d[0]-0.5)*(d[0]-0.5)+d[1]*d[1])}}
	})
	for name, method := range map[string]Method{"nelder-mead": NelderMead, "differential-evolution": DifferentialEvolution} {
		ended, err := method(t.Context(), p, bowl, Options{Budget: 20_000, Seed: 1}, nil)
		require.NoError(t, err)
		assert.Equal(t, budget.Stuck, ended.Cause, name)
		assert.Less(t, ended.Used, 20_000, name)
		assert.GreaterOrEqual(t, ended.Used-ended.ImprovedAt, 10_000, "%s: not before half of the budget was spent in vain", name)
		assert.Contains(t, ended.Reason, "have found nothing better than evaluation")
		asked, err := method(t.Context(), p, bowl, Options{Budget: 20_000, Seed: 1, Plateau: 19_990}, nil)
		require.NoError(t, err)
		assert.Greater(t, asked.Used, ended.Used, "%s: a plateau that is asked for decides alone", name)
	}
}
