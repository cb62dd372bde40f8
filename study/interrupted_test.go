package study_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/result"
	"ropebench/study"
)

// interrupted is an external solver, slow enough to be interrupted.
const interrupted = `bench: 1
inputs:
  a: {nominal: 2, range: [0, 4]}
  b: {nominal: 2, range: [0, 4], step: 0.5}
  c: {nominal: 1}
solver:
  steps: [{run: [awk, 'BEGIN {a = @[a]; b = @[b]; c = @[c]; printf "cost %.12g size %.12g\n", (a - 1)^2 + (b - c)^2 + c, a + b > "o.txt"}']}]
outputs: {cost: {file: o.txt, match: 'cost (\S+)'}, size: {file: o.txt, match: 'size (\S+)'}}
requirements: {R1: {of: size, at_least: 2.3}}
studies:
  few:   {kind: optimize, minimize: cost, method: surrogate, budget: {evaluations: 25}}
  trade: {kind: optimize, objectives: [{minimize: cost}, {maximize: size}], budget: {evaluations: 40}}
  each:  {kind: optimize, minimize: cost, budget: {evaluations: 8}}
  grid:  {kind: sweep, over: {c: [1, 2, 3]}, each: each}
`

// A run that is paused again and again ends as one that was left alone.
func TestInterruptedStudiesEndTheSame(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, interrupted)
	for _, name := range []string{"few", "trade", "grid"} {
		want := w.run(t, revision, study.Question{Study: name, Seed: 1, Slots: 1, Fresh: true})
		require.Equal(t, study.Finished, want.State, want.Reason)
		started, err := w.Start("drum", revision, study.Question{Study: name, Seed: 1, Slots: 1, Fresh: true})
		require.NoError(t, err)
		w.interrupt(t, started.ID, []int{3, 9, 16}, func() {})
		got := w.wait(t, started.ID)
		require.Equal(t, study.Finished, got.State, got.Reason)
		assert.Equal(t, want.Evaluations, got.Evaluations)
		for _, parts := range []*result.Parts{&want.Parts, &got.Parts} {
			require.NotNil(t, parts)
			parts.Failures = nil
		}
		assert.Equal(t, want.Parts, got.Parts)
	}
}

// A search whose designs are at work together goes on, too, as it was: what came out before comes out again in the same order.
func TestStreamsAreResumed(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, interrupted)
	w.took(t, 30)
	started, err := w.Start("drum", revision, study.Question{Study: "few", Seed: 1})
	require.NoError(t, err)
	require.Equal(t, 2, started.Question.AtOnce)
	var before []string
	w.interrupt(t, started.ID, []int{2, 6, 11, 15, 19}, func() {
		now := w.designs(t, started.ID)
		assert.Subset(t, now, before, "nothing is lost")
		before = now
	})
	got := w.wait(t, started.ID)
	require.Equal(t, study.Finished, got.State, got.Reason)
	assert.LessOrEqual(t, got.Evaluations, 25)
	designs := w.designs(t, started.ID)
	seen := map[string]bool{}
	for _, design := range designs {
		assert.False(t, seen[design], "none was paid for twice")
		seen[design] = true
	}
	assert.InDelta(t, 1.09, got.Best.Values["cost"], 0.05)
}

// interrupt pauses a run each time that it has so many evaluations, looks at it, and resumes it.
func (w workshop) interrupt(t *testing.T, id int, at []int, look func()) {
	for _, from := range at {
		require.Eventually(t, func() bool {
			run, err := w.Run(id)
			return err == nil && (run.Evaluations >= from || run.State == study.Finished)
		}, time.Minute, time.Millisecond)
		if _, err := w.Pause(id); errors.As(err, new(study.WrongState)) {
			return // it was quicker
		}
		look()
		_, err := w.Resume(id)
		require.NoError(t, err)
	}
}

// designs lists those of a run that are written down.
func (w workshop) designs(t *testing.T, run int) []string {
	var all []string
	for record, err := range w.store.Replay(run) {
		require.NoError(t, err)
		all = append(all, fmt.Sprint(record.Design))
	}
	return all
}
