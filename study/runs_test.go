package study_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/dispatch"
	"ropebench/store"
	"ropebench/study"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

const drum = `bench: 1
title: Drum of a hand winch
inputs:
  radius: {unit: m, nominal: 0.2, range: [0.01, 0.5], ends: [hard, guess]}
  turns:  {nominal: 6, range: [2, 20], step: 1}
  load:   {unit: N, nominal: 800}
solver:
  formulas:
    torque: load*radius
    length: 2*pi*radius*turns
    mass: 40*radius^2*turns
requirements:
  R1: {of: length, at_least: 5, reserve: 0.5}
  R2: {of: torque, at_most: 200}
  R3: {of: radius*turns, at_most: 6}
studies:
  look: {kind: sample, points: 30}
  light: {kind: optimize, minimize: mass, budget: {evaluations: 400}}
  long: {kind: optimize, maximize: length, method: nelder-mead, budget: {evaluations: 300}}
  impossible: {kind: optimize, minimize: mass, method: cma-es}
`

// A workshop is a store with runs over it.
type workshop struct {
	*study.Runs
	store *store.Store
}

func open(t *testing.T, folder string) workshop {
	s, err := store.Open(folder)
	require.NoError(t, err)
	engine := study.Engine{Slots: dispatch.NewSlots(2), Folder: filepath.Join(folder, "work"), Path: os.Getenv("PATH"), Mark: t.Name() + "-"}
	runs, err := study.NewRuns(s, engine, func(study.Run) {})
	require.NoError(t, err)
	t.Cleanup(func() {
		require.NoError(t, runs.Close())
		require.NoError(t, s.Close())
	})
	return workshop{runs, s}
}

func (w workshop) revise(t *testing.T, text string) int {
	saved, err := w.store.SaveRevision("drum", "/here", "", bench.Content{File: "drum.bench.yaml", Files: map[string]bench.File{"drum.bench.yaml": {Text: []byte(text)}}})
	require.NoError(t, err)
	return saved.Revision
}

func (w workshop) run(t *testing.T, revision int, q study.Question) study.Run {
	run, err := w.Start("drum", revision, q)
	require.NoError(t, err)
	return w.wait(t, run.ID)
}

func (w workshop) wait(t *testing.T, id int) study.Run {
	var run study.Run
	require.Eventually(t, func() bool {
		var err error
		run, err = w.Run(id)
		require.NoError(t, err)
		return run.State.Ended()
	}, 20*time.Second, 2*time.Millisecond)
	return run
}

func TestOptimizeUnderRequirements(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	run := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	require.NotNil(t, run.Best)
	assert.True(t, run.Best.Feasible)
	assert.Equal(t, 20.0, run.Best.Inputs["turns"].Number, "many turns on a small drum are light")
	assert.InDelta(t, 5.5, run.Best.Values["length"], 0.01, "the limit with its reserve is active")
	assert.Equal(t, verdict.Met, run.Best.Requirements["R1"].Verdict)
	assert.Equal(t, 800.0, run.Best.Inputs["load"].Number, "held inputs belong to the design")
	require.Len(t, run.AtEnds, 1)
	assert.Equal(t, "turns", run.AtEnds[0].Input)
	assert.Contains(t, run.AtEnds[0].Says, "is at its upper end, 20, which is hard")
	assert.Positive(t, run.NotTried, "R3 is on inputs alone")
}

func TestMaximumIsShownInItsOwnSense(t *testing.T) {
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, drum), study.Question{Study: "long", Seed: 1})
	assert.Greater(t, *run.Best.Objective, 20.0)
	assert.Equal(t, run.Best.Values["length"], *run.Best.Objective)
}

func TestNothingIsPaidForTwice(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	first := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	again := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	assert.Zero(t, first.Reused)
	assert.Equal(t, first.Evaluations, again.Reused+again.NotTried)
	assert.Equal(t, first.Best, again.Best)
	fresh := w.run(t, revision, study.Question{Study: "light", Seed: 1, Fresh: true})
	assert.Zero(t, fresh.Reused)
	// A changed requirement leaves the solver as it is; a changed formula is another solver.
	changed := w.run(t, w.revise(t, drum+"  more: {kind: sample, points: 5}\n"), study.Question{Study: "light", Seed: 1})
	assert.Positive(t, changed.Reused)
}

func TestHeldAndOtherSeed(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	held := w.run(t, revision, study.Question{Study: "light", Seed: 1, Hold: map[string]bench.Value{"turns": {Number: 10}}, Evaluations: 150})
	assert.Equal(t, 10.0, held.Best.Inputs["turns"].Number)
	assert.Equal(t, 150, held.Evaluations)
	other := w.run(t, revision, study.Question{Study: "light", Seed: 2})
	assert.InDelta(t, 20, other.Best.Inputs["turns"].Number, 0)
}

func TestTryAndVerify(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	try := w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"load": {Number: 1000}}})
	require.NotNil(t, try.Best)
	assert.Equal(t, 200.0, try.Best.Values["torque"])
	best := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	verified := w.run(t, revision, study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: best.Best.Inputs, Repeats: 3,
		Of: &study.Candidate{Run: best.ID, Evaluation: best.Best.Evaluation}})
	assert.Equal(t, 4, verified.Evaluations, "the nominal, and the candidate three times")
	assert.LessOrEqual(t, verified.Reused, 1, "the candidate is evaluated afresh")
	assert.Equal(t, best.Best.Values, without(verified.Best.Values, best.Best.Values))
	assert.Equal(t, 0.2, verified.Nominal.Inputs["radius"].Number)
}

func without(values, wanted map[string]float64) map[string]float64 {
	same := map[string]float64{}
	for name := range wanted {
		same[name] = values[name]
	}
	return same
}

func TestQuestionsThatCannotBeAsked(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	for message, q := range map[string]study.Question{
		"has no study lihgt":       {Study: "lihgt"},
		"does not have the method": {Study: "impossible"},
		"weight is no input":       {Study: "light", Hold: map[string]bench.Value{"weight": {Number: 1}}},
		"varies nothing":           {Study: "light", Hold: map[string]bench.Value{"radius": {Number: 0.1}, "turns": {Number: 3}}},
		"nothing is no input":      {Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"nothing": {Number: 1}}},
	} {
		_, err := w.Start("drum", revision, q)
		assert.ErrorContains(t, err, message)
	}
}

// fullDisk fails to write runs down once it is full.
type fullDisk struct {
	study.Records
	full bool
}

func (f *fullDisk) SaveRun(run study.Run) error {
	if f.full {
		return errors.New("the disk is full")
	}
	return f.Records.SaveRun(run)
}

type fullJournal struct{}

func (fullJournal) Append([]dispatch.Record) error { return errors.New("the disk is full") }

func (f *fullDisk) Journal(run int, key [32]byte, durable bool) dispatch.Journal {
	f.full = true
	return fullJournal{}
}

func TestARunWhoseEndCannotBeWrittenDownIsBroken(t *testing.T) {
	w := open(t, t.TempDir())
	disk := &fullDisk{Records: w.store}
	runs, err := study.NewRuns(disk, study.Engine{Slots: dispatch.NewSlots(1)}, func(study.Run) {})
	require.NoError(t, err)
	defer func() { require.NoError(t, runs.Close()) }()
	full := workshop{runs, w.store}
	run := full.run(t, full.revise(t, drum), study.Question{Study: "light", Seed: 1})
	assert.Equal(t, study.Broken, run.State)
	assert.Contains(t, run.Reason, "the disk is full")
	all, err := runs.All("")
	require.NoError(t, err)
	assert.Equal(t, study.Broken, all[0].State)
}

func TestInputsAreFreedForOneRun(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	freed := w.run(t, revision, study.Question{Study: "light", Seed: 1, Evaluations: 100, Free: map[string]*bench.Range{"load": {Lower: 700, Upper: 900}}})
	require.Equal(t, study.Finished, freed.State, freed.Reason)
	assert.Contains(t, freed.Layout.Inputs, "load")
	own := w.run(t, revision, study.Question{Study: "light", Seed: 1, Evaluations: 50, Hold: map[string]bench.Value{"turns": {Number: 10}}, Free: map[string]*bench.Range{"turns": nil}})
	assert.Contains(t, own.Layout.Inputs, "turns", "free is stronger than hold")
	for says, ranges := range map[string]map[string]*bench.Range{
		"load has no range to move in: give one for this run, as in load=640:960": {"load": nil},
		"weight is no input":        {"weight": nil},
		"the lower end comes first": {"load": {Lower: 3, Upper: 3}},
	} {
		_, err := w.Start("drum", revision, study.Question{Study: "light", Free: ranges})
		assert.ErrorContains(t, err, says)
	}
}

func TestEveryRowOfABatchHasItsOwnValues(t *testing.T) {
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs: {a: {nominal: 1, range: [0, 9]}, b: {nominal: 2, range: [0, 9]}}
solver: {formulas: {f: a + 10*b}}
derived: {g: f*a, only: a - b}
requirements: {R1: {of: g + only, at_most: 99}}
studies: {look: {kind: sample, plan: random, points: 150}}
`)
	run := w.run(t, revision, study.Question{Study: "look", Seed: 3})
	require.Equal(t, study.Finished, run.State, run.Reason)
	seen := 0
	require.NoError(t, w.store.Evaluations(run.ID, 1, func(r dispatch.Record) bool {
		seen++
		a, b := r.Design[0], r.Design[1]
		for i, name := range run.Layout.Columns {
			want := map[string]float64{"f": a + 10*b, "g": (a + 10*b) * a, "only": a - b, "g + only": (a+10*b)*a + a - b}[name]
			assert.InDelta(t, want, r.Values[i], 1e-9, "evaluation %d: %s", r.Number, name)
		}
		return true
	}))
	assert.Equal(t, 150, seen)
}
