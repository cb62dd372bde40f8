package study_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core/optimize"
	"ropebench/result"
	"ropebench/study"
)

// searched are studies of the drum that ask for more than the best.
const searched = drum + `  turn:  {kind: optimize, minimize: mass, method: [cma-es, sqp], rounds: 2, budget: {evaluations: 200}}
  seeds: {kind: optimize, minimize: mass, repeats: 3, budget: {evaluations: 60}}
  near:  {kind: optimize, approach: [{of: length, to: 9}, {of: torque, to: 120, weight: 0.001}], meet: []}
  hit:   {kind: seek, reach: {length: 9}}
  both:  {kind: seek, reach: {length: 9, torque: 100}, vary: [radius], hold: {turns: 10}}
  grid:  {kind: sweep, over: {turns: [2, 3, 8], load: {from: 400, to: 2000, count: 2}}, each: light}
  quick: {kind: optimize, minimize: mass, effort: quick, watch: [torque], budget: {evaluations: 400}}
  none:  {kind: optimize, minimize: mass, hold: {turns: 2, load: 4000}, budget: {evaluations: 100}}
`

func TestMethodsRunInTurn(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, searched), study.Question{Study: "turn", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	assert.Equal(t, "cma-es, sqp", run.Search.Method)
	assert.Contains(t, run.Search.Says, "sqp: ")
	assert.LessOrEqual(t, run.Evaluations, 200)
	assert.True(t, run.Best.Feasible)
}

func TestRepeatsSayHowFarApartTheyEnd(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, searched), study.Question{Study: "seeds", Seed: 5})
	require.NotNil(t, run.Spread, run.Reason)
	require.Len(t, run.Spread.Ends, 3)
	for i, end := range run.Spread.Ends {
		assert.Equal(t, uint64(5+i), end.Seed)
		assert.GreaterOrEqual(t, *end.Objective, *run.Best.Objective-1e-9, "the best of all is shown")
	}
	assert.Contains(t, run.Spread.Says, "3 searches ended at")
	assert.Equal(t, 180, run.Budget)
}

func TestTargetsAreApproachedAndReached(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, searched)
	near := w.run(t, revision, study.Question{Study: "near", Seed: 1})
	require.Len(t, near.Reached, 2, near.Reason)
	radius := near.Best.Inputs["radius"].Number
	// (2 pi n r - 9)^2 + 0.001 (800 r - 120)^2 is least where its slope is 0, and n turns are searched too
	assert.Equal(t, 10.0, near.Best.Inputs["turns"].Number)
	a, b := 20*math.Pi, 800.0
	assert.InDelta(t, (9*a+0.001*120*b)/(a*a+0.001*b*b), radius, 1e-6)
	assert.InDelta(t, math.Pow(a*radius-9, 2)+0.001*math.Pow(b*radius-120, 2), *near.Best.Objective, 1e-9)
	hit := w.run(t, revision, study.Question{Study: "hit", Seed: 1})
	require.Len(t, hit.Reached, 1)
	assert.True(t, hit.Reached[0].Reached, hit.Reason)
	assert.InDelta(t, 9, hit.Best.Values["length"], 1e-4)
	both := w.run(t, revision, study.Question{Study: "both", Seed: 1})
	assert.False(t, both.Reached[0].Reached && both.Reached[1].Reached, "one input cannot reach two targets")
	assert.Contains(t, both.Reason, "more than the 1 inputs")
}

func TestCellsOfASweepAreToldApart(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, searched), study.Question{Study: "grid", Seed: 1})
	require.Len(t, run.Cells, 6, run.Reason)
	for _, cell := range run.Cells {
		turns, load := cell.At["turns"].Number, cell.At["load"].Number
		radius := 5.5 / (2 * math.Pi * turns) // the least that takes the rope
		name := fmt.Sprintf("%g turns, %g N", turns, load)
		if load*5/(2*math.Pi*turns) > 200 {
			assert.Equal(t, "infeasible", cell.State, name)
			continue
		}
		require.Equal(t, "finished", cell.State, name)
		if load*radius > 200 {
			continue // only without its reserve
		}
		assert.Equal(t, cell.At["load"], cell.Best.Inputs["load"])
		assert.InDelta(t, 40*radius*radius*turns, *cell.Best.Objective, 1e-6, name)
	}
	assert.Nil(t, run.Best, "a sweep has no one best design")
	assert.Contains(t, run.Reason, "6 cells are done")
	assert.Contains(t, run.Reason, "without one")
}

func TestASweepReachesItsTargetsInEveryCell(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, searched+"  hits: {kind: sweep, over: {turns: [3, 6, 20]}, each: hit}\n"), study.Question{Study: "hits", Seed: 1})
	require.Len(t, run.Cells, 3, run.Reason)
	assert.Equal(t, "infeasible", run.Cells[0].State, "the torque would be too large")
	for i, turns := range map[int]float64{1: 6, 2: 20} {
		require.Equal(t, "finished", run.Cells[i].State, run.Cells[i].Says)
		assert.InDelta(t, 9/(2*math.Pi*turns), run.Cells[i].Best.Inputs["radius"].Number, 1e-4)
	}
}

func TestCellsThatInputsAloneExcludeCostNothing(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	text := strings.Replace(searched, "R3: {of: radius*turns, at_most: 6}", "R3: {of: load/(1000*radius), at_most: 10}", 1) + "  loads: {kind: sweep, over: {load: [400, 9000, 500]}, each: light}\n"
	run := w.run(t, w.revise(t, text), study.Question{Study: "loads", Seed: 1})
	require.Len(t, run.Cells, 3, run.Reason)
	assert.Equal(t, []string{"finished", "infeasible", "finished"}, []string{run.Cells[0].State, run.Cells[1].State, run.Cells[2].State})
	assert.Equal(t, "R3 cannot be met, whatever the solver says", run.Cells[1].Says)
	assert.Zero(t, run.Cells[1].Used)
}

// curved has an objective whose curvature is to be learned.
const curved = `bench: 1
inputs:
  a: {nominal: 3, range: [-5, 5]}
  b: {nominal: 3, range: [-5, 5]}
  c: {nominal: 3, range: [1, 5], scale: log}
solver: {formulas: {f: exp(a - b) + (a + b)^2 + (c - 2)^4 + 2*a^2 + a*b}}
requirements: {R1: {of: a + b + 0.1*c^2, at_least: 2}}
studies:
  best: {kind: optimize, minimize: f, method: sqp}
  next: {kind: optimize, minimize: f, method: sqp, start: {best-of: best}}
  other: {kind: optimize, minimize: f + c, method: sqp, start: {best-of: best}}
`

func TestASearchGoesOnWithWhatWasLearned(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, curved)
	first := w.run(t, revision, study.Question{Study: "best", Seed: 1})
	require.NotNil(t, first.Learned, first.Reason)
	assert.Equal(t, []string{"a", "b", "c"}, first.Learned.Inputs)
	moved := w.revise(t, strings.Replace(curved, "at_least: 2", "at_least: 2.3", 1))
	next := w.run(t, moved, study.Question{Study: "next", Seed: 1})
	cold := w.run(t, moved, study.Question{Study: "best", Seed: 1, Start: first.Best.Inputs, Fresh: true})
	of := study.Candidate{Run: first.ID, Evaluation: first.Best.Evaluation}
	warm := w.run(t, moved, study.Question{Study: "best", Seed: 1, Start: first.Best.Inputs, Of: &of})
	assert.InDelta(t, *cold.Best.Objective, *warm.Best.Objective, 1e-7)
	assert.Less(t, warm.Evaluations, cold.Evaluations)
	assert.Equal(t, warm.Evaluations, next.Evaluations, "best-of takes it over, too")
	assert.NotNil(t, next.Question.Learned)
	assert.Equal(t, "f, most: false; c by ratios", next.Question.Learned.Of)
	other := w.run(t, moved, study.Question{Study: "other", Seed: 1})
	assert.Equal(t, study.Finished, other.State)
	elsewhere := w.run(t, moved, study.Question{Study: "best", Seed: 1, Start: first.Best.Inputs, Of: &study.Candidate{Run: first.ID, Evaluation: 1}})
	assert.Nil(t, elsewhere.Question.Learned, "it belongs to the best design")
}

// slow is an external solver: cells of one row go on after each other, rows beside each other.
const slow = `bench: 1
inputs:
  a: {nominal: 2, range: [0, 4]}
  b: {nominal: 1}
  c: {nominal: 1}
solver:
  steps: [{run: [sh, -c, "echo $((@[b]*100 + @[c])) > o.txt"]}]
outputs: {o: {file: o.txt, match: '(\S+)'}}
derived: {cost: (a - 1)^2 + o}
studies:
  best: {kind: optimize, minimize: cost, budget: {evaluations: 12}}
  grid: {kind: sweep, over: {b: [1, 2, 3], c: [1, 2]}, each: best}
`

func TestRowsOfASweepGoOnBesideEachOther(t *testing.T) {
	t.Parallel()
	var all [][]result.Cell
	for _, slots := range []int{1, 2} {
		w := open(t, t.TempDir())
		run := w.run(t, w.revise(t, slow), study.Question{Study: "grid", Seed: 1, Slots: slots})
		require.Len(t, run.Cells, 6, run.Reason)
		for i, cell := range run.Cells {
			require.Equal(t, "finished", cell.State)
			assert.InDelta(t, 100*float64(1+i/2)+float64(1+i%2), *cell.Best.Objective, 0.1)
			cell.Best.Evaluation = 0 // who asks first has the first number
		}
		all = append(all, run.Cells)
	}
	assert.Equal(t, all[0], all[1], "what a cell finds does not hang on the slots")
}

func TestTheAnswerSaysWhatHoldsIt(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, searched)
	run := w.run(t, revision, study.Question{Study: "quick", Seed: 1, Hold: map[string]bench.Value{"turns": {Number: 10}}})
	require.NotNil(t, run.Optimum, run.Reason)
	require.Len(t, run.Optimum.Holds, 1)
	hold := run.Optimum.Holds[0]
	assert.Equal(t, "R1", hold.Requirement)
	mass := func(length float64) float64 { return 400 * math.Pow(length/(20*math.Pi), 2) }
	assert.InEpsilon(t, (mass(5.5)-mass(5.5-hold.Room))/hold.Room, *hold.Price, 1e-4, "mass over length")
	assert.InDelta(t, 0.1, hold.Room, 1e-12)
	assert.Contains(t, hold.Says, "R1 with its reserve holds it at length = 5")
	assert.Contains(t, hold.Says, "would save about")
	free := w.run(t, revision, study.Question{Study: "quick", Seed: 1})
	assert.Contains(t, strings.Join(free.Watched, " "), "torque, which is watched, went from")
	missed := w.run(t, revision, study.Question{Study: "none", Seed: 1})
	require.NotNil(t, missed.Optimum, missed.Reason)
	assert.Contains(t, missed.Optimum.Says[0], "No design that meets every requirement was found")
	assert.Equal(t, []string{"R1", "R2"}, ids(missed.Optimum.Contradicts))
	assert.Contains(t, strings.Join(missed.Optimum.Says, " "), "R1 and R2 are in each other's way")
}

func ids(all []result.Easing) []string {
	var ids []string
	for _, easing := range all {
		ids = append(ids, easing.Requirement)
	}
	return ids
}

func TestAStartOutsideOfItsRangeIsSaid(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, searched), study.Question{Study: "quick", Seed: 1, Start: map[string]bench.Value{"radius": {Number: 0.8}}})
	require.NotNil(t, run.Search, run.Reason)
	assert.Contains(t, strings.Join(run.Search.Remarks, " "), "the start has radius = 0.8, outside of its range of 0.01 to 0.5")
	assert.LessOrEqual(t, run.Best.Inputs["radius"].Number, 0.5)
}

func TestABudgetThatIsTooSmallIsSaid(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, "bench: 1\ninputs: {a: {nominal: 1, range: [0, 2]}, b: {nominal: 1, range: [0, 2]}, c: {nominal: 1, range: [0, 2]}}\nsolver: {steps: [{run: [sh, -c, \"echo @[a] > o.txt\"]}]}\noutputs: {o: {file: o.txt, match: '(\\S+)'}}\nstudies: {best: {kind: optimize, minimize: o, budget: {evaluations: 3}}}\n"), study.Question{Study: "best", Seed: 1})
	require.NotNil(t, run.Search, run.Reason)
	assert.Contains(t, strings.Join(run.Search.Remarks, " "), "a budget of 3 evaluations does not pay for the slopes of 3 inputs")
}

// hysteresis was measured dry and wet; only k and c are asked for.
const hysteresis = `bench: 1
inputs:
  k: {nominal: 1, range: [0, 10]}
  c: {nominal: 1, range: [0, 10]}
  wet: {nominal: 0}
solver:
  formulas:
    load: {along: {stretch: {from: 0, to: 2, count: 21}}, is: "(k - wet)*stretch + c*stretch^3"}
    top: (k - wet)*2 + c*8
studies:
  fit: {kind: calibrate, match: [{curve: load, to: dry.csv}, {curve: load, to: wet.csv, x: s, y: f, weight: 4, with: {wet: 0.5}}, {of: top, to: 22}]}
`

func TestMeasurementsUnderSeveralConditionsAreFitted(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	dry, wet := "x;y\n", "s,f\n"
	for _, s := range []float64{0.5, 1, 1.5, 2} {
		dry += fmt.Sprintf("%g;%g\n", s, 3*s+2*s*s*s)
		wet += fmt.Sprintf("%g,%g\n", s, 2.5*s+2*s*s*s)
	}
	dry += "3;63\n" // beyond the curve of the model
	saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{
		"drum.bench.yaml": {Text: []byte(hysteresis)}, "dry.csv": {Text: []byte(dry)}, "wet.csv": {Text: []byte(wet)}}})
	require.NoError(t, err)
	run := w.run(t, saved.Revision, study.Question{Study: "fit", Seed: 1})
	require.NotNil(t, run.Fit, run.Reason)
	assert.InDelta(t, 3, run.Best.Inputs["k"].Number, 1e-6)
	assert.InDelta(t, 2, run.Best.Inputs["c"].Number, 1e-6)
	assert.Less(t, run.Fit.Residual, 1e-12)
	require.Len(t, run.Fit.Matches, 3)
	assert.Equal(t, 1, run.Fit.Matches[0].Outside)
	assert.Equal(t, map[string]bench.Value{"wet": {Number: 0.5}}, run.Fit.Matches[1].With)
	assert.Contains(t, run.Fit.Errors, "k")
	for name := range run.Best.Values {
		assert.NotContains(t, name, "at(", "the points of measurements are no values to look at")
	}
	assert.Equal(t, 0, run.Evaluations%2, "every design is evaluated dry and wet")
}

// A measurement that lies outside of every curve is no measurement of this model: nothing is fitted to it.
func TestMeasurementsOutsideOfTheCurveAreRefused(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{
		"drum.bench.yaml": {Text: []byte(hysteresis)}, "dry.csv": {Text: []byte("x;y\n500;1\n1000;2\n")}, "wet.csv": {Text: []byte("s,f\n1,4\n2,20\n")}}})
	require.NoError(t, err)
	run := w.run(t, saved.Revision, study.Question{Study: "fit", Seed: 1})
	assert.Contains(t, run.Reason, "none of the 2 points of dry.csv lies on the curve load of the design where the search is to begin")
	assert.Nil(t, run.Fit)
	assert.LessOrEqual(t, run.Evaluations, 2)
}

func TestSearchesThatCannotBeMade(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, searched)
	_, err := w.Start("drum", revision, study.Question{Study: "grid", Seed: 1, Hold: map[string]bench.Value{"radius": {Number: 0.1}}})
	assert.ErrorContains(t, err, "varies nothing")
	_, err = w.Start("drum", w.revise(t, strings.Replace(searched, "requirements:\n", "requirements:\n  R8: {of: radius, at_least: 0.4}\n  R9: {of: radius + 0.01*turns, at_most: 0.3}\n", 1)), study.Question{Study: "quick", Seed: 1})
	assert.ErrorContains(t, err, "R8 and R9 exclude each other")
	_, err = w.Start("drum", revision, study.Question{Study: "quick", Seed: 1, Start: map[string]bench.Value{"radios": {Number: 0.1}}})
	assert.ErrorContains(t, err, "did you mean radius?")
}

// Every method that a bench file may name can be run.
func TestEveryMethodThatCanBeNamedIsThere(t *testing.T) {
	t.Parallel()
	k, _ := bench.KindOf("optimize")
	for _, key := range k.New().Keys() {
		if key.Name != "method" {
			continue
		}
		require.NotEmpty(t, key.Choices)
		for _, name := range key.Choices {
			assert.NotNil(t, optimize.Methods[name], name)
		}
	}
}

func TestTheBestOfANoisySolverMayBeLuck(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	noisy := strings.NewReplacer("(a - 1)^2 + (b - c)^2 + c, a + b", "(a - 1)^2 + (b - c)^2 + c + 0.3*sin(99991*a + 77.7*b), a + b", "solver:", "solver:\n  noisy: true").Replace(interrupted)
	run := w.run(t, w.revise(t, noisy), study.Question{Study: "few", Seed: 1, Slots: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	require.Len(t, run.Search.Remarks, 1)
	assert.Regexp(t, `^the solver is noisy: by all evaluations together evaluation \d+ is the best, with cost believed between [-0-9.]+ and [-0-9.]+; the best single value may be luck: verify the design with repeats$`, run.Search.Remarks[0])
	assert.Less(t, run.Best.Values["cost"], 1.0, "what no design has in the mean")
	quiet := w.run(t, w.revise(t, interrupted), study.Question{Study: "few", Seed: 1, Slots: 1})
	assert.Empty(t, quiet.Search.Remarks)
}

// Whatever the method, the answer of a noisy solver says which design is the best by all that was seen, and nothing of slopes.
func TestLuckIsSaidOfEveryMethod(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs: {x: {nominal: 1, range: [0, 4]}, w: {nominal: 1, range: [0, 2]}}
solver:
  noisy: true
  steps:
    - run: [awk, "BEGIN{srand(int(1e6*(@[x]+3*@[w]))); print \"f\", (@[x]-2)^2+(@[w]-1.5)^2+3+0.05*(rand()-0.5)}"]
      stdout: o.txt
outputs: {f: {file: o.txt, match: 'f (\S+)'}}
studies:
  auto: {kind: optimize, minimize: f, budget: {evaluations: 60}}
  models: {kind: optimize, minimize: f, method: trust-region, budget: {evaluations: 30}}
  samples: {kind: optimize, minimize: f, method: cma-es, budget: {evaluations: 40}}
`)
	for name, most := range map[string]int{"auto": 60, "models": 30, "samples": 40} {
		run := w.run(t, revision, study.Question{Study: name, Seed: 1})
		require.NotNil(t, run.Search, run.Reason)
		assert.Contains(t, strings.Join(run.Search.Remarks, " "), "the best single value may be luck", name)
		assert.NotContains(t, strings.Join(run.Optimum.Says, " "), "small change", name)
		assert.LessOrEqual(t, run.Evaluations, most, name)
	}
}
