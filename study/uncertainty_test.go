package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"ropebench/bench"
	"ropebench/study"
)

// shaken has a linear model of normal inputs, of which all is known.
const shaken = `bench: 1
inputs:
  reach: {nominal: 4, range: [2, 6], scatter: {normal: {mean: 4, sd: 0.2}}}
  load:  {nominal: 10, scatter: {normal: {mean: 10, sd: 1}}}
  grip:  {nominal: 1, range: [0, 2]}
solver: {formulas: {pull: 3 + 2*reach + load, slack: 2*grip, steep: "load > 13.5 ? log(0 - 1) : 1"}}
requirements:
  R1: {of: pull, at_most: 22}
  R2: {of: slack, at_least: 1}
  R3: {of: pull, at_most: 21, wish: true}
studies:
  shake: {kind: uncertainty, points: 2000}
  dice:  {kind: uncertainty, points: 2000, by: random, at: {reach: 4.5}}
  few:   {kind: uncertainty}
  best:  {kind: optimize, minimize: pull, meet: [R2]}
  about: {kind: uncertainty, at: {best-of: best}, points: 400}
`

func TestWhatScatterDoesToADesign(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, strings.Replace(shaken, `"load > 13.5 ? log(0 - 1) : 1"`, "1*grip", 1))
	run := w.run(t, revision, study.Question{Study: "shake", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	require.NotNil(t, run.Scatter)
	pull := distuv.Normal{Mu: 21, Sigma: 1.0770329614269007} // of 2*0.2 and 1
	found := run.Scatter.Values["pull"]
	assert.InDelta(t, pull.Mu, found.Mean.Value, 0.01)
	assert.InDelta(t, pull.Sigma, found.Deviation, 0.02)
	for i, p := range []float64{0.01, 0.05, 0.5, 0.95, 0.99} {
		assert.InDelta(t, pull.Quantile(p), found.Quantiles[i].Value, 0.15)
		assert.True(t, *found.Quantiles[i].From <= pull.Quantile(p) && pull.Quantile(p) <= *found.Quantiles[i].To)
	}
	total := 0
	for _, count := range found.Counts {
		total += count
	}
	assert.Equal(t, 2000, total)
	assert.NotContains(t, run.Scatter.Values, "slack", "nothing that scatters enters it")
	assert.Equal(t, []string{"reach", "load"}, run.Scatter.Inputs)
	p := run.Probabilities["R1"]
	assert.InDelta(t, pull.CDF(22), p.Met, 0.01)
	assert.True(t, p.From < pull.CDF(22) && pull.CDF(22) < p.To)
	assert.Equal(t, 1.0, run.Probabilities["R2"].Met)
	assert.Less(t, run.Probabilities["R3"].Met, p.Met)
	assert.Equal(t, p, run.Scatter.Together, "a wish is not in the way")
	assert.Contains(t, run.Scatter.Says, " of 2,000 draws, a probability of 8")

	again := w.run(t, revision, study.Question{Study: "shake", Seed: 1, Fresh: true})
	assert.Equal(t, run.Scatter, again.Scatter)
	dice := w.run(t, revision, study.Question{Study: "dice", Seed: 1})
	assert.InDelta(t, pull.Mu+1, dice.Scatter.Values["pull"].Mean.Value, 0.1, "a varied input scatters about its value in the design")
	still := w.run(t, revision, study.Question{Study: "shake", Seed: 1, Hold: map[string]bench.Value{"load": bench.Number(10)}})
	assert.Equal(t, []string{"reach"}, still.Scatter.Inputs, "what is held does not scatter")
	assert.InDelta(t, 0.4, still.Scatter.Values["pull"].Deviation, 0.01)
	assert.Equal(t, 200, w.run(t, revision, study.Question{Study: "few", Seed: 1}).Evaluations)
	best := w.run(t, revision, study.Question{Study: "best", Seed: 1})
	about := w.run(t, revision, study.Question{Study: "about", Seed: 1})
	assert.InDelta(t, best.Best.Values["pull"], about.Scatter.Values["pull"].Mean.Value, 0.05)
}

func TestADrawThatFailsMeetsNothing(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, strings.Replace(shaken, "load > 13.5", "load > 11", 1))
	run := w.run(t, revision, study.Question{Study: "shake", Seed: 1})
	require.NotNil(t, run.Scatter, run.Reason)
	share := float64(run.Scatter.Failed) / 2000
	assert.InDelta(t, 1-distuv.UnitNormal.CDF(1), share, 0.01)
	assert.LessOrEqual(t, run.Probabilities["R2"].Met, 1-share, "though its value would be the same")
	assert.Contains(t, run.Scatter.Says, "draws failed, and meet nothing")
	assert.Regexp(t, `^\d+ of 2,000 evaluations failed$`, run.Failures.Says, "what is best is not asked")
	assert.Empty(t, run.Failures.Reasons[0].Where)
	for says, text := range map[string]string{
		"no input scatters that is not held": strings.NewReplacer(", scatter: {normal: {mean: 4, sd: 0.2}}", "", ", scatter: {normal: {mean: 10, sd: 1}}", "").Replace(shaken),
		"widen within":                       strings.Replace(shaken, "sd: 1}}", "sd: 1}, within: [90, 99]}", 1),
		"one draw tells nothing":             strings.Replace(shaken, "points: 2000}", "points: 1}", 1),
	} {
		_, err := w.Start("drum", w.revise(t, text), study.Question{Study: "shake", Seed: 1})
		assert.ErrorContains(t, err, says)
	}
}

func TestAProbabilityThatIsAskedForIsShownOrNot(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := strings.NewReplacer(`"load > 13.5 ? log(0 - 1) : 1"`, "1*grip", "at_most: 22}", "at_most: 22, with_probability: 0.75}", "at_least: 1}", "at_least: 1, with_probability: 0.9999}", "at_most: 21, wish: true}", "at_most: 21, wish: true, with_probability: 0.6}").Replace(shaken)
	run := w.run(t, w.revise(t, text), study.Question{Study: "shake", Seed: 1})
	require.NotNil(t, run.Scatter, run.Reason)
	got := map[string]string{}
	for id, p := range run.Probabilities {
		got[id] = string(p.Verdict)
	}
	assert.Equal(t, map[string]string{"R1": "met", "R2": "not_shown", "R3": "missed"}, got, "2,000 draws without a failure do not show 99.99 %")
	assert.Empty(t, run.Scatter.Missed, "a wish is in nobody's way")
	harder := w.run(t, w.revise(t, strings.Replace(text, "0.75", "0.9", 1)), study.Question{Study: "shake", Seed: 1})
	assert.Equal(t, []string{"R1"}, harder.Scatter.Missed)
	assert.Equal(t, 0.9, harder.Probabilities["R1"].Asked)
}
