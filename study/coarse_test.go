package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/study"
)

// coarsened is an external solver with formulas that are near to it.
var coarsened = strings.NewReplacer("outputs:", "  coarse: {formulas: {cost: (a - 1.1)^2 + (b - c)^2, size: a + b - 0.1}}\noutputs:",
	"studies:", "studies:\n  local: {kind: optimize, minimize: cost, method: sqp, budget: {evaluations: 9}}").Replace(interrupted)

func TestASearchUsesTheCoarseVariant(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, coarsened)
	few := w.run(t, revision, study.Question{Study: "each", Seed: 1})
	require.Equal(t, study.Finished, few.State, few.Reason)
	coarse := few.Search.Coarse
	require.NotNil(t, coarse)
	assert.LessOrEqual(t, few.Evaluations, 8)
	assert.Greater(t, coarse.Evaluations, few.Evaluations)
	assert.Equal(t, coarse.Evaluations, few.Coarse, "they are none of the solver")
	assert.Contains(t, coarse.Says, "evaluations by the coarse variant of the solver, each in about 1/1024 of the time of one by the solver; correlation of its values with those of the solver: cost ")
	assert.InDelta(t, 1.09, few.Best.Values["cost"], 0.01, "by the solver: its coarse variant says 0.04")
	count, err := w.store.CountEvaluations(few.ID)
	require.NoError(t, err)
	assert.Equal(t, few.Evaluations, count)

	again := w.run(t, revision, study.Question{Study: "each", Seed: 1})
	assert.Equal(t, few.Best, again.Best)
	assert.Equal(t, again.Evaluations, again.Reused)
	local := w.run(t, revision, study.Question{Study: "local", Seed: 1})
	assert.Equal(t, "the coarse variant of the solver was not asked: only a search by surrogates uses both", local.Search.Coarse.Says)
	assert.Zero(t, local.Coarse)
	assert.Nil(t, w.run(t, w.revise(t, interrupted), study.Question{Study: "each", Seed: 1}).Search.Coarse)
}

// A search that uses both is resumed as any other one: what both have said is written down.
func TestASearchThatUsesBothIsResumed(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, coarsened)
	want := w.run(t, revision, study.Question{Study: "few", Seed: 3, Slots: 1, Fresh: true})
	require.Equal(t, study.Finished, want.State, want.Reason)
	started, err := w.Start("drum", revision, study.Question{Study: "few", Seed: 3, Slots: 1, Fresh: true})
	require.NoError(t, err)
	w.interrupt(t, started.ID, []int{2, 5, 8}, func() {})
	got := w.wait(t, started.ID)
	require.Equal(t, study.Finished, got.State, got.Reason)
	assert.Equal(t, want.Counts, got.Counts)
	assert.Equal(t, want.Best, got.Best)
	assert.Equal(t, want.Search, got.Search)
	assert.ElementsMatch(t, w.designs(t, want.ID), w.designs(t, got.ID))
	assert.ElementsMatch(t, w.designs(t, -want.ID), w.designs(t, -got.ID), "those of the coarse variant stand beside")
}
