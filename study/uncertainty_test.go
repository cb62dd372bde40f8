package study_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/result"
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
		"one evaluation tells nothing":       strings.Replace(shaken, "points: 2000}", "points: 1}", 1),
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

// wedged is a linear model with tolerances and correlations, of which all is known.
const wedged = `bench: 1
inputs:
  reach: {unit: mm, nominal: 4, range: [2, 6], tolerance: 0.3 mm}
  pin:   {nominal: 1, tolerance: 0.1}
  load:  {nominal: 10, scatter: {normal: {mean: 10, sd: 1}}}
  wind:  {nominal: 5, scatter: {normal: {mean: 5, sd: 2}}}
solver: {formulas: {pull: 2*load + wind, gap: reach - (pin - 1.05)^2*40, level: 1*reach}}
correlations: {load: {wind: 0.5}}
requirements:
  R1: {of: pull, at_most: 38, with_probability: 0.999}
  R2: {of: gap, at_least: 3}
studies:
  rare:  {kind: uncertainty, by: design-point, hold: {reach: 4, pin: 1}, points: 600}
  worst: {kind: uncertainty, by: worst-case, at: {reach: 5}, points: 120}
  draws: {kind: uncertainty, points: 2000}
`

func TestMissesAreRare(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, wedged), study.Question{Study: "rare", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.LessOrEqual(t, run.Evaluations, 600)
	// pull is normal: 25 and the root of 4 + 4 + 2*0.5*2*2
	pull := distuv.Normal{Mu: 25, Sigma: math.Sqrt(12)}
	miss := 1 - pull.CDF(38)
	r1 := run.Rare["R1"]
	require.True(t, r1.Found, r1.Says)
	assert.InDelta(t, 13/math.Sqrt(12), r1.Index, 1e-4)
	assert.InDelta(t, miss, r1.FirstOrder, 1e-3*miss)
	assert.InDelta(t, miss, r1.Miss.Value, 0.3*miss)
	assert.InDelta(t, 38, 2*r1.At["load"].Number+r1.At["wind"].Number, 1e-3, "at the limit")
	assert.Contains(t, r1.Says, "the most probable failure point has load =")
	assert.Equal(t, verdict.Met, run.Probabilities["R1"].Verdict)
	assert.False(t, run.Rare["R2"].Found)
	assert.Contains(t, run.Rare["R2"].Says, "its margin is the same in all of")
	assert.Greater(t, run.Probabilities["R2"].From, 0.95, "what the draws allow, and no more")
}

func TestTheWorstWithinTolerances(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, wedged), study.Question{Study: "worst", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	worst := run.Worst["R2"]
	assert.InDelta(t, 4.7-0.15*0.15*40, worst.Value, 1e-6, "the pin at its lower end")
	assert.InDelta(t, worst.Value-3, worst.Margin, 1e-12)
	assert.InDelta(t, 0.9, worst.At["pin"].Number, 1e-9)
	assert.InDelta(t, 4.7, worst.At["reach"].Number, 1e-9, "about its value in the design")
	assert.NotContains(t, worst.At, "load", "it has no tolerance")
	assert.Equal(t, verdict.Met, worst.Verdict)
	// an inner worst is found by the search, not by corners
	run = w.run(t, w.revise(t, strings.Replace(wedged, "reach - (pin - 1.05)^2*40", "reach + (pin - 1.03)^2*400", 1)), study.Question{Study: "worst", Seed: 1})
	assert.InDelta(t, 1.03, run.Worst["R2"].At["pin"].Number, 5e-3)
}

// Surrogates of few evaluations tell probabilities that the solver would need many draws for; what they may be off by is in the limits.
func TestScatterOnSurrogates(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := strings.NewReplacer(`"load > 13.5 ? log(0 - 1) : 1"`, "1*grip", "points: 2000}", "points: 40, by: surrogate}").Replace(shaken)
	run := w.run(t, w.revise(t, text), study.Question{Study: "shake", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.Equal(t, 40, run.Evaluations)
	assert.Equal(t, []int{40, 20_000}, []int{run.Scatter.Points, run.Scatter.Predicted})
	assert.Greater(t, run.Scatter.Q2["pull"], 0.999)
	met := distuv.Normal{Mu: 21, Sigma: 1.0770329614269007}.CDF(22)
	p := run.Probabilities["R1"]
	assert.InDelta(t, met, p.Met, 0.005)
	assert.True(t, p.From < met && met < p.To && p.To-p.From < 0.05, "%v", p)
	assert.Equal(t, 1.0, run.Probabilities["R2"].Met, "it does not move")
	assert.Contains(t, run.Scatter.Says, "by surrogates of 40 evaluations")
	assert.Contains(t, run.Scatter.Causes, "where load is above", "what misses is pulled by heavy loads")

	failing := w.run(t, w.revise(t, strings.Replace(text, "1*grip", `"load > 11 ? log(0 - 1) : 1"`, 1)), study.Question{Study: "shake", Seed: 1})
	assert.Contains(t, failing.Reason, "surrogates know no failures")
	assert.Zero(t, failing.Scatter.Predicted)
	assert.NotZero(t, failing.Scatter.Failed)
	_, err := w.Start("drum", w.revise(t, strings.Replace(text, "points: 40", "points: 6", 1)), study.Question{Study: "shake", Seed: 1})
	assert.ErrorContains(t, err, "surrogates of 2 inputs need at least 8 points")
}

func TestTolerancesAndCorrelationsAreDrawn(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, wedged), study.Question{Study: "draws", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.InDelta(t, math.Sqrt(12), run.Scatter.Values["pull"].Deviation, 0.15, "independent, it would be the root of 8")
	level := run.Scatter.Values["level"]
	assert.True(t, level.Least >= 3.7 && level.Least < 3.71 && level.Largest <= 4.3 && level.Largest > 4.29, "made within 0.3 either way")
	assert.InDelta(t, 0.3/math.Sqrt(3), level.Deviation, 0.003)
}

// A noisy solver is asked for a candidate several times, unless somebody says how often.
func TestANoisyCandidateIsVerifiedSeveralTimes(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	noisy := "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}}\nsolver:\n  noisy: true\n  steps: [{run: [sh, -c, \"echo X @[a] > out\"]}]\noutputs: {x: {file: out, match: 'X (\\S+)'}}\n"
	for text, repeats := range map[string]int{noisy: 5, strings.Replace(noisy, "noisy: true", "noisy: false", 1): 1} {
		run := w.run(t, w.revise(t, text), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{"a": bench.Number(1.5)}, Seed: 1})
		require.NotNil(t, run.Repeats, run.Reason)
		assert.Len(t, run.Repeats.Evaluations, repeats)
	}
	run := w.run(t, w.revise(t, noisy), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{"a": bench.Number(1.5)}, Repeats: 2, Seed: 1})
	assert.Len(t, run.Repeats.Evaluations, 2)
}

// Surrogates that do not predict, or that the draws contradict, decide nothing: what is shown is what the draws show.
func TestSurrogatesThatDoNotPredictDecideNothing(t *testing.T) {
	t.Parallel()
	const island = `bench: 1
inputs:
  x1: {nominal: 0, scatter: {normal: {mean: 0, sd: 1}}}
  x2: {nominal: 0, scatter: {normal: {mean: 0, sd: 1}}}
solver: {formulas: {y: "max(0,1-20*((x1-0.5)^2+(x2+0.3)^2))", w: "x1 + x2"}}
requirements:
  R: {of: y, at_most: 0.2, with_probability: 0.99}
  S: {of: "expected(w)", at_most: 0.5}
studies: {u: {kind: uncertainty, points: 60, by: surrogate}}
`
	w := open(t, t.TempDir())
	revision := w.revise(t, island)
	for seed := range uint64(20) {
		run := w.run(t, revision, study.Question{Study: "u", Seed: seed + 1})
		require.Equal(t, study.Finished, run.State, run.Reason)
		r := run.Probabilities["R"]
		assert.NotEqual(t, verdict.Met, r.Verdict, "seed %d: 60 draws do not show 99 %%, and it is met in 98.3 %%: %v", seed+1, r)
		assert.Contains(t, run.Scatter.Says, "judged by the draws alone: R, since", seed+1)
		require.Len(t, run.Scatter.Told, 1, "a statistic is told by the draws")
	}
}

// One question has one verdict, however it is put; and those that failed are told apart from those that missed.
func TestOneQuestionHasOneVerdict(t *testing.T) {
	t.Parallel()
	const text = `bench: 1
inputs: {y: {nominal: 2, scatter: {normal: {mean: 2, sd: 0.1}}}, z: {nominal: 0, scatter: {normal: {mean: 0, sd: 1}}}}
solver: {formulas: {w: "y + 0*sqrt(2 - z)", v: "y*2"}}
requirements:
  A: {of: "probability(v <= 4.4)", at_least: 0.97}
  B: {of: v, at_most: 4.4, with_probability: 0.97}
  C: {of: "expected(v)", at_most: 4.02}
  D: {of: "deviation(v)", at_most: 0.5}
studies: {u: {kind: uncertainty, points: 60}}
`
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, strings.Replace(text, "w: \"y + 0*sqrt(2 - z)\", ", "", 1)), study.Question{Study: "u", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	told := map[string]result.Told{}
	for _, one := range run.Scatter.Told {
		told[one.Requirement] = one
	}
	assert.Equal(t, verdict.NotShown, run.Probabilities["B"].Verdict)
	assert.Nil(t, told["A"].Holds, "60 draws show neither")
	assert.InDelta(t, run.Probabilities["B"].From, *told["A"].From, 1e-12)
	assert.Nil(t, told["C"].Holds, "the mean of 4 may be above 4.02: %v to %v", *told["C"].From, *told["C"].To)
	require.NotNil(t, told["D"].Holds)
	assert.True(t, *told["D"].Holds)
	assert.InDelta(t, run.Scatter.Values["v"].Deviation, told["D"].Value, 1e-12, "one deviation everywhere")
	assert.Contains(t, run.Scatter.Says, "every requirement that one draw can show is met in")

	run = w.run(t, w.revise(t, strings.Replace(text, "at_most: 4.4,", "at_most: 4.1,", 1)), study.Question{Study: "u", Seed: 1})
	assert.Regexp(t, "^[0-9]+ draws missed a requirement: .* where y is above .* missed a requirement$", run.Scatter.Causes)
}
