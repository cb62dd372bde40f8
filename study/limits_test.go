package study_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/study"
)

// An equation with a tolerance is aimed at its center: the best design lies within the band, wherever the search passed it at its best, and the answer says
// at what it was aimed.
func TestABandIsAimedAtItsCenter(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs: {x: {nominal: 1, range: [0, 4]}, y: {nominal: 3, range: [0, 4]}}
solver: {formulas: {f: x + y, v: x*y - 2}}
requirements: {E: {of: v, equals: 0, within: 1e-2}}
studies: {best: {kind: optimize, minimize: f, method: sqp, budget: {evaluations: 60}}}
`)
	run := w.run(t, revision, study.Question{Study: "best", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.True(t, run.Best.Feasible)
	assert.InDelta(t, 0, run.Best.Values["v"], 5e-3, "the edge, to which the objective pulls, is at -0.01")
	require.Len(t, run.Optimum.Holds, 1)
	assert.Contains(t, run.Optimum.Holds[0].Says, "aimed at the center of its band, v = 0")
}

// A study that leaves a soft requirement out of meet pays nothing for it.
func TestNothingIsPaidForWhatAStudyLeavesOut(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs: {x: {nominal: 1, range: [0, 4]}}
solver: {formulas: {f: 10 - x, g: x}}
requirements: {S: {of: g, at_most: 2, price: 0.5}}
studies:
  paid: {kind: optimize, minimize: f}
  free: {kind: optimize, minimize: f, meet: []}
  seeds: {kind: optimize, minimize: f, method: sqp, repeats: 2, budget: {evaluations: 20}}
  front: {kind: optimize, objectives: [{minimize: f}, {minimize: g}], meet: [], budget: {evaluations: 40}}
`)
	paid := w.run(t, revision, study.Question{Study: "paid", Seed: 1})
	assert.InDelta(t, 4, paid.Best.Inputs["x"].Number, 1e-9)
	assert.InDelta(t, 1, paid.Best.Paid, 1e-9)
	free := w.run(t, revision, study.Question{Study: "free", Seed: 1})
	assert.InDelta(t, 4, free.Best.Inputs["x"].Number, 1e-9)
	assert.Zero(t, free.Best.Paid)
	front := w.run(t, revision, study.Question{Study: "front", Seed: 1})
	require.NotEmpty(t, front.Front, front.Reason)
	for _, d := range front.Front {
		assert.Zero(t, d.Paid)
	}
	seeds := w.run(t, revision, study.Question{Study: "seeds", Seed: 1})
	require.NotNil(t, seeds.Spread, seeds.Reason)
	assert.InDelta(t, 1, seeds.Spread.Ends[1].Paid, 1e-9)
	assert.Equal(t, "all 2 searches ended at an objective of 7, with what is paid for soft requirements", seeds.Spread.Says, "f is 6, and 1 is paid")
}
