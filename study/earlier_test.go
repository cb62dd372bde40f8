package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/study"
)

// looked is an external solver with a sample, from which a search may learn.
var looked = strings.Replace(interrupted, "studies:", "studies:\n  look: {kind: sample, plan: sobol, points: 12}", 1)

func TestASearchKnowsWhatOtherStudiesHaveFound(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, looked)
	look := w.run(t, revision, study.Question{Study: "look", Seed: 1})
	knowing := w.run(t, revision, study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Equal(t, "it knew 12 evaluations of earlier runs, at no cost", knowing.Search.Chose)
	first, err := w.store.Journal(knowing.ID, solver.Key{}, false).Read(1)
	require.NoError(t, err)
	assert.True(t, first.Reused, "the best of them is asked again, to the last bit, without the solver")
	for number := range 12 {
		record, err := w.store.Journal(look.ID, solver.Key{}, false).Read(number + 1)
		require.NoError(t, err)
		assert.True(t, record.Values[1] < 2.3 || record.Values[0] >= first.Values[0])
	}

	again := w.run(t, revision, study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Equal(t, knowing.Best, again.Best)
	assert.Equal(t, again.Evaluations, again.Reused, "the same question again costs nothing")
	seed := w.run(t, revision, study.Question{Study: "few", Seed: 2, Slots: 1})
	assert.Equal(t, knowing.Search.Chose, seed.Search.Chose, "another seed is another opinion: it does not know the first")
	fresh := w.run(t, revision, study.Question{Study: "few", Seed: 1, Slots: 1, Fresh: true})
	assert.Empty(t, fresh.Search.Chose)
	assert.Zero(t, fresh.Reused)
	moved := w.run(t, w.revise(t, strings.Replace(looked, "c: {nominal: 1}", "c: {nominal: 1.25}", 1)), study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Empty(t, moved.Search.Chose, "what was held elsewhere is another design")
}

// The members of a front that is known are asked again, so that the front of the run has them: none of them costs a solver call.
func TestAFrontThatIsKnownIsTakenOver(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, strings.Replace(interrupted, "studies:", "studies:\n  again: {kind: optimize, objectives: [{minimize: cost}, {maximize: size}], method: surrogate, budget: {evaluations: 60}}", 1))
	before := w.run(t, revision, study.Question{Study: "trade", Seed: 1, Slots: 1})
	again := w.run(t, revision, study.Question{Study: "again", Seed: 1, Slots: 1})
	assert.Equal(t, "it knew 40 evaluations of earlier runs, at no cost", again.Search.Chose)
	assert.GreaterOrEqual(t, again.Reused, 10)
	assert.Greater(t, again.Tradeoff.Hypervolume, 0.99*before.Tradeoff.Hypervolume)
	ends := func(run ended) []float64 {
		return []float64{run.Front[0].Values["cost"], run.Front[len(run.Front)-1].Values["size"]}
	}
	assert.LessOrEqual(t, ends(again)[0], ends(before)[0])
	assert.GreaterOrEqual(t, ends(again)[1], ends(before)[1])
}

func TestSlotsAreFilledWhereTheSolverIsSlow(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, interrupted)
	assert.Zero(t, w.run(t, revision, study.Question{Study: "each", Seed: 1}).Question.AtOnce, "nobody knows that it is slow")
	w.took(t, 30)
	few := w.run(t, revision, study.Question{Study: "few", Seed: 1})
	assert.Equal(t, 2, few.Question.AtOnce)
	assert.Contains(t, strings.Join(few.Search.Remarks, " "), "up to 2 designs were evaluated at a time")
	assert.Equal(t, study.Finished, few.State, few.Reason)
	assert.LessOrEqual(t, few.Evaluations, 25)
	w.took(t, 30)
	assert.Equal(t, 2, w.run(t, revision, study.Question{Study: "each", Seed: 1}).Question.AtOnce)
	w.took(t, 30)
	assert.Zero(t, w.run(t, revision, study.Question{Study: "each", Seed: 1, Slots: 1}).Question.AtOnce)
	w.took(t, 0.01)
	alone := w.run(t, revision, study.Question{Study: "few", Seed: 2})
	assert.Zero(t, alone.Question.AtOnce, "it does not pay")
	assert.NotContains(t, strings.Join(alone.Search.Remarks, " "), "at a time")
}

// took writes down an evaluation that took the solver so many seconds.
func (w workshop) took(t *testing.T, seconds float64) {
	run := study.Run{Bench: "drum", Question: study.Question{Kind: study.KindTry, Study: study.KindTry}, State: study.Finished}
	require.NoError(t, w.store.CreateRun(&run))
	record := dispatch.Record{Number: 1, Order: 1, State: core.OK, Design: []float64{2, 2, 1}, Values: []float64{3, 4}, Seconds: seconds}
	require.NoError(t, w.store.Journal(run.ID, solver.Key{9}, false).Append([]dispatch.Record{record}))
}

// Where the solver fails is known from other studies, too.
func TestASearchKnowsWhereOtherStudiesHaveFailed(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	failing := strings.Replace(looked, "BEGIN {a = @[a];", "BEGIN {a = @[a]; if (a > 3) exit 1;", 1)
	revision := w.revise(t, failing)
	look := w.run(t, revision, study.Question{Study: "look", Seed: 1})
	require.NotZero(t, look.Failed)
	knowing := w.run(t, revision, study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Equal(t, "it knew 12 evaluations of earlier runs, at no cost", knowing.Search.Chose)
	mended := w.revise(t, looked)
	again := w.run(t, mended, study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Empty(t, again.Search.Chose, "another solver may do what that one could not")
}

func TestAStandInIsCheckedWithTheSolver(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := strings.Replace(looked, "studies:", "studies:\n  fast: {kind: optimize, minimize: cost, using: {surrogate_of: look}, budget: {evaluations: 20}}", 1)
	revision := w.revise(t, text)
	_, err := w.Start("drum", revision, study.Question{Study: "fast", Seed: 1})
	assert.EqualError(t, err, "study fast searches on a stand-in that is fitted to the evaluations of look, and there is no run of it: run look first")
	w.run(t, revision, study.Question{Study: "look", Seed: 1})
	run := w.run(t, revision, study.Question{Study: "fast", Seed: 1})
	assert.Regexp(t, "^the stand-in and the solver agree, after [1-9] checks?$|^the stand-in, fitted to 1[2-9] evaluations, promises nothing better", run.Reason)
	assert.Equal(t, "stand-in", run.Search.Method)
	require.NotEmpty(t, run.Checks)
	last := run.Checks[len(run.Checks)-1]
	assert.InDelta(t, last.Computed["cost"], last.Predicted["cost"], 0.2)
	assert.True(t, last.Agrees)
	assert.Less(t, run.Evaluations, 10)
	// the least of (a-1)^2 + (b-1)^2 + 1 with a + b of 2.3 at least and b in steps of a half
	assert.InDelta(t, 1.09, run.Best.Values["cost"], 0.02)
	sweeping := w.revise(t, strings.Replace(text, "each: each", "each: fast", 1))
	_, err = w.Start("drum", sweeping, study.Question{Study: "grid", Seed: 1})
	assert.ErrorContains(t, err, "the cells of a sweep need the solver")
}
