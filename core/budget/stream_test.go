package budget

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
)

// A lifo gives the design that was handed in last first.
type lifo struct {
	core.Evaluator
	open    []core.Design
	tickets []int
	given   int
	closed  bool
}

func (l *lifo) Stream() core.Stream { return l }

func (l *lifo) Submit(ctx context.Context, designs ...core.Design) error {
	for _, design := range designs {
		l.open, l.tickets = append(l.open, design), append(l.tickets, l.given)
		l.given++
	}
	return ctx.Err()
}

func (l *lifo) Next(ctx context.Context) (int, core.Outcome, error) {
	if len(l.open) == 0 {
		return 0, core.Outcome{}, core.ErrNothingOpen
	}
	last := len(l.open) - 1
	design, ticket := l.open[last], l.tickets[last]
	l.open, l.tickets = l.open[:last], l.tickets[:last]
	outcomes, err := l.Evaluator.Evaluate(ctx, []core.Design{design})
	return ticket, outcomes[0], err
}

func (l *lifo) Close() { l.closed = true }

func TestABudgetPaysForWhatIsOpen(t *testing.T) {
	t.Parallel()
	l := &lifo{Evaluator: first(map[string]bool{})}
	a := Open(l, least(), Limits{Evaluations: 4})
	s := a.Stream()
	for _, x := range []float64{5, 3, 4} {
		require.NoError(t, s.Submit(t.Context(), core.Design{x}))
	}
	assert.Equal(t, []int{3, 0}, []int{s.Open(), a.Used()})
	answers, err := s.Next(t.Context(), 2)
	require.NoError(t, err)
	assert.Equal(t, []core.Design{{4}, {3}}, []core.Design{answers[0].Design, answers[1].Design}, "as they come out")
	assert.Equal(t, []float64{4, 3}, []float64{answers[0].Rank.Objective(), answers[1].Rank.Objective()})
	assert.Equal(t, core.Design{3}, a.Best().Design)
	require.NoError(t, s.Submit(t.Context(), core.Design{1}))
	var ended Ended
	require.ErrorAs(t, s.Submit(t.Context(), core.Design{0}), &ended, "two are known and two at work")
	assert.Equal(t, UsedUp, ended.Cause)
	answers, err = s.Next(t.Context(), 2)
	require.ErrorAs(t, err, &ended)
	assert.Len(t, answers, 2, "they are good")
	assert.Equal(t, core.Design{1}, a.Best().Design)
	_, err = s.Next(t.Context(), 1)
	assert.ErrorIs(t, err, core.ErrNothingOpen)
	s.Close()
	assert.True(t, l.closed)
}

func TestStreamsLearnUnitsFromAllThatCameOutTogether(t *testing.T) {
	t.Parallel()
	goal := core.Goal{Objectives: []core.Objective{{Value: 0}}, Constraints: []core.Constraint{{Value: 0, Limit: core.Limit{Lower: 100, Upper: 200}}}}
	ranks := func(together bool) []float64 {
		s := Open(&lifo{Evaluator: first(map[string]bool{})}, goal, Limits{Evaluations: 9}).Stream()
		for _, x := range []float64{50, 99} {
			require.NoError(t, s.Submit(t.Context(), core.Design{x}))
		}
		var all []Answer
		for _, n := range map[bool][]int{true: {2}, false: {1, 1}}[together] {
			answers, err := s.Next(t.Context(), n)
			require.NoError(t, err)
			all = append(all, answers...)
		}
		return []float64{all[0].Rank.Missed(), all[1].Rank.Missed()}
	}
	assert.Equal(t, []float64{1.0 / 50, 1}, ranks(true), "in units of the one that misses most")
	assert.Equal(t, []float64{1, 50}, ranks(false))
}

func TestDesignsOfAStreamAreTheirOwn(t *testing.T) {
	t.Parallel()
	s := Open(&lifo{Evaluator: first(map[string]bool{})}, least(), Limits{Evaluations: 9}).Stream()
	x := core.Design{5}
	require.NoError(t, s.Submit(t.Context(), x))
	x[0] = 9 // the method goes on with its slice
	answers, err := s.Next(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, core.Design{5}, answers[0].Design)
	assert.Nil(t, Open(first(map[string]bool{}), least(), Limits{Evaluations: 9}).Stream(), "not every evaluator streams")
}
