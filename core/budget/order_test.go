package budget

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ropebench/core"
)

func atMost(limit float64) core.Limit { return core.Limit{Lower: math.Inf(-1), Upper: limit} }

func atLeast(limit, reserve float64) core.Limit {
	return core.Limit{Lower: limit, Upper: math.Inf(1), Reserve: reserve}
}

func least(constraints ...core.Constraint) core.Goal {
	return core.Goal{Objectives: []core.Objective{{}}, Constraints: constraints}
}

func outcome(values ...float64) core.Outcome { return core.Outcome{Values: values} }

func TestRanks(t *testing.T) {
	t.Parallel()
	goal := least(core.Constraint{Value: 1, Limit: atMost(10)}, core.Constraint{Value: 2, Limit: atLeast(5, 1)})
	o := NewOrder(goal)
	o.Learn([]core.Outcome{outcome(0, 30, 5), outcome(0, 14, 25)})
	assert.Equal(t, []float64{20, 20}, o.unit, "the largest distance from each limit")
	o.Learn([]core.Outcome{outcome(0, 1e6, 1e6)})
	assert.Equal(t, []float64{20, 20}, o.unit, "and it stays")
	ordered := []core.Outcome{
		outcome(1, 9, 7), outcome(2, 10, 6), // feasible, by the objective; on the limit counts
		outcome(-9, 9, 5.5), outcome(-9, 9, 5), // the reserve is missing
		outcome(-9, 12, 6), outcome(0, 12, 6), outcome(-9, 12, 5), // by the violation, then the objective
		{State: core.NotTried, Values: []float64{math.NaN(), 11, math.NaN()}}, {State: core.NotTried, Values: []float64{math.NaN(), 12, math.NaN()}},
		{State: core.Failed},
	}
	for i := range ordered[1:] {
		assert.True(t, o.Rank(ordered[i]).Better(o.Rank(ordered[i+1])), "%d before %d", i, i+1)
		assert.False(t, o.Rank(ordered[i+1]).Better(o.Rank(ordered[i])), "%d not before %d", i+1, i)
	}
	for i, want := range [][3]bool{{true, true, true}, {true, true, true}, {false, true, true}, {false, true, true}, {false, false, true}, {false, false, true}, {false, false, true}, {}, {}, {}} {
		rank := o.Rank(ordered[i])
		assert.Equal(t, want, [3]bool{rank.Feasible(), rank.Kept(), rank.Usable()}, "%d", i)
	}
	assert.True(t, goal.Feasible([]float64{0, 10, 5}), "reserves are not asked for")
	assert.False(t, goal.Feasible([]float64{0, math.NaN(), 6}), "what is not known keeps no limit")
}

func TestViolationsAreSharesUntilUnitsAreLearned(t *testing.T) {
	t.Parallel()
	o := NewOrder(least(core.Constraint{Value: 1, Limit: atMost(10)}, core.Constraint{Value: 2, Limit: atMost(0)}))
	assert.InDelta(t, 3, o.Rank(outcome(0, 12, 3)).violation, 1e-12, "the worst; a limit of 0 has the unit of its value")
	o.Scale(outcome(0, 12, -30))
	assert.InDelta(t, 0.2, o.Rank(outcome(0, 12, 3)).violation, 1e-12, "or of how far it was from it when it was first seen")
	o.Learn([]core.Outcome{outcome(0, 50, 6)})
	assert.InDelta(t, 2.0/40+3.0/6, o.Rank(outcome(0, 12, 3)).violation, 1e-12)
}

func TestSoftConstraintsHaveAPrice(t *testing.T) {
	t.Parallel()
	o := NewOrder(least(core.Constraint{Value: 1, Limit: atMost(2), Price: 40}))
	rank := o.Rank(outcome(100, 2.5))
	assert.True(t, rank.Feasible())
	assert.Equal(t, 120.0, rank.objective)
}

func TestGainIsAShareOfTheObjective(t *testing.T) {
	t.Parallel()
	o := NewOrder(least(core.Constraint{Value: 1, Limit: atMost(2)}))
	better, worse, missing := o.Rank(outcome(90, 1)), o.Rank(outcome(100, 1)), o.Rank(outcome(1, 3))
	assert.InDelta(t, 0.1, better.Gain(worse), 1e-12)
	assert.Zero(t, worse.Gain(better))
	assert.True(t, math.IsInf(worse.Gain(missing), 1), "to meet the limit is more than any share")
}

func TestOrderIsStrict(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string) Rank {
			return Rank{class: class(rapid.IntRange(0, 4).Draw(t, name+" class")), violation: rapid.Float64Range(0, 2).Draw(t, name+" violation"), objective: rapid.Float64Range(-2, 2).Draw(t, name+" objective")}
		}
		a, b, c := draw("a"), draw("b"), draw("c")
		if a.Better(a) || a.Better(b) && b.Better(a) || a.Better(b) && b.Better(c) && !a.Better(c) {
			t.Fatalf("%v %v %v", a, b, c)
		}
	})
}
