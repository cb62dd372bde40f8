package study_test

import (
	"database/sql"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/model"
	"ropebench/study"
)

// swing is an external solver that writes a triangle: 0, height, -height/2, 0 at x = 0, 1, 2, 3.
const swing = `bench: 1
inputs:
  height: {nominal: 4, range: [1, 10]}
solver:
  steps:
    - run: [sh, -c, "printf 'x,y\n0,0\n1,%s\n2,-%s\n3,0\n' @[height] @[half] > c.csv"]
outputs:
  way: {unit: m, file: c.csv, curve: {x: x, y: y}}
  top: {file: c.csv, curve: {x: x, y: y}, take: peak}
derived:
  half: height/2
  rise: slope(way)
  swing: peak(way) - trough(way)
  late: "first_crossing(way, 2)"
  calm: window(way, 2, 3)*0
requirements:
  R1: {of: way, at_most: 5}
  R2: {of: way, at_least: -3}
  R3: {of: way, under: limit.csv}
  R4: {of: "2*way", between: [-9, 9]}
  R5: {of: peak(rise), at_most: 20}
studies:
  tall: {kind: optimize, maximize: swing, budget: {evaluations: 20}}
`

func (w workshop) reviseSwing(t *testing.T) int {
	saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{
		"drum.bench.yaml": {Text: []byte(swing)}, "limit.csv": {Text: []byte("# made up\nx;y\n0.5;3\n1.5;7\n2.5;7\n")}}})
	require.NoError(t, err)
	return saved.Revision
}

func TestCurvesAreReadOffAndLimited(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.reviseSwing(t)
	run := w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry})
	require.NotNil(t, run.Best, run.LastWhy)
	assert.Equal(t, []model.Curve{{Name: "way", Source: model.FromSolver}, {Name: "rise", Source: model.Derived}, {Name: "calm", Source: model.Derived}}, run.Layout.Curves, "those of the solver, then derived ones")
	assert.Equal(t, map[string]float64{"top": 4, "half": 2, "swing": 6, "late": 0.5, "way, worst for R1": 4, "way, worst for R2": -2,
		"way, worst for R3": 1, "2*way, worst for R4": 8, "peak(rise)": 4}, run.Best.Values)
	assert.True(t, run.Best.Feasible)
	low := w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"height": {Number: 1.5}}})
	assert.Nil(t, low.Best)
	assert.Equal(t, "late: first_crossing: the curve never passes 2; a third argument would say what then", low.LastWhy)
	high := w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"height": {Number: 7}}})
	judged := high.Best.Requirements
	assert.Equal(t, []verdict.Verdict{verdict.Missed, verdict.Missed, verdict.Missed, verdict.Missed, verdict.Met},
		[]verdict.Verdict{judged["R1"].Verdict, judged["R2"].Verdict, judged["R3"].Verdict, judged["R4"].Verdict, judged["R5"].Verdict})
	assert.InDelta(t, 5-7, *judged["R3"].Margin, 1e-12, "at the peak")
}

func TestCurvesAreKnownFromOtherRuns(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.reviseSwing(t)
	first := w.run(t, revision, study.Question{Study: "tall", Seed: 1})
	again := w.run(t, revision, study.Question{Study: "tall", Seed: 1})
	assert.Equal(t, first.Best, again.Best)
	assert.Equal(t, first.Evaluations-first.Failed, again.Reused)
	assert.InDelta(t, 4.5, first.Best.Values["top"], 0.6, "R4 holds it")
}

// A tripping load whose swing is a curve: an evaluation costs next to nothing, its curve would cost much to keep at hand.
const pendulum = `bench: 1
inputs:
  rope: {nominal: 4, range: [1, 10]}
solver:
  dynamics:
    time: {from: 0, to: 4, count: 201}
    states:
      angle: {start: 0.1, rate: turn}
      turn: {start: 0, rate: -9.81/rope*angle}
derived:
  low: trough(angle)
requirements:
  R1: {of: angle, at_least: -0.099}
studies:
  look: {kind: sample, points: 500}
`

// Curves that cannot be read make no difference to a run that goes on: what it needs of an evaluation stands in its row.
func TestARunIsResumedWithoutItsCurves(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	w := open(t, folder)
	first := w.run(t, w.revise(t, pendulum), study.Question{Study: "look", Seed: 1})
	require.Equal(t, study.Finished, first.State, first.Reason)
	require.Equal(t, 500, first.Evaluations)
	halted := first.Run
	halted.State = study.Paused
	require.NoError(t, w.Close())
	require.NoError(t, w.store.SaveRun(halted))
	require.NoError(t, w.store.Close())

	db, err := sql.Open("sqlite", filepath.Join(folder, "ropebench.sqlite"))
	require.NoError(t, err)
	spoiled, err := db.Exec("update curves set data = 'spoiled'")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	rows, err := spoiled.RowsAffected()
	require.NoError(t, err)
	require.Equal(t, int64(500), rows)

	again := open(t, folder)
	_, err = again.store.Evaluation(first.ID, 1)
	require.Error(t, err, "an evaluation is not read with its curves any more")
	_, err = again.Resume(first.ID)
	require.NoError(t, err)
	resumed := again.wait(t, first.ID)
	assert.Equal(t, study.Finished, resumed.State, resumed.Reason)
	assert.Equal(t, first.Evaluations, resumed.Evaluations)
	assert.Equal(t, first.Parts, resumed.Parts)
}

// The angle is 0.1*cos(1.566*t), below 0 from t = 1.003 on: the 52nd of its samples is the first there.
// A verdict or a reading that looked past what is no number would call a design good that is not known.
func TestWhatIsNoNumberInACurveIsAFailure(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	for formula, says := range map[string]string{
		"R1: {of: sqrt(angle), at_most: 5}":                             "value 52 is NaN",
		"R1: {of: sqrt(angle), under: limit.csv}":                       "value 52 is NaN",
		"R1: {of: \"first_crossing(sqrt(angle), 0.2, 9)\", at_most: 5}": "first_crossing: value 52 is NaN",
		"R1: {of: peak(1/(angle - angle)), at_most: 5}":                 "peak: value 1 is ",
	} {
		text := strings.Replace(pendulum, "R1: {of: angle, at_least: -0.099}", formula, 1)
		saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{
			"drum.bench.yaml": {Text: []byte(text)}, "limit.csv": {Text: []byte("x,y\n0,3\n4,3\n")}}})
		require.NoError(t, err)
		run := w.run(t, saved.Revision, study.Question{Kind: study.KindTry, Study: study.KindTry})
		assert.Nil(t, run.Best, formula)
		assert.Contains(t, run.LastWhy, says, formula)
	}
}

// A solver that gives its answer over a band, of which the largest is to be least.
const banded = `bench: 1
inputs: {a: {nominal: 0.5, range: [-1, 1]}, b: {nominal: 0.5, range: [-1, 1]}, c: {nominal: 0.5, range: [-1, 1]}}
solver:
  steps:
    - run: [awk, 'BEGIN {a = @[a]; b = @[b]; c = @[c]; print "x,y" > "band.csv"; for (k = 0; k < 60; k++) {t = k/59; u = (t - 0.2 - 0.1*b)/0.15; v = (t - 0.55)/0.2; w = (t - 0.9 + 0.1*c)/0.12; printf "%.12g,%.12g\n", t, (1.4 + a*a - 0.8*b)*exp(-u*u) + (1.2 + 0.7*b + 0.3*a*c)*exp(-v*v) + (1 + 0.9*sqrt((c - 0.3)^2) + 0.4*b*b)*exp(-w*w) > "band.csv"}}']
outputs: {answer: {file: band.csv, curve: {x: x, y: y}}}
derived: {worst: peak(answer)}
studies:
  look: {kind: sample, points: 8}
  best: {kind: optimize, minimize: worst, method: surrogate, budget: {evaluations: 20}}
`

func TestASearchReadsThePeakOffTheCurveThatItBelieves(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	followed := w.run(t, w.revise(t, banded), study.Question{Study: "best", Seed: 1, Slots: 1})
	require.Equal(t, study.Finished, followed.State, followed.Reason)
	taken := strings.NewReplacer("answer: {", "worst: {take: peak, ", "derived: {worst: peak(answer)}\n", "").Replace(banded)
	learned := w.run(t, w.revise(t, taken), study.Question{Study: "best", Seed: 1, Slots: 1})
	require.Equal(t, study.Finished, learned.State, learned.Reason)
	assert.InDelta(t, 1.3429, followed.Best.Values["worst"], 0.01)
	assert.Less(t, followed.Best.Values["worst"], learned.Best.Values["worst"])

	w.run(t, w.revise(t, banded), study.Question{Study: "look", Seed: 1})
	knowing := w.run(t, w.revise(t, banded), study.Question{Study: "best", Seed: 2, Slots: 1})
	assert.Equal(t, "it knew 8 evaluations of earlier runs, at no cost", knowing.Search.Chose)
	assert.InDelta(t, 1.3429, knowing.Best.Values["worst"], 0.02)
}
