package study_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/study"
)

const angles = `bench: 1
inputs:
  x1: {nominal: 0, range: [-3.141592653589793, 3.141592653589793]}
  x2: {nominal: 0, range: [-3.141592653589793, 3.141592653589793]}
  x3: {nominal: 0, range: [-3.141592653589793, 3.141592653589793]}
  pad: {nominal: a, values: [a, b, c]}
solver:
  formulas:
    f: sin(x1) + 7*sin(x2)^2 + 0.1*x3^4*sin(x1)
    g: 2*x1 - x2
studies:
  factorial: {kind: sample, plan: full-factorial, levels: 3}
  single: {kind: sample, plan: one-at-a-time, about: {x1: 0.123456789012345}}
  look: {kind: sample, plan: sobol, points: 20}
  indices: {kind: sensitivity, by: sobol-indices, points: 2048, of: [f, g], vary: [x1, x2, x3]}
  effects: {kind: sensitivity, by: elementary-effects}
  goes: {kind: sensitivity, by: correlation, points: 60}
  slopes: {kind: sensitivity, by: gradient, about: {x1: 1}}
  fitted: {kind: sensitivity, points: 60, of: [g], vary: [x1, x2]}
  rounds: {kind: sensitivity, points: 120, until: {q2: 0.999}, rounds: 4, of: [g], vary: [x1, x2, x3]}
`

func TestEveryWayToFindWhatMatters(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, angles)
	indices := w.run(t, revision, study.Question{Study: "indices", Seed: 1})
	require.Equal(t, study.Finished, indices.State, indices.Reason)
	assert.Equal(t, 2048*5, indices.Evaluations)
	assert.InDelta(t, 0.314, *indices.Sensitivity["f"].Inputs["x1"].First, 0.02)
	assert.InDelta(t, 0.244, *indices.Sensitivity["f"].Inputs["x3"].Total, 0.02)
	assert.InDelta(t, 0.8, *indices.Sensitivity["g"].Inputs["x1"].Total, 0.02)
	assert.Equal(t, []string{"x1", "x2", "x3"}, indices.Sensitivity["g"].Ranking)

	effects := w.run(t, revision, study.Question{Study: "effects", Seed: 1})
	assert.Equal(t, 20*5, effects.Evaluations)
	assert.InDelta(t, 4*math.Pi, *effects.Sensitivity["g"].Inputs["x1"].Mean, 1e-9)
	assert.InDelta(t, 0, *effects.Sensitivity["g"].Inputs["x1"].Spread, 1e-9)
	assert.Zero(t, *effects.Sensitivity["f"].Inputs["pad"].Absolute)

	goes := w.run(t, revision, study.Question{Study: "goes", Seed: 1})
	assert.Greater(t, *goes.Sensitivity["g"].Inputs["x1"].Rank, 0.8)
	assert.InDelta(t, 0, *goes.Sensitivity["g"].Unexplained, 1e-9, "straight lines explain a linear formula")

	slopes := w.run(t, revision, study.Question{Study: "slopes", Seed: 1})
	assert.InDelta(t, 2*math.Pi*math.Cos(1), *slopes.Sensitivity["f"].Inputs["x1"].Slope, 1e-9)
	assert.True(t, slopes.Sensitivity["f"].Inputs["x1"].Exact)
	assert.Contains(t, slopes.Sensitivity["g"].Says, "one tenth of the range of x1 moves it by 1.257")
	assert.NotContains(t, slopes.Sensitivity["g"].Inputs, "pad", "a word has no slope")

	fitted := w.run(t, revision, study.Question{Study: "fitted", Seed: 1})
	assert.Greater(t, *fitted.Sensitivity["g"].Q2, 0.999)
	assert.InDelta(t, 0.8, *fitted.Sensitivity["g"].Inputs["x1"].Total, 0.02)
	assert.Equal(t, 60, fitted.Evaluations)
}

// Sampling in rounds ends as soon as the values are predicted well enough, says so, and a resumed run is the same.
func TestRoundsEndWhenTheValuesArePredicted(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, angles)
	run := w.run(t, revision, study.Question{Study: "rounds", Seed: 2})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.Less(t, run.Evaluations, 120, "a linear formula needs no more than the first round")
	assert.Contains(t, run.Reason, "every value is predicted with a Q² of at least 0.999")
	require.NotNil(t, run.Rounds)
	assert.Equal(t, run.Evaluations, run.Rounds.Rounds[len(run.Rounds.Rounds)-1].Points)
	hard := strings.Replace(angles, "of: [g], vary: [x1, x2, x3]", "of: [f], vary: [x1, x2, x3]", 1)
	revision = w.revise(t, hard)
	run = w.run(t, revision, study.Question{Study: "rounds", Seed: 2})
	assert.Equal(t, 120, run.Evaluations)
	assert.Len(t, run.Rounds.Rounds, 4)
	assert.Contains(t, run.Rounds.Rounds[0].Says, "goes on, since Q² is not 0.999 yet for f")
	assert.Contains(t, run.Reason, "ended with its points, and Q² is not 0.999 for f")
	again := w.run(t, revision, study.Question{Study: "rounds", Seed: 2})
	assert.Equal(t, run.Sensitivity, again.Sensitivity)
	assert.Equal(t, 120, again.Reused, "the same designs, to the last bit")
}

func TestPlansThatFollowFromTheInputs(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, angles)
	factorial := w.run(t, revision, study.Question{Study: "factorial", Seed: 1})
	assert.Equal(t, []int{81, 81}, []int{factorial.Evaluations, factorial.Budget})
	single := w.run(t, revision, study.Question{Study: "single", Seed: 1})
	assert.Equal(t, 1+2+2+2+3, single.Sample.Points)
	assert.Equal(t, 9, single.Evaluations, "a is the value of pad already")
	record, err := w.store.Evaluation(single.ID, 6)
	require.NoError(t, err)
	assert.Contains(t, record.Design, 0.123456789012345, "the others stay to the last bit")
	_, err = w.Start("drum", revision, study.Question{Study: "factorial", Seed: 1, Evaluations: 50})
	assert.ErrorContains(t, err, "has 81 points here, and the budget is 50")
}

// A finished sample gets more points: those that it has stay, and the plan is what it would have been.
func TestASampleIsExtended(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, angles)
	run := w.run(t, revision, study.Question{Study: "look", Seed: 1})
	assert.Equal(t, 20, run.Evaluations)
	_, err := w.Extend(run.ID, 25)
	require.NoError(t, err)
	more := w.wait(t, run.ID)
	require.Equal(t, study.Finished, more.State, more.Reason)
	assert.Equal(t, []int{45, 45, 45}, []int{more.Evaluations, more.Budget, more.Sample.Points})
	counts := map[float64]int{}
	for number := 1; number <= 45; number++ {
		record, err := w.store.Evaluation(run.ID, number)
		require.NoError(t, err)
		counts[record.Design[0]]++ // pad is the first input by name
	}
	assert.Equal(t, map[float64]int{0: 15, 1: 15, 2: 15}, counts, "levels stay in balance")
	effects := w.run(t, revision, study.Question{Study: "effects", Seed: 1})
	_, err = w.Extend(effects.ID, 5)
	assert.ErrorContains(t, err, "more points can be added to a sample only")
	_, err = w.Extend(w.run(t, revision, study.Question{Study: "factorial", Seed: 1}).ID, 5)
	assert.ErrorContains(t, err, "it cannot have more")
}

func TestStudiesWithTooFewPointsSayHowManyWouldDo(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, angles)
	for name, says := range map[string]string{
		"fitted": "surrogate over 2 inputs needs at least 8 points, and has 5: 20 would do", "goes": "correlation over 4 inputs needs at least 4 points, and has 3",
		"indices": "takes 5 evaluations for each of its points, and the budget is 3",
	} {
		evaluations := map[string]int{"fitted": 5, "goes": 3, "indices": 3}[name]
		_, err := w.Start("drum", revision, study.Question{Study: name, Seed: 1, Evaluations: evaluations})
		assert.ErrorContains(t, err, says, name)
	}
	curved := strings.Replace(angles, "g: 2*x1 - x2", "g: {along: {s: {from: 0, to: 1, count: 5}}, is: s*x1}", 1)
	_, err := w.Start("drum", w.revise(t, curved), study.Question{Study: "fitted", Seed: 1})
	assert.ErrorContains(t, err, "such as peak(g)")
}

const measured = `bench: 1
inputs:
  a: {nominal: 1, range: [0, 10]}
  b: {nominal: 2, range: [0, 10]}
solver:
  formulas: {q: a*b}
derived: {half: q/2}
requirements: {R1: {of: half, at_most: 10}}
studies:
  table: {kind: sample, plan: table, table: points.csv}
`

// Designs with outputs are evaluations without a solver call; without, they are solved. What was measured is never taken for the solver's answer.
func TestATableOfDesigns(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revise := func(points string) int {
		saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{"drum.bench.yaml": {Text: []byte(measured)}, "points.csv": {Text: []byte(points)}}})
		require.NoError(t, err)
		return saved.Revision
	}
	run := w.run(t, revise("a,b,q\n1,2,7.5\n3,4,\n1,2,7.7\n5,5,100\n"), study.Question{Study: "table", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.Contains(t, run.Reason, "no solver was asked")
	assert.Equal(t, []int{4, 1, 2}, []int{run.Evaluations, run.Failed, run.Feasible})
	var values []string
	for number := 1; number <= 4; number++ {
		record, err := w.store.Evaluation(run.ID, number)
		require.NoError(t, err)
		values = append(values, fmt.Sprint(record.Values))
	}
	assert.Equal(t, []string{"[7.5 3.75]", "[]", "[7.7 3.85]", "[100 50]"}, values, "a design that was measured twice has both values")
	solved := w.run(t, revise("a,b\n1,2\n5,5\n"), study.Question{Study: "table", Seed: 1})
	assert.Equal(t, []int{2, 0, 0}, []int{solved.Evaluations, solved.Reused, solved.Failed})
	record, err := w.store.Evaluation(solved.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, []float64{2, 1}, record.Values)
}
