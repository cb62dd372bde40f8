package budget

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
)

// first gives the first input of a design as its value, and knows what it was asked before.
func first(asked map[string]bool) core.Evaluator {
	return core.EvaluatorFunc(func(x core.Design) core.Outcome {
		key := fmt.Sprint(x)
		repeated := asked[key]
		asked[key] = true
		return core.Outcome{Values: []float64{x[0]}, Repeated: repeated}
	})
}

func designs(xs ...float64) []core.Design {
	var all []core.Design
	for _, x := range xs {
		all = append(all, core.Design{x})
	}
	return all
}

func TestABudgetPaysForSoMany(t *testing.T) {
	t.Parallel()
	a := Open(first(map[string]bool{}), least(), Limits{Evaluations: 4})
	answers, err := a.Ask(t.Context(), designs(5, 3, 3))
	require.NoError(t, err)
	assert.Len(t, answers, 3)
	assert.Equal(t, 2, a.Used(), "a repeated design costs nothing")
	answers, err = a.Ask(t.Context(), designs(4, 1, 0))
	var ended Ended
	require.ErrorAs(t, err, &ended)
	assert.Equal(t, UsedUp, ended.Cause)
	assert.Len(t, answers, 2, "those that the budget pays for are answered")
	assert.Equal(t, core.Design{1}, a.Best().Design)
	assert.Contains(t, ended.Reason, "the budget of 4 evaluations is used up; the best was still improving after 4 of them")
	answers, err = a.Ask(t.Context(), designs(9))
	assert.ErrorAs(t, err, &ended)
	assert.Empty(t, answers)
}

func TestASettledSearchIsNotSaidToImprove(t *testing.T) {
	t.Parallel()
	a := Open(first(map[string]bool{}), least(), Limits{Evaluations: 20})
	_, err := a.Ask(t.Context(), designs(9, 8, 7, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26))
	assert.EqualError(t, err, "the budget of 20 evaluations is used up")
	assert.Equal(t, 3, a.ImprovedAt())
}

func TestAPlateauCountsWhatIsMoreThanTheTolerance(t *testing.T) {
	t.Parallel()
	steps := designs(100, 99.95, 99.9, 99.85, 99.8)
	_, err := Open(first(map[string]bool{}), least(), Limits{Evaluations: 50, Plateau: 4, Tolerance: 0.01}).Ask(t.Context(), steps)
	var ended Ended
	require.ErrorAs(t, err, &ended, "steps of half a thousandth are no improvement")
	assert.Equal(t, Stuck, ended.Cause)
	_, err = Open(first(map[string]bool{}), least(), Limits{Evaluations: 50, Plateau: 4, Tolerance: 1e-4}).Ask(t.Context(), steps)
	assert.NoError(t, err, "and with another tolerance they are")
	_, err = Open(first(map[string]bool{}), least(), Limits{Evaluations: 50, Tolerance: 0.01}).Ask(t.Context(), steps)
	assert.NoError(t, err, "without a plateau nothing ends early")
}

func TestEveryDesignIsKnownAtLast(t *testing.T) {
	t.Parallel()
	a := Open(first(map[string]bool{}), least(), Limits{Evaluations: 50, Designs: 3})
	_, err := a.Ask(t.Context(), designs(1, 2, 3))
	var ended Ended
	require.ErrorAs(t, err, &ended)
	assert.Equal(t, Exhausted, ended.Cause)
	a = Open(first(map[string]bool{"[1]": true}), least(), Limits{Evaluations: 50})
	for range maxRepeats - 1 {
		_, err = a.Ask(t.Context(), designs(1))
		require.NoError(t, err)
	}
	_, err = a.Ask(t.Context(), designs(1))
	assert.ErrorAs(t, err, &ended, "a method that proposes what is known has nothing left")
}

func TestFailuresAreNoBest(t *testing.T) {
	t.Parallel()
	failing := core.EvaluatorFunc(func(core.Design) core.Outcome { return core.Outcome{State: core.Failed} })
	a := Open(failing, least(), Limits{Evaluations: 3})
	_, err := a.Ask(t.Context(), designs(1, 2, 3))
	assert.Error(t, err)
	assert.Nil(t, a.Best().Design)
}

func TestMethodsWithinMethodsHaveBudgetsOfTheirOwn(t *testing.T) {
	t.Parallel()
	whole := Open(first(map[string]bool{}), least(), Limits{Evaluations: 10})
	part := Open(whole, least(), Limits{Evaluations: 3})
	outcomes, err := part.Evaluate(t.Context(), designs(1, 2))
	require.NoError(t, err)
	assert.Len(t, outcomes, 2)
	_, err = part.Evaluate(t.Context(), designs(3, 4))
	var ended Ended
	assert.ErrorAs(t, err, &ended, "it answers all or none")
	assert.Equal(t, []int{2, 2}, []int{whole.Used(), part.Used()})
	assert.False(t, part.Differentiates())
}

// linear gives 3x with its derivative.
type linear struct{ core.EvaluatorFunc }

func (linear) Differentiate(_ context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives := make([]core.Outcome, len(designs)), make([]core.Derivatives, len(designs))
	for i, x := range designs {
		outcomes[i].Values = []float64{3 * x[0]}
		derivatives[i] = &core.Matrix{Rows: 1, Columns: 1, Stride: 1, Data: []float64{3}}
	}
	return outcomes, derivatives, nil
}

func TestDerivativesAreCountedAsTheirDesigns(t *testing.T) {
	t.Parallel()
	a := Open(linear{}, least(), Limits{Evaluations: 2})
	require.True(t, a.Differentiates())
	answers, derivatives, err := a.AskDerivatives(t.Context(), designs(2, 1, 0))
	assert.Error(t, err)
	require.Len(t, answers, 2)
	assert.Equal(t, []float64{3}, derivatives[1].Row(0))
	assert.Equal(t, core.Design{1}, a.Best().Design)
}

// What is known costs nothing: behind it the budget pays for the rest.
func TestABudgetPaysForWhatComesBehindKnownDesigns(t *testing.T) {
	t.Parallel()
	a := Open(first(map[string]bool{"[1]": true, "[2]": true}), least(), Limits{Evaluations: 3})
	answers, err := a.Ask(t.Context(), designs(1, 2, 1, 5, 6))
	require.NoError(t, err)
	assert.Len(t, answers, 5)
	assert.Equal(t, 2, a.Used())
}

func TestNoDesignIsAskedThatCannotBe(t *testing.T) {
	t.Parallel()
	asked := 0
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked++
		assert.False(t, math.IsNaN(x[0]))
		return core.Outcome{Values: []float64{x[0]}}
	})
	a := Open(e, least(), Limits{Evaluations: 5})
	answers, err := a.Ask(t.Context(), designs(3, math.NaN(), 2, math.Inf(1)))
	require.NoError(t, err)
	require.Len(t, answers, 4)
	assert.Equal(t, []core.State{core.OK, core.Failed, core.OK, core.Failed}, []core.State{answers[0].Outcome.State, answers[1].Outcome.State, answers[2].Outcome.State, answers[3].Outcome.State})
	assert.Equal(t, core.Design{2}, a.Best().Design)
	assert.Equal(t, []int{2, 2}, []int{asked, a.Used()})
}
