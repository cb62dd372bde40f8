package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/space"
)

func reach(column int, to float64) core.Constraint {
	return core.Constraint{Value: column, Limit: core.Limit{Lower: to - 1e-6, Upper: to + 1e-6}, Equal: true}
}

func seekProblem(constraints ...core.Constraint) (Problem, core.Evaluator) {
	p := Problem{Space: space.Space{{Lower: -5, Upper: 5}, {Lower: -5, Upper: 5}, {Lower: -5, Upper: 5}}, Goal: core.Goal{Constraints: constraints}}
	return p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[0]*x[0] + x[1]*x[1] + x[2]*x[2], math.Exp(x[0]) + x[1], x[0] + x[1] + x[2], x[0] * x[1]}}
	})
}

func TestTargetsAreReachedByTheLeastChange(t *testing.T) {
	t.Parallel()
	p, e := seekProblem(reach(0, 12))
	r, err := Seek(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{1, 1, 1}}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.Converged, r.Cause, r.Reason)
	assert.Equal(t, 2, r.Freedom)
	for _, x := range r.Best.Design {
		assert.InDelta(t, 2, x, 1e-5, "the nearest point of a sphere lies on the ray through the start")
	}
	assert.Less(t, r.Used, 30)
}

func TestAsManyTargetsAsInputs(t *testing.T) {
	t.Parallel()
	p, e := seekProblem(reach(0, 6), reach(1, math.Exp(1)+1), reach(2, 4))
	r, err := Seek(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{0.5, 0.5, 2.5}}, nil)
	require.NoError(t, err)
	assert.True(t, r.Best.Rank.Kept(), "%v %s", r.Best, r.Reason)
	assert.Zero(t, r.Freedom)
	assert.InDelta(t, 6, r.Best.Outcome.Values[0], 1e-6)
	assert.Less(t, r.Used, 25, "Broyden's formula saves differences")
}

func TestTooManyTargetsAreMissedLeast(t *testing.T) {
	t.Parallel()
	p, e := seekProblem(reach(0, 6), reach(1, 3), reach(2, 4), reach(3, 1))
	r, err := Seek(t.Context(), p, e, Options{Seed: 1, Budget: 300, Start: core.Design{1, 1, 1}}, nil)
	require.NoError(t, err)
	assert.False(t, r.Best.Rank.Kept())
	least := func(x core.Design) float64 { return p.asTargets().Least(e.(core.EvaluatorFunc)(x).Values) }
	found := r.Best.Design
	for j := range found {
		for _, h := range []float64{-1e-3, 1e-3} {
			other := append(core.Design{}, found...)
			other[j] += h
			assert.LessOrEqual(t, least(found), least(other))
		}
	}
}

func TestTargetsOutOfReachAreSaid(t *testing.T) {
	t.Parallel()
	p, e := seekProblem(reach(0, 1000))
	r, err := Seek(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{1, 1, 1}}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.Stuck, r.Cause)
	assert.Contains(t, r.Reason, "out of reach")
}

// Where the gradients of the targets vanish at the start, and where an input is a list, a search for targets goes on from elsewhere.
func TestTargetsAreReachedFromElsewhere(t *testing.T) {
	t.Parallel()
	within := func(to float64) core.Limit { return core.Limit{Lower: to - 1e-5, Upper: to + 1e-5} }
	both := core.Goal{Constraints: []core.Constraint{{Value: 0, Limit: within(5), Equal: true}, {Value: 1, Limit: within(2), Equal: true}}}
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[0]*x[0] + x[1]*x[1], x[0] * x[1]}}
	})
	p := Problem{Space: space.Space{{Name: "x", Lower: -5, Upper: 5}, {Name: "y", Lower: -5, Upper: 5}}, Goal: both}
	r, err := Seek(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{0, 0}}, nil)
	require.NoError(t, err)
	require.True(t, r.Best.Rank.Kept(), r.Reason)
	assert.Contains(t, r.Reason, "all targets are reached")
	p.Space[0] = space.Input{Name: "x", Values: []float64{-3, 0, 1, 4}}
	p.Space[1] = space.Input{Name: "y", Lower: -5, Upper: 5, Step: 0.5}
	r, err = Seek(t.Context(), p, e, Options{Seed: 1, Budget: 80, Start: core.Design{0, 0}}, nil)
	require.NoError(t, err)
	require.True(t, r.Best.Rank.Kept(), r.Reason)
	assert.Equal(t, core.Design{1, 2}, r.Best.Design)
	assert.Less(t, r.Used, 80, "and ends there")
	p.Constraints[0].Limit = within(900)
	r, err = Seek(t.Context(), p, e, Options{Seed: 1, Budget: 80, Start: core.Design{0, 0}}, nil)
	require.NoError(t, err)
	assert.Contains(t, r.Reason, "no design that reaches all targets was found")
}
