package study_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core/verdict"
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
	w := open(t, t.TempDir())
	revision := w.reviseSwing(t)
	run := w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry})
	require.NotNil(t, run.Best, run.LastWhy)
	assert.Equal(t, []string{"way", "rise", "calm"}, run.Layout.Curves, "those of the solver, then derived ones")
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
	w := open(t, t.TempDir())
	revision := w.reviseSwing(t)
	first := w.run(t, revision, study.Question{Study: "tall", Seed: 1})
	again := w.run(t, revision, study.Question{Study: "tall", Seed: 1})
	assert.Equal(t, first.Best, again.Best)
	assert.Equal(t, first.Evaluations-first.Failed, again.Reused)
	assert.InDelta(t, 4.5, first.Best.Values["top"], 0.6, "R4 holds it")
}
