package study_test

import (
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver"
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
`

// A workshop is a store with runs over it.
type workshop struct {
	*study.Runs
	store *store.Store
}

func open(t *testing.T, folder string) workshop {
	s, err := store.Open(folder)
	require.NoError(t, err)
	engine := study.Engine{Slots: dispatch.NewSlots(2), Folder: filepath.Join(folder, "work"), Path: os.Getenv("PATH"), IDPrefix: t.Name() + "-"}
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

// An ended run with what it has found.
type ended struct {
	study.Run
	result.Parts
}

func (w workshop) run(t *testing.T, revision int, q study.Question) ended {
	run, err := w.Start("drum", revision, q)
	require.NoError(t, err)
	return w.wait(t, run.ID)
}

func (w workshop) wait(t *testing.T, id int) ended {
	var e ended
	require.Eventually(t, func() bool {
		var err error
		e.Run, e.Parts, err = w.Result(id)
		require.NoError(t, err)
		return e.State.Ended()
	}, time.Minute, 2*time.Millisecond)
	return e
}

func TestOptimizeUnderRequirements(t *testing.T) {
	t.Parallel()
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
	assert.Zero(t, run.NotTried, "R3 is on inputs alone: it is kept before anything is asked")
}

func TestMaximumIsShownInItsOwnSense(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, drum), study.Question{Study: "long", Seed: 1})
	assert.Greater(t, *run.Best.Objective, 20.0)
	assert.Equal(t, run.Best.Values["length"], *run.Best.Objective)
}

func TestNothingIsPaidForTwice(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	first := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	again := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	assert.Zero(t, first.Reused)
	assert.Equal(t, first.Evaluations, again.Reused+again.NotTried)
	assert.Equal(t, first.Best, again.Best)
	fresh := w.run(t, revision, study.Question{Study: "light", Seed: 1, Fresh: true})
	assert.Zero(t, fresh.Reused)
	// Another study, a changed requirement and the order of the file leave the solver as it is.
	for _, change := range []func(string) string{
		func(text string) string { return text + "  more: {kind: sample, points: 5}\n" },
		func(text string) string { return strings.Replace(text, "at_most: 200", "at_most: 190", 1) },
		func(text string) string {
			return strings.Replace(text, "    torque: load*radius\n    length: 2*pi*radius*turns\n", "    length: 2*pi*radius*turns\n    torque: load*radius\n", 1)
		},
	} {
		same := w.run(t, w.revise(t, change(drum)), study.Question{Study: "look", Seed: 1})
		known := w.run(t, w.revise(t, change(drum)), study.Question{Study: "look", Seed: 1})
		assert.Equal(t, same.Evaluations, known.Reused+known.NotTried)
	}
	// A changed formula is another solver.
	changed := w.run(t, w.revise(t, strings.Replace(drum, "load*radius", "load*radius*1.0001", 1)), study.Question{Study: "look", Seed: 1})
	assert.Zero(t, changed.Reused)
}

func TestHeldAndOtherSeed(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	held := w.run(t, revision, study.Question{Study: "light", Seed: 1, Hold: map[string]bench.Value{"turns": {Number: 10}}, Evaluations: 150})
	assert.Equal(t, 10.0, held.Best.Inputs["turns"].Number)
	assert.LessOrEqual(t, held.Evaluations, 150)
	other := w.run(t, revision, study.Question{Study: "light", Seed: 2})
	assert.InDelta(t, 20, other.Best.Inputs["turns"].Number, 0)
}

func TestTryAndVerify(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	for message, q := range map[string]study.Question{
		"has no study lihgt":                  {Study: "lihgt"},
		"weight is no input":                  {Study: "light", Hold: map[string]bench.Value{"weight": {Number: 1}}},
		"varies nothing":                      {Study: "light", Hold: map[string]bench.Value{"radius": {Number: 0.1}, "turns": {Number: 3}}},
		"between 1 and 100000000 evaluations": {Study: "light", Evaluations: 1_000_000_000_000_000},
		"evaluations, not -5":                 {Study: "light", Evaluations: -5},
		"at most 33554432 points":             {Study: "look", Evaluations: 90_000_000},
		"between 1 and 1000 times":            {Kind: study.KindVerify, Study: study.KindVerify, Repeats: 1_000_000_000},
		"nothing is no input":                 {Kind: study.KindTry, Study: study.KindTry, Design: map[string]bench.Value{"nothing": {Number: 1}}},
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

func (fullJournal) Append([]dispatch.Record) error    { return errors.New("the disk is full") }
func (fullJournal) Read(int) (dispatch.Record, error) { return dispatch.Record{}, nil }

func (f *fullDisk) Journal(run int, key solver.Key, durable bool) dispatch.Journal {
	f.full = true
	return fullJournal{}
}

func TestARunWhoseEndCannotBeWrittenDownIsBroken(t *testing.T) {
	t.Parallel()
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

// overheard notes what the runs say of one while its end is being written down.
type overheard struct {
	study.Records
	runs *study.Runs
	said []study.State
}

func (o *overheard) SaveRun(run study.Run) error {
	if run.State.Ended() {
		known, err := o.runs.Run(run.ID)
		if err != nil {
			return err
		}
		o.said = append(o.said, known.State)
	}
	return o.Records.SaveRun(run)
}

func TestARunHasEndedOnceThatIsWrittenDown(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	disk := &overheard{Records: w.store}
	runs, err := study.NewRuns(disk, study.Engine{Slots: dispatch.NewSlots(1)}, func(run study.Run) {
		written, err := w.store.Run(run.ID)
		assert.NoError(t, err)
		assert.Equal(t, run.State.Ended(), written.State.Ended(), "and is told to those who watch then")
	})
	require.NoError(t, err)
	disk.runs = runs
	over := workshop{runs, w.store}
	run := over.run(t, over.revise(t, drum), study.Question{Study: "light", Seed: 1})
	require.NoError(t, runs.Close())
	assert.Equal(t, study.Finished, run.State, run.Reason)
	assert.Equal(t, []study.State{study.Running}, disk.said)
}

func TestInputsAreFreedForOneRun(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum)
	freed := w.run(t, revision, study.Question{Study: "light", Seed: 1, Evaluations: 100, Free: map[string]*bench.Range{"load": {Lower: 700, Upper: 900}}})
	require.Equal(t, study.Finished, freed.State, freed.Reason)
	assert.Contains(t, freed.Layout.Inputs, "load")
	own := w.run(t, revision, study.Question{Study: "light", Seed: 1, Evaluations: 50, Hold: map[string]bench.Value{"turns": {Number: 10}}, Free: map[string]*bench.Range{"turns": nil}})
	assert.Contains(t, own.Layout.Inputs, "turns", "free is stronger than hold")
	stepped := w.run(t, revision, study.Question{Study: "light", Seed: 1, Evaluations: 30, Free: map[string]*bench.Range{"turns": {Lower: 5, Upper: 21}}})
	at := slices.Index(stepped.Layout.Inputs, "turns")
	require.NoError(t, w.store.Evaluations(stepped.ID, 1, func(r dispatch.Record) bool {
		return assert.Equal(t, math.Trunc(r.Design[at]), r.Design[at], "its steps are kept")
	}))
	for says, ranges := range map[string]map[string]*bench.Range{
		"turns moves in steps of 1: the step 1 does not divide the range [5, 8.5]: write [5, 8]": {"turns": {Lower: 5, Upper: 8.5}},
		"load has no range to move in: give one for this run, as in load=640:960":                {"load": nil},
		"weight is no input":        {"weight": nil},
		"the lower end comes first": {"load": {Lower: 3, Upper: 3}},
	} {
		_, err := w.Start("drum", revision, study.Question{Study: "light", Free: ranges})
		assert.ErrorContains(t, err, says)
	}
}

func TestEveryRowOfABatchHasItsOwnValues(t *testing.T) {
	t.Parallel()
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
		for i, column := range run.Layout.Columns {
			want := map[string]float64{"f": a + 10*b, "g": (a + 10*b) * a, "only": a - b, "g + only": (a+10*b)*a + a - b}[column.Name]
			assert.InDelta(t, want, r.Values[i], 1e-9, "evaluation %d: %s", r.Number, column.Name)
		}
		return true
	}))
	assert.Equal(t, 150, seen)
}

func TestWhatARunHasFoundOutlivesTheService(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	w := open(t, folder)
	revision := w.revise(t, drum)
	light := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	look := w.run(t, revision, study.Question{Study: "look", Seed: 1})
	assert.Equal(t, &result.Search{Method: "auto", Chose: light.Search.Chose, Ended: "converged", Used: light.Evaluations, ImprovedAt: light.Search.ImprovedAt, Says: light.Reason}, light.Search)
	assert.Contains(t, light.Search.Chose, "exact derivatives")
	assert.Positive(t, light.Search.ImprovedAt)
	assert.Equal(t, &result.Sample{Plan: "latin-hypercube", Points: 30, Designs: 30, Usable: look.Usable, Feasible: look.Feasible}, look.Sample)
	assert.Nil(t, look.Best)
	assert.Equal(t, light.Best.Evaluation, light.Headline.Evaluation)
	kept, err := w.store.Parts(light.ID)
	require.NoError(t, err)
	assert.Equal(t, light.Parts, kept)
}

// TestOneRunHasOneLeader starts, stops and resumes a run from many sides at once.
func TestOneRunHasOneLeader(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, strings.Replace(drum, "evaluations: 400", "evaluations: 30000", 1))
	started, err := w.Start("drum", revision, study.Question{Study: "light", Seed: 1})
	require.NoError(t, err)
	for range 5 {
		_, err := w.Pause(started.ID)
		if errors.As(err, new(study.WrongState)) {
			break // it was quicker
		}
		require.NoError(t, err)
		var group sync.WaitGroup
		var resumed atomic.Int32
		for range 8 {
			group.Go(func() {
				_, err := w.Resume(started.ID)
				if err == nil {
					resumed.Add(1)
				} else {
					assert.ErrorAs(t, err, new(study.WrongState))
				}
			})
		}
		group.Wait()
		assert.LessOrEqual(t, resumed.Load(), int32(1))
	}
	run := w.wait(t, started.ID)
	require.Equal(t, study.Finished, run.State, run.Reason)
	seen := 0
	require.NoError(t, w.store.Evaluations(run.ID, 1, func(r dispatch.Record) bool {
		seen++
		return assert.Equal(t, seen, r.Number, "every evaluation is there once")
	}))
	assert.Equal(t, run.Evaluations, seen)
	undisturbed := w.run(t, revision, study.Question{Study: "light", Seed: 1, Fresh: true})
	assert.Equal(t, undisturbed.Best, run.Best)
}

func TestTheBestOfAnotherStudyIsTheStart(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum+"  after: {kind: optimize, minimize: mass, method: nelder-mead, start: {best-of: light}, budget: {evaluations: 1}}\n"+
		"  from: {kind: optimize, minimize: mass, method: nelder-mead, start: {radius: 0.3, turns: 4}, budget: {evaluations: 1}}\n")
	_, err := w.Start("drum", revision, study.Question{Study: "after", Seed: 1})
	assert.ErrorContains(t, err, "there is no finished run of it: run light first")
	light := w.run(t, revision, study.Question{Study: "light", Seed: 1})
	after := w.run(t, revision, study.Question{Study: "after", Seed: 1})
	assert.Equal(t, light.Best.Inputs, after.Best.Inputs, "the first design that it asks")
	from := w.run(t, revision, study.Question{Study: "from", Seed: 1})
	assert.Equal(t, map[string]bench.Value{"radius": bench.Number(0.3), "turns": bench.Number(4), "load": bench.Number(800)}, from.Best.Inputs)
	look := w.run(t, revision, study.Question{Study: "long", Seed: 1, Evaluations: 1})
	assert.Equal(t, bench.Number(0.2), look.Best.Inputs["radius"], "and the nominal where nothing is said")
}

func TestStopsOfTheFileReachTheSearch(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, drum+"  early: {kind: optimize, minimize: mass, stop: {plateau: 30, tolerance: 0.5}, budget: {evaluations: 4000}}\n"+
		"  later: {kind: optimize, minimize: mass, stop: {plateau: 30}, budget: {evaluations: 4000}}\n")
	early, later := 0, 0
	for seed := range uint64(5) {
		coarse, fine := w.run(t, revision, study.Question{Study: "early", Seed: 1 + seed}), w.run(t, revision, study.Question{Study: "later", Seed: 1 + seed})
		assert.Equal(t, []string{"plateau", "plateau"}, []string{coarse.Search.Ended, fine.Search.Ended})
		early, later = early+coarse.Evaluations, later+fine.Evaluations
	}
	assert.Less(t, early, later, "a coarser tolerance ends them sooner")
}

func TestTimeAloneIsABudget(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, drum+"  timed: {kind: optimize, minimize: mass, method: differential-evolution, budget: {time: 300ms}}\n"), study.Question{Study: "timed", Seed: 1})
	assert.Equal(t, study.Finished, run.State)
	assert.Equal(t, "the time of its budget is used up", run.Reason)
	assert.Greater(t, run.Evaluations, 200, "and not the budget of a search that names none")
	assert.Zero(t, run.Budget)
}

// flaky is an external solver that fails at its first call of each design, and counts its calls.
const flaky = `bench: 1
inputs: {x: {nominal: 1, range: [0, 9], step: 1}}
solver:
  steps:
    - run: [sh, -c, "echo x >> $CALLS; test $(wc -l < $CALLS) -gt 1 && echo '{\"y\": 2}' > out.json"]
      env: {CALLS: "%s"}
  %s
outputs: {y: {file: out.json, pointer: /y}}
studies: {look: {kind: sample, points: 3}}
`

func TestRetryAndNoiseOfTheFileReachTheDispatcher(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	calls := filepath.Join(t.TempDir(), "calls")
	try := func(option string, repeats int) ended {
		require.NoError(t, os.RemoveAll(calls))
		revision := w.revise(t, fmt.Sprintf(flaky, calls, option))
		return w.run(t, revision, study.Question{Kind: study.KindTry, Study: study.KindTry, Fresh: true, Repeats: repeats})
	}
	assert.Nil(t, try("retry: 0", 1).Best)
	assert.NotNil(t, try("retry: 1", 1).Best, "it is tried again")
	key := func(option string) dispatch.Key {
		require.NoError(t, os.WriteFile(calls, []byte("x\n"), 0o600))
		run := w.run(t, w.revise(t, fmt.Sprintf(flaky, calls, option)), study.Question{Kind: study.KindTry, Study: study.KindTry, Fresh: true})
		record, err := w.store.Evaluation(run.ID, 1)
		require.NoError(t, err)
		return record.Key
	}
	assert.NotEqual(t, key("noisy: false"), key("noisy: true"), "the repeat is part of the key of a noisy solver")
}

// TestSoManyRunsAreAtWork holds that others wait, and that a waiting one can be stopped.
func TestSoManyRunsAreAtWork(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	gate := filepath.Join(t.TempDir(), "gate")
	revision := w.revise(t, fmt.Sprintf(`bench: 1
inputs: {x: {nominal: 1, range: [0, 9]}}
solver: {steps: [{run: [sh, -c, "while ! test -e $GATE; do sleep 0.02; done; echo '{\"y\": @[x]}' > out.json"], env: {GATE: "%s"}}]}
outputs: {y: {file: out.json, pointer: /y}}
studies: {look: {kind: sample, points: 1}}
`, gate))
	var ids []int
	for seed := range uint64(7) {
		run, err := w.Start("drum", revision, study.Question{Study: "look", Seed: seed + 1})
		require.NoError(t, err)
		ids = append(ids, run.ID)
	}
	states := func() (running, queued int) {
		for _, id := range ids {
			switch run, err := w.Run(id); {
			case err != nil:
				return -1, -1
			case run.State == study.Running:
				running++
			case run.State == study.Queued:
				queued++
			}
		}
		return running, queued
	}
	require.Eventually(t, func() bool { running, queued := states(); return running == 4 && queued == 3 }, time.Minute, time.Millisecond)
	stopped, err := w.Stop(ids[6])
	require.NoError(t, err)
	assert.Equal(t, study.Stopped, stopped.State)
	running, queued := states()
	assert.Equal(t, []int{4, 2}, []int{running, queued}, "four are led at a time")
	require.NoError(t, os.WriteFile(gate, nil, 0o600))
	for _, id := range ids[:6] {
		assert.Equal(t, study.Finished, w.wait(t, id).State)
	}
}
