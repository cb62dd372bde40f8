package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/study"
)

// cased is a lift that holds empty, full, and full with a wet rope.
const cased = `bench: 1
inputs:
  weight:   {unit: kg, nominal: 900, range: [500, 1500]}
  sheave:   {unit: mm, nominal: 500, range: [300, 900]}
  load:     {unit: kg, nominal: 400}
  friction: {nominal: 0.15}
solver:
  formulas:
    side:  (650 + load)*9.81*1.08
    other: weight*9.81*0.92
    twist: abs(side - other)*sheave/2000
    grip:  exp(friction*3.6)*min(side, other)/max(side, other)
    cost:  2*weight + 1.5*sheave
requirements:
  R1: {says: The rope does not slip, of: grip, at_least: 1}
  R2: {says: The drive moves it, of: twist, at_most: 1300, in: [empty, full]}
  R3: {of: sheave, at_least: 400}
cases:
  empty: {load: 0}
  full:  {load: 800}
  wet:   {load: 800, friction: 0.12}
studies:
  best:  {kind: optimize, minimize: cost}
  quiet: {kind: optimize, minimize: twist, meet: [R3]}
  look:  {kind: sample, points: 30}
  turns: {kind: sensitivity, of: [grip], points: 30}
  shake: {kind: uncertainty, points: 60}
`

func TestADesignHoldsInEveryCase(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, cased)
	try := w.run(t, revision, study.Question{Kind: study.KindTry})
	require.Equal(t, study.Finished, try.State, try.Reason)
	assert.Equal(t, 1, try.Evaluations, "one evaluation covers all cases")
	assert.InDelta(t, 309.01, try.Best.Values["twist.empty"], 0.1)
	assert.InDelta(t, 1809.9, try.Best.Values["twist.wet"], 0.1)
	slips := try.Best.Requirements["R1"]
	assert.Equal(t, "wet", slips.Case)
	assert.Equal(t, verdict.Missed, slips.Verdict)
	assert.Equal(t, try.Best.Values["grip.wet"], *slips.Value, "the worst case is shown")
	assert.Equal(t, "full", try.Best.Requirements["R2"].Case, "it does not hold in wet")
	assert.Empty(t, try.Best.Requirements["R3"].Case)

	best := w.run(t, revision, study.Question{Study: "best", Seed: 1})
	require.Equal(t, study.Finished, best.State, best.Reason)
	assert.True(t, best.Best.Feasible)
	// the rope just holds with a wet rope: weight 1450*1.08/(0.92*exp(0.12*3.6))
	assert.InDelta(t, 1105.05, best.Best.Inputs["weight"].Number, 0.05)
	assert.InDelta(t, 400, best.Best.Inputs["sheave"].Number, 1e-6)
	assert.Contains(t, strings.Join(best.Optimum.Says, "\n"), "R1 in wet holds it at grip = 1")

	quiet := w.run(t, revision, study.Question{Study: "quiet", Seed: 1})
	// half way between an empty and a full cage
	assert.InDelta(t, (650+1450)/2*1.08/0.92, quiet.Best.Inputs["weight"].Number, 0.5)
	assert.InDelta(t, 400*9.81*1.08*0.2, *quiet.Best.Objective, 0.5)

	for _, name := range []string{"look", "turns"} {
		run := w.run(t, revision, study.Question{Study: name, Seed: 1})
		assert.Equal(t, study.Finished, run.State, run.Reason)
		assert.Equal(t, 30, run.Evaluations)
	}
	verified := w.run(t, revision, study.Question{Kind: study.KindVerify, Design: best.Best.Inputs, Around: true})
	require.Equal(t, study.Finished, verified.State, verified.Reason)
	assert.Equal(t, "wet", verified.Best.Requirements["R1"].Case)
}

// Scatter is told of the case in which a requirement is worst, by draws, by surrogates, about the most probable miss, and within tolerances.
func TestScatterInCases(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := strings.NewReplacer("  weight:   {unit: kg, nominal: 900, range: [500, 1500]}", "  weight:   {unit: kg, nominal: 1125, range: [500, 1500], tolerance: 20}",
		"  shake: {kind: uncertainty, points: 60}", "  draws: {kind: uncertainty, points: 300}\n  fits:  {kind: uncertainty, points: 40, by: surrogate}\n  rare:  {kind: uncertainty, points: 600, by: design-point}\n  tight: {kind: uncertainty, points: 60, by: worst-case}").Replace(cased)
	revision := w.revise(t, text)
	drawn := w.run(t, revision, study.Question{Study: "draws", Seed: 1})
	require.Equal(t, study.Finished, drawn.State, drawn.Reason)
	// the wet rope holds down to a weight of 1105.05 kg, twenty less than the nominal one
	met := drawn.Probabilities["R1"].Met
	assert.InDelta(t, 1, met, 0.02)
	// a full cage is moved from a weight of 1125.9 kg on: (1450*1.08 - 1300/(9.81*0.25))/0.92
	assert.InDelta(t, 0.48, drawn.Probabilities["R2"].Met, 0.02)
	assert.InDelta(t, 0.48, drawn.Scatter.Together.Met, 0.03)
	fitted := w.run(t, revision, study.Question{Study: "fits", Seed: 1})
	require.Equal(t, study.Finished, fitted.State, fitted.Reason)
	assert.InDelta(t, met, fitted.Probabilities["R1"].Met, 0.05)
	rare := w.run(t, revision, study.Question{Study: "rare", Seed: 1})
	require.Equal(t, study.Finished, rare.State, rare.Reason)
	tight := w.run(t, revision, study.Question{Study: "tight", Seed: 1})
	require.Equal(t, study.Finished, tight.State, tight.Reason)
	worst := tight.Worst["R1"]
	assert.Equal(t, "wet", worst.Case)
	assert.InDelta(t, 1105, worst.At["weight"].Number, 1e-6, "the lightest counterweight")
	assert.Contains(t, worst.Says, " in wet, a margin of ")
	assert.Equal(t, "full", tight.Worst["R2"].Case)
}

func TestWhatCasesGiveStays(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, cased)
	_, err := w.Start("drum", revision, study.Question{Kind: study.KindTry, Design: map[string]bench.Value{"load": bench.Number(100)}})
	assert.ErrorContains(t, err, "load has a value of its own in every case, and another one would change nothing: change it there")
	_, err = w.Start("drum", revision, study.Question{Study: "best", Free: map[string]*bench.Range{"friction": {Lower: 0.1, Upper: 0.2}}})
	assert.ErrorContains(t, err, "friction has a value of its own in wet, and cannot move: take it out of the cases")
	dry := w.run(t, revision, study.Question{Kind: study.KindTry, Design: map[string]bench.Value{"friction": bench.Number(0.2)}})
	assert.Greater(t, dry.Best.Values["grip.full"], 1.2*dry.Best.Values["grip.wet"], "where a case does not give it, it moves")
}

// The same lift by programs, by equations and by formulas: the same values, and a case that fails is named.
func TestSolversOfAllKindsCoverCases(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	head, tail, _ := strings.Cut(cased, "solver:\n")
	_, tail, _ = strings.Cut(tail, "requirements:\n")
	programs := head + `solver:
  keep: all
  steps:
    - run: [awk, 'BEGIN {s = (650 + @[load])*9.81*1.08; o = @[weight]*9.81*0.92; if (@[weight] > 1400 && @[load] > 500) {print "snap" > "/dev/stderr"; exit 3}; a = s < o ? s : o; b = s < o ? o : s; printf "grip %.15g twist %.15g\n", exp(@[friction]*3.6)*a/b, (b - a)*@[sheave]/2000 > "o.txt"; print "rows" > "c.txt"; for (i = 0; i < 3; i++) print i, s*i > "c.txt"}']
outputs:
  twist: {file: o.txt, match: 'twist (\S+)'}
  grip:  {file: o.txt, match: 'grip (\S+)'}
  side:  {file: c.txt, table: {after: rows, field: 2}}
derived: {cost: 2*weight + 1.5*sheave, most: peak(side)}
requirements:
` + tail
	equations := head + `solver:
  dynamics:
    time: {from: 0, to: 1, count: 5}
    states:
      raised: {start: 0, rate: (650 + load)*9.81*1.08}
    signals: {slack: weight*9.81*0.92}
derived:
  side: at(raised, 1)
  other: at(slack, 1)
  twist: abs(side - other)*sheave/2000
  grip:  exp(friction*3.6)*min(side, other)/max(side, other)
  cost:  2*weight + 1.5*sheave
requirements:
` + tail
	wanted := w.run(t, w.revise(t, cased), study.Question{Study: "best", Seed: 1}).Best
	for name, text := range map[string]string{"programs": programs, "equations": equations} {
		revision := w.revise(t, text)
		try := w.run(t, revision, study.Question{Kind: study.KindTry, Design: map[string]bench.Value{"weight": wanted.Inputs["weight"], "sheave": wanted.Inputs["sheave"]}})
		require.Equal(t, study.Finished, try.State, "%s: %s", name, try.Reason)
		for _, value := range []string{"twist.empty", "twist.full", "twist.wet", "grip.empty", "grip.wet", "cost"} {
			assert.InEpsilon(t, wanted.Values[value], try.Best.Values[value], 1e-9, "%s: %s", name, value)
		}
		assert.Equal(t, wanted.Requirements["R2"].Case, try.Best.Requirements["R2"].Case)
		again := w.run(t, revision, study.Question{Kind: study.KindTry, Design: map[string]bench.Value{"weight": wanted.Inputs["weight"], "sheave": wanted.Inputs["sheave"]}})
		assert.Equal(t, 1, again.Reused, name)
	}
	best := w.run(t, w.revise(t, equations), study.Question{Study: "best", Seed: 1})
	assert.InDelta(t, wanted.Values["cost"], best.Best.Values["cost"], 1e-3, "slopes come through the cases")
	revision := w.revise(t, programs)
	kept, err := w.store.KeptFiles(w.run(t, revision, study.Question{Kind: study.KindTry, Fresh: true}).ID, 1)
	require.NoError(t, err)
	var paths []string
	for _, file := range kept {
		paths = append(paths, file.Path)
	}
	assert.Subset(t, paths, []string{"empty/o.txt", "full/o.txt", "wet/c.txt"})
	heavy := w.run(t, revision, study.Question{Kind: study.KindTry, Design: map[string]bench.Value{"weight": bench.Number(1450)}})
	assert.Contains(t, heavy.LastWhy, "in case full: ")
}
