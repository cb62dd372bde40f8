package optimize

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/space"
)

// reaches runs a method on a problem and says whether it came within the relative tolerance of the best known value,
// at a design that meets every constraint, within the budget.
func reaches(t testing.TB, method Method, p example, seed uint64) bool {
	problem, asked := p.problem(), 0
	result, err := method(context.Background(), problem, p.evaluator(&asked), Options{Seed: seed, Budget: p.budget, Start: p.start}, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, asked, p.budget)
	require.NotEmpty(t, result.Reason)
	if !result.Best.Rank.Feasible() {
		return false
	}
	return math.Abs(result.Best.Outcome.Values[0]-p.best) <= 1e-3*math.Abs(p.best)
}

func TestMethodsReachTheBestKnownValues(t *testing.T) {
	t.Parallel()
	for name, method := range map[string]Method{"differential-evolution": DifferentialEvolution, "nelder-mead": NelderMead} {
		for _, p := range publishedProblems {
			if name == "nelder-mead" && (p.name == "g06" || p.name == "g08") {
				continue // thin or many-humped: not what a simplex is for
			}
			t.Run(name+"/"+p.name, func(t *testing.T) {
				for seed := range uint64(3) {
					assert.True(t, reaches(t, method, p, seed+1), "seed %d", seed+1)
				}
			})
		}
	}
}

// general are the methods that take every problem with one objective; smooth ones want an input that is neither stepped nor a list.
func general(smooth bool) map[string]Method {
	chosen := map[string]Method{}
	for name, method := range Methods {
		if name != "levenberg-marquardt" && (smooth || !slices.Contains([]string{"sqp", "trust-region", "multi-start", "epsilon-constraint", "weighted-sum"}, name)) {
			chosen[name] = method
		}
	}
	return chosen
}

func TestSameSeedSameDesigns(t *testing.T) {
	t.Parallel()
	for name, method := range general(true) {
		p := publishedProblems[0]
		var sequences [2][]core.Design
		for i := range sequences {
			asked := 0
			inner := p.evaluator(&asked)
			recording := evaluatorFunc(func(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
				sequences[i] = append(sequences[i], designs...)
				return inner.Evaluate(ctx, designs)
			})
			_, err := method(context.Background(), p.problem(), recording, Options{Seed: 7, Budget: 300}, nil)
			require.NoError(t, err)
		}
		assert.Equal(t, sequences[0], sequences[1], name)
		assert.NotEmpty(t, sequences[0], name)
	}
}

type evaluatorFunc func(ctx context.Context, designs []core.Design) ([]core.Outcome, error)

func (f evaluatorFunc) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	return f(ctx, designs)
}

func TestMaximizeIsTheMirrorOfMinimize(t *testing.T) {
	t.Parallel()
	p := publishedProblems[0]
	problem, asked := p.problem(), 0
	problem.Objectives[0].Maximize = true
	p.f = func(f func(core.Design) float64) func(core.Design) float64 {
		return func(x core.Design) float64 { return -f(x) }
	}(p.f)
	result, err := DifferentialEvolution(context.Background(), problem, p.evaluator(&asked), Options{Seed: 1, Budget: 1200}, nil)
	require.NoError(t, err)
	assert.InDelta(t, -p.best, result.Best.Outcome.Values[0], 1e-3)
}

func TestSteppedInputsStayOnTheirSteps(t *testing.T) {
	t.Parallel()
	problem := Problem{Space: space.Space{{Lower: 1, Upper: 6, Step: 1}, {Lower: 0, Upper: 1, Step: 0.25}}, Goal: least()}
	asked := map[string]bool{}
	evaluator := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		assert.Equal(t, math.Trunc(x[0]), x[0])
		key := fmt.Sprint(x)
		repeated := asked[key]
		asked[key] = true
		return core.Outcome{Values: []float64{math.Abs(x[0]-4) + math.Abs(x[1]-0.5)}, Repeated: repeated}
	})
	for name, method := range general(false) {
		clear(asked)
		result, err := method(context.Background(), problem, evaluator, Options{Seed: 3, Budget: 500}, nil)
		require.NoError(t, err, name)
		assert.Equal(t, core.Design{4, 0.5}, result.Best.Design, name)
		if name != "pattern" && name != "surrogate" {
			assert.Contains(t, result.Reason, "known", "thirty designs are fewer than the budget: %s", name)
		}
	}
}

func TestFailuresAndUntriedDesignsAreSteppedOver(t *testing.T) {
	t.Parallel()
	problem := Problem{Space: space.Space{{Lower: 0, Upper: 1}, {Lower: 0, Upper: 1}}, Goal: least(core.Constraint{Value: 1, Limit: atLeast(0.5)})}
	evaluator := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		switch {
		case x[0] < 0.5: // the constraint is on an input alone
			return core.Outcome{State: core.NotTried, Values: []float64{math.NaN(), x[0]}}
		case x[1] > 0.8:
			return core.Outcome{State: core.Failed}
		}
		return core.Outcome{Values: []float64{x[0] - x[1], x[0]}}
	})
	for name, method := range general(true) {
		if name == "sqp" || name == "trust-region" || name == "epsilon-constraint" || name == "weighted-sum" {
			continue // they need a start that the solver can do
		}
		result, err := method(context.Background(), problem, evaluator, Options{Seed: 2, Budget: 600, Start: core.Design{0.1, 0.1}}, nil)
		require.NoError(t, err, name)
		require.NotNil(t, result.Best.Design, name)
		assert.InDelta(t, -0.3, result.Best.Outcome.Values[0], 0.01, name)
	}
}

func TestWhySearchesEnd(t *testing.T) {
	t.Parallel()
	p := publishedProblems[0]
	for name, c := range map[string]struct {
		change func(*Problem, *Options)
		cause  budget.Cause
		reason string
	}{
		"budget":       {func(*Problem, *Options) {}, budget.UsedUp, "budget of 400 evaluations is used up"},
		"plateau":      {func(_ *Problem, o *Options) { o.Plateau, o.Tolerance = 50, 1e-3 }, budget.Stuck, "the last 50 evaluations brought no improvement"},
		"no objective": {func(p *Problem, _ *Options) { p.Objectives = nil }, budget.Satisfied, "meets every requirement"},
	} {
		problem, options, asked := p.problem(), Options{Seed: 1, Budget: 400}, 0
		c.change(&problem, &options)
		result, err := DifferentialEvolution(context.Background(), problem, p.evaluator(&asked), options, nil)
		require.NoError(t, err)
		assert.Contains(t, result.Reason, c.reason, name)
		assert.Equal(t, c.cause, result.Cause, name)
		assert.Equal(t, asked, result.Used, name)
	}
}

func TestImpossibleProblemsAreRefused(t *testing.T) {
	t.Parallel()
	for message, p := range map[string]Problem{
		"no input is varied":        {},
		"is empty or not finite":    {Space: space.Space{{Name: "a", Lower: 2, Upper: 1}}},
		"needs a lower end above 0": {Space: space.Space{{Name: "a", Lower: 0, Upper: 1, Log: true}}},
	} {
		_, err := NelderMead(context.Background(), p, nil, Options{Budget: 10}, nil)
		assert.ErrorContains(t, err, message)
	}
}

// catalogue is a search among words and parts: only the third word with one of the heavier parts is light and strong.
func catalogue() (Problem, core.Evaluator) {
	words, parts := []float64{0, 1, 2, 3, 4, 5}, make([]float64, 2000)
	for i := range parts {
		parts[i] = float64(i)
	}
	p := Problem{
		Space: space.Space{{Name: "word", Values: words, Unordered: true}, {Name: "part", Values: parts}, {Name: "length", Lower: 1, Upper: 3}},
		Goal:  least(core.Constraint{Value: 1, Limit: atLeast(0)}),
	}
	cost := []float64{3, 5, 1, 4, 2, 6}
	return p, core.EvaluatorFunc(func(d core.Design) core.Outcome {
		strength := d[1]/1000 - 0.6*d[2]
		return core.Outcome{Values: []float64{cost[int(d[0])] + d[1]/1000 + (d[2]-2)*(d[2]-2), strength}}
	})
}

func TestWordsAndCatalogsAreSearched(t *testing.T) {
	t.Parallel()
	for seed := uint64(1); seed <= 5; seed++ {
		p, e := catalogue()
		result, err := DifferentialEvolution(t.Context(), p, e, Options{Seed: seed, Budget: 1500}, func(string) {})
		require.NoError(t, err)
		assert.Equal(t, 2.0, result.Best.Design[0], "the cheapest word")
		assert.InDelta(t, 2.11, result.Best.Outcome.Values[0], 0.01, "1 + 0.6*1.7 + 0.09 at length 1.7")
	}
}

func TestASearchBeginsAtItsStartToTheLastBit(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Lower: 1e-6, Upper: 10, Log: true}, {Lower: 3, Upper: 11.1}}, Goal: least()}
	changed := 0
	for i := range 200 {
		start := core.Design{1e-6 * math.Pow(1e7, float64(i)/199), 3 + 8.1*float64(i)/199}
		if p.Space.Design(p.Space.Point(start))[0] != start[0] {
			changed++
		}
		first := core.Design(nil)
		recording := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			if first == nil {
				first = x
			}
			return core.Outcome{Values: []float64{x[0]}}
		})
		_, err := Methods["nelder-mead"](t.Context(), p, recording, Options{Seed: 1, Budget: 3, Start: start}, nil)
		require.NoError(t, err)
		assert.Equal(t, start, first)
	}
	assert.Positive(t, changed, "the way through the cube changes some")
	_, err := NelderMead(t.Context(), p, nil, Options{Budget: 3, Start: core.Design{1}}, nil)
	assert.ErrorContains(t, err, "the start has 1 values for 2 inputs")
}

func TestNothingUsableIsNoBest(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Lower: 0, Upper: 1}}, Goal: least()}
	for name, method := range general(true) {
		result, err := method(t.Context(), p, core.EvaluatorFunc(func(core.Design) core.Outcome { return core.Outcome{State: core.Failed} }), Options{Seed: 1, Budget: 30}, nil)
		require.NoError(t, err, name)
		assert.Nil(t, result.Best.Design, name)
	}
}
