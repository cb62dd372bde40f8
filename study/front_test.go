package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core/pareto"
	"ropebench/study"
)

// traded has two objectives, of which one is made most, and a requirement that cuts the front.
const traded = `bench: 1
inputs:
  width:  {unit: mm, nominal: 30, range: [10, 60]}
  height: {unit: mm, nominal: 40, range: [20, 80], step: 5}
solver: {formulas: {mass: width*height/100, stiffness: width*height^3/1e6, slender: height/width}}
requirements:
  R1: {of: slender, at_most: 4}
studies:
  trade: {kind: optimize, objectives: [{minimize: mass}, {maximize: stiffness}], budget: {evaluations: 400}}
  same:  {kind: optimize, objectives: [{maximize: mass}, {maximize: stiffness}], budget: {evaluations: 300}}
`

func TestAFrontHasNoDominatedAndNoInfeasibleDesign(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, traded)
	run := w.run(t, revision, study.Question{Study: "trade", Seed: 1})
	require.NotNil(t, run.Tradeoff, run.Reason)
	assert.Equal(t, []string{"mass", "stiffness"}, run.Tradeoff.Objectives)
	var points [][]float64
	for i, d := range run.Front {
		assert.True(t, d.Feasible)
		assert.LessOrEqual(t, d.Values["slender"], 4.0)
		points = append(points, []float64{d.Values["mass"], -d.Values["stiffness"]})
		if i > 0 {
			assert.Greater(t, d.Values["mass"], run.Front[i-1].Values["mass"], "along the first objective")
		}
	}
	assert.Len(t, pareto.Front(points), len(points))
	assert.InDelta(t, pareto.Hypervolume(points, []float64{run.Tradeoff.Reference[0], -run.Tradeoff.Reference[1]}), run.Tradeoff.Hypervolume, 1e-9)
	assert.Equal(t, run.Tradeoff.Compromise, run.Best.Evaluation)
	assert.Contains(t, run.Tradeoff.Says, "of which none is better in all objectives; the best mass ")
	assert.Equal(t, "auto", run.Search.Method)
	assert.Equal(t, "NSGA-II, since several objectives are asked for", run.Search.Chose, "a height in steps")
	// the stiffest beam is the largest, the lightest one as slender as it may be
	assert.InDelta(t, 60*80*80*80/1e6, -points[len(points)-1][1], 0.2)
	again := w.run(t, revision, study.Question{Study: "trade", Seed: 1, Fresh: true})
	assert.Equal(t, run.Front, again.Front, "the same seed gives the same front")
}

// Where nothing meets what is asked, the trade-off is shown of what misses it least.
func TestAFrontOfTheLeastViolated(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, strings.Replace(traded, "{of: slender, at_most: 4}", "{of: \"slender + 6/width\", at_most: 0.4}", 1))
	run := w.run(t, revision, study.Question{Study: "trade", Seed: 1})
	require.NotNil(t, run.Tradeoff, run.Reason)
	assert.Contains(t, run.Tradeoff.Says, "no design meets every requirement: this is the front of those that miss least, by up to ")
	assert.False(t, run.Best.Feasible)
	assert.Regexp(t, ` by 0\.033\d* *`, run.Best.Misses, "the least violated is the best design")
	assert.Greater(t, len(run.Front), 1)
	most := 0.0
	var points [][]float64
	for _, d := range run.Front {
		assert.False(t, d.Feasible)
		violation := (d.Values["slender + 6/width"] - 0.4) / 0.4
		least := (run.Best.Values["slender + 6/width"] - 0.4) / 0.4
		assert.LessOrEqual(t, violation, 1.1*least+1e-12)
		most = max(most, violation)
		points = append(points, []float64{d.Values["mass"], -d.Values["stiffness"]})
	}
	assert.Equal(t, most, run.Tradeoff.Violation)
	assert.Len(t, pareto.Front(points), len(points))
	again, err := w.Front(run.ID, study.FrontQuestion{})
	require.NoError(t, err)
	assert.Equal(t, run.Front, again.Front)
	other, err := w.Front(run.ID, study.FrontQuestion{Meet: []string{}})
	require.NoError(t, err)
	assert.Zero(t, other.Tradeoff.Violation, "without the requirement all meet what is asked")
}

func TestObjectivesThatDoNotConflictAreSaid(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, traded)
	run := w.run(t, revision, study.Question{Study: "same", Seed: 1})
	require.Len(t, run.Front, 1, run.Reason)
	assert.True(t, strings.HasPrefix(run.Tradeoff.Says, "the objectives do not conflict as far as was seen: evaluation "))
}

// The hypervolume of many objectives takes long: it is told once the run has ended, and does not stall it.
func TestAFrontOfFiveObjectivesEnds(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, `bench: 1
inputs: {a: {nominal: 0.5, range: [0, 1]}, b: {nominal: 0.5, range: [0, 1]}, c: {nominal: 0.5, range: [0, 1]}, d: {nominal: 0.5, range: [0, 1]}}
solver: {formulas: {f1: "a^2+b^2+c^2+d^2", f2: "(a-1)^2+b^2", f3: "(b-1)^2+c^2", f4: "(c-1)^2+d^2", f5: "(d-1)^2+a^2"}}
studies: {front: {kind: optimize, objectives: [{minimize: f1}, {minimize: f2}, {minimize: f3}, {minimize: f4}, {minimize: f5}], budget: {evaluations: 800}}}
`), study.Question{Study: "front", Seed: 1})
	require.NotNil(t, run.Tradeoff, run.Reason)
	assert.Equal(t, 800, run.Evaluations)
	assert.Greater(t, run.Tradeoff.Hypervolume, 30.0, "of the box up to the reference, 38.7")
	assert.Contains(t, run.Search.Chose, "NSGA-II, since several objectives are asked for")
}
