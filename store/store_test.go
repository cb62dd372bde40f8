package store_test

import (
	"database/sql"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver"
	"ropebench/store"
	"ropebench/study"
)

func open(t *testing.T, folder string) *store.Store {
	s, err := store.Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

func content(text string) bench.Content {
	return bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(text)}, "run.sh": {Text: []byte("#!"), Executable: true}}}
}

func TestRevisionsAreNumberedAndKept(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	for _, step := range []struct {
		text     string
		revision int
	}{{"one", 1}, {"one", 1}, {"two", 2}, {"one", 3}} {
		saved, err := s.SaveRevision("a", "/somewhere", "A", content(step.text))
		require.NoError(t, err)
		assert.Equal(t, step.revision, saved.Revision, step.text)
	}
	kept, err := s.Content("a", 2)
	require.NoError(t, err)
	assert.Equal(t, content("two"), kept)
	_, err = s.Content("a", 9)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorContains(t, err, "there is no revision 9 of bench a")
	_, err = s.Bench("b")
	assert.ErrorContains(t, err, "there is no bench b")
}

func record(number int, state core.State) dispatch.Record {
	return dispatch.Record{Number: number, State: state, Design: []float64{float64(number)}, Values: []float64{1, math.NaN()},
		Key: dispatch.Key{byte(number), 1}, Curves: []curve.Curve{{X: []float64{0, 1}, Y: []float64{2, 3}}}, At: time.UnixMicro(1e15).Local()}
}

func TestEvaluationsComeBackInOrder(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	key := solver.Key{7}
	journal := s.Journal(run.ID, key, true)
	for _, number := range []int{2, 1, 4} { // 3 was at work when the run was cut off
		require.NoError(t, journal.Append([]dispatch.Record{record(number, core.OK)}))
	}
	require.NoError(t, s.Journal(run.ID, key, false).Append([]dispatch.Record{record(5, core.Failed), record(7, core.OK), record(8, core.NotTried)}))
	require.NoError(t, journal.Append([]dispatch.Record{record(6, core.OK)}))
	for from, want := range map[int][]int{0: {1, 2, 4, 5, 6, 7, 8}, 2: {2, 4, 5, 6, 7, 8}, 3: {4, 5, 6, 7, 8}, 6: {6, 7, 8}, 8: {8}, 9: nil} {
		var numbers []int
		require.NoError(t, s.Evaluations(run.ID, from, func(r dispatch.Record) bool {
			numbers = append(numbers, r.Number)
			return true
		}))
		assert.Equal(t, want, numbers, "by number, from %d", from)
	}
	var finished []int
	for r, err := range s.Replay(run.ID) {
		require.NoError(t, err)
		finished = append(finished, r.Number)
		assert.Len(t, finished, r.Order)
		assert.Nil(t, r.Curves, "curves are loaded when they are asked for")
	}
	assert.Equal(t, []int{2, 1, 4, 5, 7, 8, 6}, finished, "in the order in which they were finished")
	for _, number := range []int{3, 9} {
		_, err := s.Evaluation(run.ID, number)
		assert.ErrorIs(t, err, store.ErrNotFound)
		assert.ErrorContains(t, err, fmt.Sprintf("run 1 has no evaluation %d", number))
	}
	one, err := s.Evaluation(run.ID, 7)
	require.NoError(t, err)
	assert.Equal(t, 7, one.Number)
	assert.Len(t, one.Curves, 1)
	count, err := s.CountEvaluations(run.ID)
	require.NoError(t, err)
	assert.Equal(t, 7, count)

	known, err := s.Known(key)
	require.NoError(t, err)
	found, ok, err := known.Find(dispatch.Key{4, 1})
	require.NoError(t, err)
	require.True(t, ok)
	assert.True(t, math.IsNaN(found.Values[1]))
	found.Values, found.Curves[0].X = []float64{1, 1}, []float64{0, 1}
	want := record(4, core.OK)
	want.Values = []float64{1, 1}
	assert.Equal(t, want, found)
	_, ok, err = known.Find(dispatch.Key{5, 1})
	require.NoError(t, err)
	assert.False(t, ok, "a failure is not reused")
	other, err := s.Known(solver.Key{8})
	require.NoError(t, err)
	_, ok, _ = other.Find(dispatch.Key{4, 1})
	assert.False(t, ok, "another solver knows nothing of it")
}

func TestRunsAreListedNewestFirst(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	for _, name := range []string{"a", "b", "a"} {
		run := study.Run{Bench: name, State: study.Queued}
		require.NoError(t, s.CreateRun(&run))
	}
	runs, err := s.Runs("a")
	require.NoError(t, err)
	require.Len(t, runs, 2)
	assert.Equal(t, []int{3, 1}, []int{runs[0].ID, runs[1].ID})
	_, err = s.Run(99)
	assert.ErrorContains(t, err, "there is no run 99")
}

func TestDamagedRecordsAreSaidSo(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ropebench.sqlite"), []byte("this is no database, and long enough to be read as one ........................................................................."), 0o600))
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "damaged")
}

func TestDerivativesAreKeptBesideTheirEvaluations(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	plain, sloped := record(1, core.OK), record(2, core.OK)
	sloped.Derivatives = map[string]map[string]float64{"mass": {"web": 0.25}}
	require.NoError(t, s.Journal(run.ID, solver.Key{}, true).Append([]dispatch.Record{plain, sloped}))
	var kept []dispatch.Record
	require.NoError(t, s.Evaluations(run.ID, 1, func(r dispatch.Record) bool { kept = append(kept, r); return true }))
	assert.Nil(t, kept[0].Derivatives)
	assert.Equal(t, sloped.Derivatives, kept[1].Derivatives)
	known, err := s.Known(solver.Key{})
	require.NoError(t, err)
	found, _, err := known.Find(sloped.Key)
	require.NoError(t, err)
	assert.Equal(t, sloped.Derivatives, found.Derivatives, "they are reused with the evaluation")
}

func TestRevisionsAreListedNewestFirst(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	for _, text := range []string{"one", "two", "three"} {
		_, err := s.SaveRevision("a", "/somewhere", "Title "+text, content(text))
		require.NoError(t, err)
	}
	revisions, err := s.Revisions("a", 2)
	require.NoError(t, err)
	require.Len(t, revisions, 2)
	assert.Equal(t, 3, revisions[0].Number)
	assert.Equal(t, "Title two", revisions[1].Title)
	assert.False(t, revisions[0].Created.Before(revisions[1].Created))
	none, err := s.Revisions("b", 2)
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestLargeRecordsAreCompressed(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	r := record(1, core.OK)
	long := curve.Curve{}
	for i := range 3000 {
		long.X, long.Y = append(long.X, float64(i)*0.01), append(long.Y, float64(i%7))
	}
	r.Curves = []curve.Curve{long, long, long, long}
	require.NoError(t, s.Journal(run.ID, solver.Key{}, false).Append([]dispatch.Record{r}))
	kept, err := s.Evaluation(run.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, r.Curves, kept.Curves, "to the last digit")
	require.NoError(t, s.Close())
	info, err := os.Stat(filepath.Join(folder, "ropebench.sqlite"))
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(150_000), "4 curves of 3000 samples have 216 kB")
	reopened := open(t, folder)
	known, err := reopened.Known(solver.Key{})
	require.NoError(t, err)
	_, found, err := known.Find(r.Key)
	require.NoError(t, err)
	assert.True(t, found)
}

// TestEveryFieldOfARecordIsKept fills each field and reads it back.
func TestEveryFieldOfARecordIsKept(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	full := dispatch.Record{Number: 1, State: core.OK, Design: []float64{1, 2}, Values: []float64{3, 4, 5}, Key: dispatch.Key{9}, Repeat: 2, Reused: true, Shares: 7,
		Seconds: 0.25, Steps: []solver.StepTime{{Name: "run", Elapsed: time.Second}}, At: time.UnixMicro(1e15), Derivatives: map[string]map[string]float64{"a": {"b": 1}},
		Curves: []curve.Curve{{Y: []float64{1, 2}}, {X: []float64{0, 1}, Y: []float64{3, 4}}}}
	failed := dispatch.Record{Number: 2, State: core.TimedOut, Design: []float64{5, 6}, Reason: "it hung", Tail: "last words", At: time.UnixMicro(1e15)}
	untried := dispatch.Record{Number: 3, State: core.NotTried, Design: []float64{7, 8}, Values: []float64{1, 2, 3}, At: time.UnixMicro(1e15)}
	require.NoError(t, s.Journal(run.ID, solver.Key{}, true).Append([]dispatch.Record{full, failed, untried}))
	for i, want := range []dispatch.Record{full, failed, untried} {
		kept, err := s.Evaluation(run.ID, i+1)
		require.NoError(t, err)
		assert.Equal(t, want, kept)
	}
	fields := reflect.TypeFor[dispatch.Record]()
	assert.Equal(t, 16, fields.NumField(), "a field was added to a record: keep it, and fill it here")
}

// TestNewerFormsAreNotRead holds that a record which a newer version wrote is named and left alone, and hides no other.
func TestNewerFormsAreNotRead(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	var runs [2]study.Run
	for i := range runs {
		runs[i] = study.Run{Bench: "a", State: study.Finished}
		require.NoError(t, s.CreateRun(&runs[i]))
		require.NoError(t, s.Journal(runs[i].ID, solver.Key{}, true).Append([]dispatch.Record{record(1, core.OK)}))
		require.NoError(t, s.SaveParts(runs[i].ID, result.Parts{Sample: &result.Sample{Plan: "sobol"}}))
	}
	db, err := sql.Open("sqlite", filepath.Join(folder, "ropebench.sqlite"))
	require.NoError(t, err)
	defer db.Close()
	for _, table := range []string{"runs set version = 2 where id", "chunks set version = 2 where run", "curves set version = 2 where run", "parts set version = 2 where run"} {
		_, err = db.Exec("update " + table + " = 1")
		require.NoError(t, err, table)
	}
	all, err := s.Runs("")
	require.NoError(t, err)
	assert.Equal(t, []study.State{study.Finished, study.Broken}, []study.State{all[0].State, all[1].State})
	assert.Contains(t, all[1].Reason, "use a newer one")
	_, err = s.Evaluation(1, 1)
	assert.ErrorContains(t, err, "evaluations from 1 on of run 1 are damaged: they have the form 2")
	_, err = s.Parts(1)
	assert.ErrorContains(t, err, "part sample of run 1 has the form 2")
	_, err = db.Exec("update chunks set version = 1 where run = 1")
	require.NoError(t, err)
	_, err = s.Evaluation(1, 1)
	assert.ErrorContains(t, err, "the curves of evaluation 1 of run 1 are damaged: they have the form 2")
	parts, err := s.Parts(2)
	require.NoError(t, err)
	assert.Equal(t, "sobol", parts.Sample.Plan)
}

func TestNobodyElseReadsTheRecords(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	files, err := filepath.Glob(filepath.Join(folder, "ropebench.sqlite*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		info, err := os.Stat(file)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), file)
	}
}
