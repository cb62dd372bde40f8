package optimize

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

func TestRanks(t *testing.T) {
	p := Problem{Objective: &Objective{Value: 0}, Constraints: []Constraint{{Value: 1, Limit: atMost(10)}, {Value: 2, Limit: core.Limit{Lower: 5, Upper: math.Inf(1), Reserve: 1}}}}
	r := NewRanking(p)
	outcome := func(values ...float64) core.Outcome { return core.Outcome{Values: values} }
	r.Learn([]core.Outcome{outcome(0, 30, 5), outcome(0, 14, 25)})
	assert.Equal(t, []float64{20, 20}, r.scale, "the largest distance from each limit")
	r.Learn([]core.Outcome{outcome(0, 1e6, 1e6)})
	assert.Equal(t, []float64{20, 20}, r.scale, "and it stays")
	ordered := []core.Outcome{
		outcome(1, 9, 7), outcome(2, 10, 6), // feasible, by the objective; on the limit counts
		outcome(-9, 9, 5.5), outcome(-9, 12, 6), outcome(0, 12, 6), outcome(-9, 12, 5), // by the violation, then the objective
		{State: core.NotTried, Values: []float64{math.NaN(), 11, math.NaN()}}, {State: core.NotTried, Values: []float64{math.NaN(), 12, math.NaN()}},
		{State: core.Failed},
	}
	for i := range ordered[1:] {
		assert.True(t, r.Rank(ordered[i]).Better(r.Rank(ordered[i+1])), "%d before %d", i, i+1)
		assert.False(t, r.Rank(ordered[i+1]).Better(r.Rank(ordered[i])), "%d not before %d", i+1, i)
	}
	assert.True(t, r.Rank(ordered[1]).Feasible())
	assert.False(t, r.Rank(ordered[2]).Feasible(), "the reserve is missing")
}

func TestOrderIsStrict(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string) Rank {
			return Rank{class(rapid.IntRange(0, 3).Draw(t, name+" class")), rapid.Float64Range(0, 2).Draw(t, name+" violation"), rapid.Float64Range(-2, 2).Draw(t, name+" objective")}
		}
		a, b, c := draw("a"), draw("b"), draw("c")
		if a.Better(a) || a.Better(b) && b.Better(a) || a.Better(b) && b.Better(c) && !a.Better(c) {
			t.Fatalf("%v %v %v", a, b, c)
		}
	})
}

func TestSimplicesStandInTheCube(t *testing.T) {
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
	end := func(x, objective float64) trial { return trial{point: []float64{x}, rank: Rank{objective: objective}} }
	var ends []trial
	for _, e := range []trial{end(0.1, 5), end(0.9, 3), end(0.11, 4), end(0.5, 1)} {
		ends = insert(ends, e)
	}
	var objectives []float64
	for _, e := range ends {
		objectives = append(objectives, e.rank.objective)
	}
	assert.Equal(t, []float64{1, 3, 4}, objectives, "best first, the better of two on one spot")
	for range 50 {
		start, size := between(plan.NewRand(7), ends)
		assert.True(t, start[0] >= 0 && start[0] <= 1 && size >= leastBetween && size <= firstSize)
	}
}

func TestFarthestIsFarFromAllEarlierStarts(t *testing.T) {
	earlier := [][]float64{{0.1, 0.1}, {0.2, 0.2}}
	point := farthest(plan.NewRand(1), earlier, 2)
	assert.Greater(t, distance(point, earlier[1]), 0.4)
}

func TestChildrenStayInTheCube(t *testing.T) {
	r := plan.NewRand(5)
	ev := &evolution{search: &search{problem: Problem{Space: make(space.Space, 3)}}, rand: r}
	for _, point := range plan.Random(r, 8, 3) {
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

func TestTheSurestPairIsNeverForgotten(t *testing.T) {
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
	assert.Equal(t, leastPopulation, population(10, 10))
	assert.Equal(t, 24, population(2, 10000))
	assert.Equal(t, 60, population(30, 10000))
	assert.Equal(t, 25, population(30, 200))
}

func TestErrorsOfTheEvaluatorEndASearch(t *testing.T) {
	gone := evaluatorFunc(func(context.Context, []core.Design) ([]core.Outcome, error) { return nil, assert.AnError })
	for name, method := range Methods {
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
	p := Problem{Space: space.Space{{Lower: -3, Upper: 5}}, Objective: &Objective{}}
	parabola := core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{(x[0] - 1) * (x[0] - 1)}} })
	for name, method := range Methods {
		result, err := method(t.Context(), p, parabola, Options{Seed: 1, Budget: 150}, nil)
		require.NoError(t, err, name)
		assert.InDelta(t, 1, result.Design[0], 1e-2, name)
	}
}

func TestAutoLooksAtTheBudget(t *testing.T) {
	stepped := false
	notes := func(budget int) (first int) {
		recording := evaluatorFunc(func(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
			if first == 0 {
				first = len(designs)
			}
			outcomes := make([]core.Outcome, len(designs))
			for i, x := range designs {
				outcomes[i].Values = []float64{x[0]}
			}
			return outcomes, nil
		})
		p := publishedProblems[0].problem()
		for i := range p.Space {
			if stepped {
				p.Space[i].Step = (p.Space[i].Upper - p.Space[i].Lower) / 1000
			}
		}
		_, err := Auto(t.Context(), p, recording, Options{Seed: 1, Budget: budget}, nil)
		require.NoError(t, err)
		return first
	}
	assert.Equal(t, 3, notes(30), "a simplex")
	assert.Equal(t, 24, notes(600), "a population")
	stepped = true
	assert.Equal(t, 15, notes(120), "a small population, where inputs are stepped")
}
