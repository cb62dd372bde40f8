package service_test

import (
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
)

func TestDesignsArePicked(t *testing.T) {
	t.Parallel()
	b := boom(t)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	picked, err := c.Pick(t.Context(), "pulley", api.Pick{Candidate: api.Candidate{Run: run.ID}, Name: "light", Because: "  the lightest "})
	require.NoError(t, err)
	assert.Equal(t, run.Headline.Evaluation, picked.Evaluation, "evaluation 0 is the best")
	assert.Equal(t, []any{"pulley", "light", "the lightest", 1}, []any{picked.Bench, picked.Name, picked.Because, picked.Revision})
	all, err := c.Candidates(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, []api.NamedCandidate{picked}, all)
	all, err = c.Candidates(t.Context(), "drum")
	require.NoError(t, err)
	assert.Empty(t, all)

	for says, p := range map[string]api.Pick{
		"must be a letter":        {Candidate: picked.Candidate, Name: "2nd"},
		"at most 60 in all":       {Candidate: picked.Candidate, Name: strings.Repeat("a", 61)},
		"at most 1000 characters": {Candidate: picked.Candidate, Name: "a", Because: strings.Repeat("x", 1001)},
		"there is no run 99":      {Candidate: api.Candidate{Run: 99, Evaluation: 1}, Name: "a"},
		"has no evaluation 4711":  {Candidate: api.Candidate{Run: run.ID, Evaluation: 4711}, Name: "a"},
		"light is evaluation ":    {Candidate: api.Candidate{Run: run.ID, Evaluation: 1}, Name: "light"},
	} {
		_, err := c.Pick(t.Context(), "pulley", p)
		assert.ErrorContains(t, err, says)
	}
	_, err = c.Pick(t.Context(), "drum", api.Pick{Candidate: picked.Candidate, Name: "a"})
	assert.ErrorContains(t, err, "there is no bench drum")
	require.NoError(t, c.Withdraw(t.Context(), "pulley", "light"))
	assert.ErrorContains(t, c.Withdraw(t.Context(), "pulley", "light"), "pulley has no candidate light")
}

// Two who name two designs at once do not both get the name.
func TestANameIsGivenOnce(t *testing.T) {
	t.Parallel()
	b := boom(t)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	var given atomic.Int32
	var wait sync.WaitGroup
	for i := range 8 {
		wait.Go(func() {
			if _, err := c.Pick(t.Context(), "pulley", api.Pick{Candidate: api.Candidate{Run: run.ID, Evaluation: i + 1}, Name: "light"}); err == nil {
				given.Add(1)
			}
		})
	}
	wait.Wait()
	all, err := c.Candidates(t.Context(), "pulley")
	require.NoError(t, err)
	assert.Len(t, all, 1)
	assert.Equal(t, int32(1), given.Load())
}
