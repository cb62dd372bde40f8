package study_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/result"
	"ropebench/study"
)

// shaky has a response with noise that interacts with the control x; z has a deviation of 0.4.
const shaky = `bench: 1
inputs:
  x: {nominal: 0, range: [-5, 5]}
  w: {nominal: 1, range: [0, 3]}
  z: {nominal: 0, scatter: {normal: {mean: 0, sd: 0.4}}}
solver:
  formulas:
    y:    1 + 2*x + z*(1 - 3*x)
    far:  w - 2
derived:
  loss: (y - 4)^2 + far^2
  cost: x + w
requirements:
  R1: {of: y, at_most: 5, with_probability: 0.9, wish: true}
  R2: {of: cost, at_most: 5}
studies:
  plain:  {kind: optimize, minimize: loss}
  slow:   {kind: optimize, minimize: loss, method: surrogate}
  best:   {kind: optimize, minimize: expected(loss)}
  few:    {kind: optimize, minimize: expected(loss), method: surrogate}
  steady: {kind: optimize, minimize: expected(loss) + 3*deviation(y), draws: 64}
  least:  {kind: optimize, minimize: deviation(y)}
  both:   {kind: optimize, objectives: [{minimize: expected(loss)}, {minimize: deviation(y)}], draws: 16, budget: {evaluations: 4000}}
`

func TestARobustDesignIsComparedWithThatWhichIgnoresScatter(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, shaky)
	alone := w.run(t, revision, study.Question{Study: "plain", Seed: 1})
	assert.InDelta(t, 1.5, alone.Best.Inputs["x"].Number, 1e-3)
	const s2 = 0.16
	exact := (2*3 + 3*s2) / (4 + 9*s2)
	for name, beside := range map[string]string{"best": "plain", "few": "slow"} {
		run := w.run(t, revision, study.Question{Study: name, Seed: 1})
		require.Equal(t, study.Finished, run.State, run.Reason)
		require.NotNil(t, run.Robust, name)
		assert.InEpsilon(t, exact, run.Best.Inputs["x"].Number, 0.01, name)
		assert.InDelta(t, 2, run.Best.Inputs["w"].Number, 0.05, name)
		assert.NotNil(t, run.Robust.Trail, "by surrogates it is empty, and a list all the same")
		told := run.Robust.Told
		require.Len(t, told, 1)
		assert.Equal(t, "expected(loss)", told[0].Of)
		lossAt := func(x float64) float64 { return math.Pow(1+2*x-4, 2) + s2*math.Pow(1-3*x, 2) }
		assert.InDelta(t, lossAt(exact), told[0].Value, 0.02*lossAt(exact), name)
		assert.InDelta(t, lossAt(1.5), *told[0].Alone, 0.05*lossAt(1.5), name)
		assert.InDelta(t, 1.5, run.Robust.Alone.Inputs["x"].Number, 0.01, name)
		assert.InDelta(t, told[0].Value, *run.Best.Objective, 1e-12)
		most := map[string]int{"best": 20, "few": 2}[name]
		ignoring := w.run(t, revision, study.Question{Study: beside, Seed: 1, Fresh: true})
		assert.LessOrEqual(t, run.Evaluations, most*ignoring.Evaluations, "%s: %d evaluations, and %d without scatter", name, run.Evaluations, ignoring.Evaluations)
		t.Logf("%s: %d evaluations, %d without scatter", name, run.Evaluations, ignoring.Evaluations)
	}
	steady := w.run(t, revision, study.Question{Study: "steady", Seed: 1})
	assert.Equal(t, 64, steady.Robust.Draws)
	assert.Less(t, steady.Best.Inputs["x"].Number, exact, "it moves towards 1/3, where scatter has no effect")
	least := w.run(t, revision, study.Question{Study: "least", Seed: 1})
	assert.Nil(t, least.Robust.Alone, "without scatter nothing is asked")
	assert.InDelta(t, 1.0/3, least.Best.Inputs["x"].Number, 1e-3)
}

// Mean and deviation are weighed against each other by a front.
func TestAFrontOverScatter(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, shaky), study.Question{Study: "both", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	require.NotNil(t, run.Tradeoff)
	assert.Equal(t, []string{"expected(loss)", "deviation(y)"}, run.Tradeoff.Objectives)
	assert.Greater(t, run.Tradeoff.Count, 10)
	first, last := run.Front[0], run.Front[len(run.Front)-1]
	assert.InDelta(t, 1.19, first.Inputs["x"].Number, 0.02, "the least expected loss")
	assert.InDelta(t, 1.0/3, last.Inputs["x"].Number, 0.02, "the least deviation")
	assert.InDelta(t, 0, last.Values["deviation(y)"], 0.03)
	assert.Nil(t, run.Robust.Alone)
	assert.Equal(t, run.Tradeoff.Compromise, run.Best.Evaluation)
}

// A draw that fails is a design that fails: the search goes on where none does, and says so where there is nothing.
func TestDrawsThatFailAreAvoided(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := "bench: 1\ninputs: {x: {nominal: 1, range: [0, 10]}, z: {nominal: 0, scatter: {uniform: {lower: -1, upper: 1}}}}\nsolver: {formulas: {y: \"x + z < 4 ? log(0 - 1) : x + z\"}}\nstudies: {best: {kind: optimize, minimize: expected(y)}}\n"
	run := w.run(t, w.revise(t, text), study.Question{Study: "best", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	require.NotNil(t, run.Best, run.Reason)
	assert.InDelta(t, 5, run.Best.Inputs["x"].Number, 0.2, "at 4 half of the draws fail")
	assert.Greater(t, run.Best.Inputs["x"].Number, 4.8)
	never := w.run(t, w.revise(t, strings.Replace(text, "range: [0, 10]", "range: [0, 4.5]", 1)), study.Question{Study: "best", Seed: 1})
	assert.Nil(t, never.Best)
	assert.Contains(t, never.Reason, "in some of its 32 draws every design fails that was tried: look at what fails there")
}

// A bar in tension, whose area is to be least: the margin of strength over stress is normal, so that the area is known.
const bar = `bench: 1
inputs:
  area:  {unit: mm2, nominal: 100, range: [20, 400]}
  pull:  {unit: N, nominal: 20000, scatter: {normal: {mean: 20000, sd: 2000}}}
  yield: {unit: MPa, nominal: 300, scatter: {normal: {mean: 300, sd: 15}}}
solver: {formulas: {room: area*yield - pull, mass: 0.00785*area}}
requirements:
  R1: {of: room, at_least: 0, with_probability: 0.95}
  R2: {of: "quantile(room, 0.5)", at_least: 0}
  R3: {of: deviation(room), at_most: 1, wish: true}
studies:
  plain: {kind: optimize, minimize: mass, meet: [R1]}
  sure:  {kind: optimize, minimize: mass, draws: 500, meet: [R1, R2]}
  asks:  {kind: optimize, minimize: mass, meet: [R2]}
  never: {kind: optimize, minimize: mass, draws: 40, meet: [R3]}
  shake: {kind: uncertainty, points: 400}
  short: {kind: optimize, minimize: mass, draws: 40, meet: [R1], budget: {evaluations: 30}}
`

func TestRequirementsAreKeptUnderScatter(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, bar)
	plain := w.run(t, revision, study.Question{Study: "plain", Seed: 1})
	assert.InDelta(t, 20000.0/300, plain.Best.Inputs["area"].Number, 1e-3, "scatter is not asked about")
	assert.Nil(t, plain.Robust)
	sure := w.run(t, revision, study.Question{Study: "sure", Seed: 1})
	require.Equal(t, study.Finished, sure.State, sure.Reason)
	// (300 a - 20000) = beta sqrt((15 a)^2 + 2000^2), with beta the 95 % quantile (A. H-S. Ang and W. H. Tang, Probability Concepts in Engineering)
	const beta = 1.6448536
	a, b, c := 300.0*300-beta*beta*15*15, -2*300*20000.0, 20000.0*20000-beta*beta*2000*2000
	exact := (-b + math.Sqrt(b*b-4*a*c)) / (2 * a)
	assert.InEpsilon(t, exact, sure.Best.Inputs["area"].Number, 0.01)
	told := sure.Robust.Told
	require.Len(t, told, 3)
	assert.Equal(t, "R1", told[0].Requirement)
	assert.True(t, *told[0].Holds)
	assert.Less(t, *told[0].Alone, 0.0, "the design that ignores scatter is too weak")
	assert.Empty(t, sure.Robust.Missed)
	assert.Equal(t, verdict.Met, sure.Best.Requirements["R2"].Verdict)
	assert.Equal(t, told[1].Value, *sure.Best.Requirements["R2"].Value)
	try := w.run(t, revision, study.Question{Kind: study.KindTry})
	assert.Equal(t, verdict.NotShown, try.Best.Requirements["R2"].Verdict, "one evaluation does not tell")
	assert.True(t, try.Best.Feasible)
	shake := w.run(t, revision, study.Question{Study: "shake", Seed: 1})
	require.Len(t, shake.Scatter.Told, 2)
	assert.InDelta(t, 10_000, shake.Scatter.Told[0].Value, 300)
	assert.True(t, *shake.Scatter.Told[0].Holds)
	assert.InDelta(t, math.Hypot(1500, 2000), shake.Scatter.Told[1].Value, 200)
	assert.False(t, *shake.Scatter.Told[1].Holds)
	assert.Empty(t, shake.Scatter.Missed, "a wish")
	assert.NotContains(t, shake.Probabilities, "R2")
	asks := w.run(t, revision, study.Question{Study: "asks", Seed: 1})
	assert.InEpsilon(t, 20000.0/300, asks.Best.Inputs["area"].Number, 0.01)
	never := w.run(t, revision, study.Question{Study: "never", Seed: 1})
	assert.False(t, *never.Robust.Told[0].Holds)
	assert.Empty(t, never.Robust.Missed, "a wish is not in the way")
	short := w.run(t, revision, study.Question{Study: "short", Seed: 1})
	assert.Equal(t, study.Broken, short.State)
	assert.Contains(t, short.Reason, "give more evaluations, ask for fewer draws, or say method: surrogate")
}

func TestSearchesOverScatterThatCannotBe(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	for says, change := range map[string][2]string{
		"no input scatters that is not held":                    {"scatter: {normal: {mean: 0, sd: 0.4}}", "label: z"},
		"a search over scatter is made once: leave repeats out": {"minimize: expected(loss)}", "minimize: expected(loss), repeats: 3}"},
	} {
		require.Contains(t, shaky, change[0])
		_, err := w.Start("drum", w.revise(t, strings.Replace(shaky, change[0], change[1], 1)), study.Question{Study: "best", Seed: 1})
		assert.ErrorContains(t, err, says)
	}
	_, err := w.Start("drum", w.revise(t, shaky+"  cells: {kind: sweep, over: {w: [1, 2]}, each: best}\n"), study.Question{Study: "cells", Seed: 1})
	assert.ErrorContains(t, err, "a sweep cannot search over scatter in every cell")
	shut := strings.Replace(shaky, "studies:", "  R3: {of: cost, at_least: 20}\nstudies:", 1)
	_, err = w.Start("drum", w.revise(t, shut), study.Question{Study: "best", Seed: 1})
	assert.ErrorContains(t, err, "R2 and R3 exclude each other", "before anything is asked")
	_, err = w.Start("drum", w.revise(t, shaky), study.Question{Study: "best", Seed: 1, Hold: map[string]bench.Value{"z": bench.Number(0)}})
	assert.ErrorContains(t, err, "no input scatters that is not held")
}

// A probability over draws goes in steps and has no slopes: it is searched without.
func TestAProbabilityIsMadeTheMost(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, `bench: 1
inputs:
  x: {nominal: 3.5, range: [0, 4]}
  w: {nominal: 1, range: [0, 2]}
  z: {nominal: 0, scatter: {normal: {mean: 0, sd: 0.5}}}
solver: {formulas: {y: "(x-2.2)^2 + (w-0.7)^2 + z*(1+0.2*x)"}}
studies: {p: {kind: optimize, maximize: "probability(y <= 1)", draws: 80, budget: {evaluations: 8100}}}
`), study.Question{Study: "p", Seed: 1})
	require.NotNil(t, run.Robust, run.Reason)
	at := slices.IndexFunc(run.Robust.Told, func(told result.Told) bool { return told.Of == "probability(y <= 1)" })
	require.GreaterOrEqual(t, at, 0)
	told := run.Robust.Told[at]
	assert.Greater(t, told.Value, 0.88, "at x = 2.1, w = 0.7 it is 0.92")
	assert.Greater(t, told.Value, *told.Alone)
}

// The start meets everything under scatter: what the search ends with does, too, however few designs its budget pays for.
func TestASearchOverScatterIsNoWorseThanItsStart(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs:
  x: {nominal: 1, range: [0, 4]}
  y: {nominal: 1, range: [0, 4]}
  z: {nominal: 0, scatter: {normal: {mean: 0, sd: 0.5}}}
solver: {formulas: {s: "x*y+0.5+z*x", q: "10-(x-3)^2-(y-2)^2-0.5*x+0.3*z*x"}}
requirements: {T: {of: deviation(s), at_most: 0.8}}
studies: {r: {kind: optimize, maximize: expected(q), draws: 64, budget: {evaluations: 300}}}
`)
	for seed := range uint64(3) {
		run := w.run(t, revision, study.Question{Study: "r", Seed: seed + 1})
		require.NotNil(t, run.Robust, run.Reason)
		assert.Empty(t, run.Robust.Missed, "seed %d: %v", seed+1, run.Best.Inputs)
	}
}
