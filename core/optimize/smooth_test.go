package optimize

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/published"
	"ropebench/core/space"
)

func modelOf(t testing.TB, s published.Smooth) *published.Model {
	m, err := s.Model()
	require.NoError(t, err)
	return m
}

// solvedOf searches every example from its start, and gives how many reach the best known value within 400 evaluations, and the
// median of what that costs, derivatives included.
func solvedOf(t *testing.T, method Method, exact, ahead bool) (solved, median int) {
	var costs []int
	for _, s := range published.SmoothExamples {
		m := modelOf(t, s)
		var e core.Evaluator = m
		if exact {
			e = published.Differentiated{Model: m}
		}
		p := Problem{Space: s.Space(), Goal: s.Goal()}
		if ahead {
			p.Ahead, m.Screens = published.Ahead{Model: m}, true
		}
		_, err := method(t.Context(), p, e, Options{Seed: 1, Budget: 400, Start: s.Start}, nil)
		require.NoError(t, err)
		require.LessOrEqual(t, m.Asked, 400)
		require.LessOrEqual(t, m.NotTried, m.Asked/20, "problem %s: what inputs alone decide is kept before it is asked", s.Name)
		cost := m.ToSuccess(1e-5)
		if cost > 0 {
			solved++
			costs = append(costs, cost)
			continue
		}
		costs = append(costs, math.MaxInt)
		t.Logf("problem %s is not solved", s.Name)
	}
	slices.Sort(costs)
	return solved, costs[len(costs)/2]
}

func TestSmoothExamplesAreSolved(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name         string
		method       Method
		exact, ahead bool
		least, most  int
	}{
		{name: "one search with derivatives", method: SQP, exact: true, least: 64, most: 21},
		{name: "one search, constraints on inputs alone", method: SQP, exact: true, ahead: true, least: 64, most: 12},
		{name: "one search without derivatives", method: SQP, least: 64, most: 45},
		{name: "one search without derivatives, constraints on inputs alone", method: SQP, ahead: true, least: 64, most: 25},
		{name: "models", method: TrustRegion, least: 57, most: 60},
		{name: "auto", method: Auto, exact: true, ahead: true, least: 67, most: 12},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			solved, median := solvedOf(t, c.method, c.exact, c.ahead)
			t.Logf("%d of %d solved, median %d", solved, len(published.SmoothExamples), median)
			require.GreaterOrEqual(t, solved, c.least)
			require.LessOrEqual(t, median, c.most)
		})
	}
}

// The prices that are told are what the optimum does when a limit moves.
func TestPricesAreWhatAWiderLimitBrings(t *testing.T) {
	t.Parallel()
	for _, ahead := range []bool{false, true} {
		i := slices.IndexFunc(published.SmoothExamples, func(s published.Smooth) bool { return s.Name == "43" })
		s := published.SmoothExamples[i]
		best := func(room float64) (*Optimum, Result) {
			m := modelOf(t, s)
			p := Problem{Space: s.Space(), Goal: s.Goal()}
			for k := range p.Constraints {
				p.Constraints[k].Limit.Lower -= room
			}
			if ahead {
				p.Ahead = published.Ahead{Model: m}
			}
			r, err := SQP(t.Context(), p, published.Differentiated{Model: m}, Options{Seed: 1, Budget: 400, Start: s.Start}, nil)
			require.NoError(t, err)
			asked := m.Asked
			o, err := Explain(t.Context(), p, published.Differentiated{Model: m}, nil, r)
			require.NoError(t, err)
			require.Equal(t, asked, m.Asked, "explaining asks for no design")
			return o, r
		}
		o, tight := best(0)
		_, wide := best(1e-3)
		total := 0.0
		for _, price := range o.Prices {
			total += price
		}
		gained := tight.Best.Outcome.Values[0] - wide.Best.Outcome.Values[0]
		assert.InEpsilon(t, gained, total*1e-3, 1e-2, "ahead %v", ahead)
		assert.Zero(t, o.Prices[1], "the second constraint has room")
		assert.Less(t, o.Level, 1e-4)
	}
}

// An input at the end of its range costs what moving that end would bring.
func TestEndsOfRangesHaveTheirPrice(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Lower: 0, Upper: 2}, {Lower: 1, Upper: 100, Log: true}, {Lower: 0, Upper: 1}}, Goal: least()}
	e := withSlopes(func(x core.Design) ([]float64, []float64) {
		return []float64{(x[0]-5)*(x[0]-5) + 3*x[1]}, []float64{2 * (x[0] - 5), 3, 0}
	})
	r, err := SQP(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{1, 10, 0.5}}, nil)
	require.NoError(t, err)
	assert.Equal(t, core.Design{2, 1, 0.5}, r.Best.Design)
	o, err := Explain(t.Context(), p, e, nil, r)
	require.NoError(t, err)
	assert.InDelta(t, 6, o.EndPrices[0], 1e-6)
	assert.True(t, o.UpperEnds[0])
	assert.InDelta(t, 3, o.EndPrices[1], 1e-6)
	assert.False(t, o.UpperEnds[1])
	assert.Equal(t, []bool{false, false, true}, o.Idle)
}

// withSlopes answers designs by a function that gives the values and the slopes of the first of them.
type withSlopes func(core.Design) (values, slopes []float64)

func (f withSlopes) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, x := range designs {
		outcomes[i].Values, _ = f(x)
	}
	return outcomes, nil
}

func (f withSlopes) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := f.Evaluate(ctx, designs)
	derivatives := make([]core.Derivatives, len(designs))
	for i, x := range designs {
		_, slopes := f(x)
		m := core.MatrixOf([][]float64{slopes})
		derivatives[i] = &m
	}
	return outcomes, derivatives, err
}

func TestContradictionsAreFound(t *testing.T) {
	t.Parallel()
	// x at most 1 and y at least 2 are asked where y = x, and z does not matter
	p := Problem{Space: space.Space{{Lower: 0, Upper: 4}, {Lower: 0, Upper: 4}}, Goal: least(core.Constraint{Value: 1, Limit: atMost(1)}, core.Constraint{Value: 2, Limit: atLeast(2)}, core.Constraint{Value: 3, Limit: atMost(9)})}
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[1], x[0], x[0], x[1]}}
	})
	r, err := SQP(t.Context(), p, e, Options{Seed: 1, Budget: 200, Start: core.Design{3, 3}}, nil)
	require.NoError(t, err)
	assert.False(t, r.Best.Rank.Kept())
	o, err := Explain(t.Context(), p, e, nil, r)
	require.NoError(t, err)
	require.NotNil(t, o)
	assert.True(t, math.IsInf(o.Easings[2].By, 1))
	assert.True(t, o.Easings[2].Met)
	for _, easing := range o.Easings[:2] {
		assert.GreaterOrEqual(t, easing.By, 1.0, "what is told is enough")
	}
	o, err = Explain(t.Context(), p, e, e, r)
	require.NoError(t, err)
	assert.InDelta(t, 1, o.Easings[0].By, 1e-6, "and what is looked for aside is the least")
	assert.InDelta(t, 1, o.Easings[1].By, 1e-6)
	assert.Nil(t, o.Feasible)
}

// Values of few digits are smoothed over by models, where differences of neighbours say nothing.
func TestFewDigitsAreEnoughForModels(t *testing.T) {
	t.Parallel()
	i := slices.IndexFunc(published.SmoothExamples, func(s published.Smooth) bool { return s.Name == "100" })
	s := published.SmoothExamples[i]
	for seed := range uint64(3) {
		m := modelOf(t, s)
		m.Digits = 4
		_, err := Auto(t.Context(), Problem{Space: s.Space(), Goal: s.Goal(), Ahead: published.Ahead{Model: m}}, m, Options{Seed: seed + 1, Budget: 600, Start: s.Start}, nil)
		require.NoError(t, err)
		assert.Positive(t, m.ToSuccess(1e-3), "seed %d", seed+1)
	}
}

func TestWrongDerivativesAreFoundOut(t *testing.T) {
	t.Parallel()
	for wrong, factor := range map[bool]float64{false: 1, true: -3} {
		e := withSlopes(func(x core.Design) ([]float64, []float64) {
			return []float64{(x[0]-1)*(x[0]-1) + (x[1]-2)*(x[1]-2)*x[0]}, []float64{2*(x[0]-1) + (x[1]-2)*(x[1]-2), factor * 2 * (x[1] - 2) * x[0]}
		})
		p := Problem{Space: space.Space{{Lower: 0.5, Upper: 4}, {Lower: 0, Upper: 400}}, Goal: least()}
		r, err := SQP(t.Context(), p, e, Options{Seed: 1, Budget: 200, Start: core.Design{3, 30}, Check: true}, nil)
		require.NoError(t, err)
		assert.InDelta(t, 0, r.Best.Outcome.Values[0], 1e-5, "wrong %v", wrong)
		if !wrong {
			assert.Empty(t, r.Doubted)
			continue
		}
		require.Contains(t, r.Doubted, 0)
		assert.Equal(t, 1, r.Doubted[0].Input)
		assert.InEpsilon(t, 168, r.Doubted[0].Difference, 1e-3)
		assert.InEpsilon(t, -504, r.Doubted[0].Given, 1e-9)
	}
}

// silent could give derivatives, as any program that is asked, and gives none.
type silent struct{ core.Evaluator }

func (s silent) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := s.Evaluate(ctx, designs)
	return outcomes, make([]core.Derivatives, len(designs)), err
}

func TestAutoSeesWhetherDerivativesCome(t *testing.T) {
	t.Parallel()
	branin := publishedProblems[0]
	asked := 0
	r, err := Auto(t.Context(), branin.problem(), silent{branin.evaluator(&asked)}, Options{Seed: 1, Budget: 40, Few: true, Check: true, Start: branin.start}, nil)
	require.NoError(t, err)
	assert.Contains(t, r.Chose, "surrogates", "as for any solver without derivatives")
	r, err = Auto(t.Context(), branin.problem(), silent{branin.evaluator(&asked)}, Options{Seed: 1, Budget: 200, Check: true, Start: branin.start}, nil)
	require.NoError(t, err)
	assert.Contains(t, r.Chose, "differences of neighbours, since derivatives are not known")
}

// Places that differ in an input that changes nothing are one: it is no sign of many valleys.
func TestAnInputWithoutEffectMakesNoPlaces(t *testing.T) {
	t.Parallel()
	p := Problem{Space: space.Space{{Name: "x", Lower: -2, Upper: 3}, {Name: "y", Lower: -2, Upper: 2.5}, {Name: "idle", Lower: 0, Upper: 9}}, Goal: least()}
	values := func(x core.Design) []float64 { return []float64{3 + math.Pow(x[0]-1, 2) + math.Pow(x[1]*x[1]-1, 2)} }
	plain := core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: values(x)} })
	for _, e := range []core.Evaluator{plain, withDerivatives{Evaluator: plain, rows: central(values, 1e-6)}} {
		r, err := MultiStart(t.Context(), p, e, Options{Seed: 1, Budget: 900}, nil)
		require.NoError(t, err)
		assert.Equal(t, 2, r.Ends, "y = 1 and y = -1, whatever idle is: %s", r.Reason)
		assert.Len(t, r.Others, 1)
		assert.Equal(t, budget.Converged, r.Cause)
	}
}
