package store_test

import (
	"math"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/dispatch"
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
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	key := [32]byte{7}
	journal := s.Journal(run.ID, key, true)
	for _, number := range []int{2, 1, 4} { // 3 was at work when the run was cut off
		require.NoError(t, journal.Append([]dispatch.Record{record(number, core.OK)}))
	}
	require.NoError(t, s.Journal(run.ID, key, false).Append([]dispatch.Record{record(5, core.Failed), record(6, core.OK)}))
	var numbers []int
	require.NoError(t, s.Evaluations(run.ID, 2, func(r dispatch.Record) bool {
		numbers = append(numbers, r.Number)
		return true
	}))
	assert.Equal(t, []int{2, 4, 5, 6}, numbers)
	count, err := s.CountEvaluations(run.ID)
	require.NoError(t, err)
	assert.Equal(t, 5, count)

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
	other, err := s.Known([32]byte{8})
	require.NoError(t, err)
	_, ok, _ = other.Find(dispatch.Key{4, 1})
	assert.False(t, ok, "another solver knows nothing of it")
}

func TestRunsAreListedNewestFirst(t *testing.T) {
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
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ropebench.sqlite"), []byte("this is no database, and long enough to be read as one ........................................................................."), 0o600))
	_, err := store.Open(folder)
	assert.ErrorContains(t, err, "damaged")
}

func TestGradientsAreKeptBesideTheirEvaluations(t *testing.T) {
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	plain, sloped := record(1, core.OK), record(2, core.OK)
	sloped.Gradients = map[string]map[string]float64{"mass": {"web": 0.25}}
	require.NoError(t, s.Journal(run.ID, [32]byte{}, true).Append([]dispatch.Record{plain, sloped}))
	var kept []dispatch.Record
	require.NoError(t, s.Evaluations(run.ID, 1, func(r dispatch.Record) bool { kept = append(kept, r); return true }))
	assert.Nil(t, kept[0].Gradients)
	assert.Equal(t, sloped.Gradients, kept[1].Gradients)
	known, err := s.Known([32]byte{})
	require.NoError(t, err)
	found, _, err := known.Find(sloped.Key)
	require.NoError(t, err)
	assert.Equal(t, sloped.Gradients, found.Gradients, "they are reused with the evaluation")
}

func TestRevisionsAreListedNewestFirst(t *testing.T) {
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
	require.NoError(t, s.Journal(run.ID, [32]byte{}, false).Append([]dispatch.Record{r}))
	var kept []dispatch.Record
	require.NoError(t, s.Evaluations(run.ID, 1, func(r dispatch.Record) bool { kept = append(kept, r); return true }))
	assert.Equal(t, r.Curves, kept[0].Curves, "to the last digit")
	require.NoError(t, s.Close())
	info, err := os.Stat(filepath.Join(folder, "ropebench.sqlite"))
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(200_000), "4 curves of 3000 samples have 216 kB")
	reopened := open(t, folder)
	known, err := reopened.Known([32]byte{})
	require.NoError(t, err)
	_, found, err := known.Find(r.Key)
	require.NoError(t, err)
	assert.True(t, found)
}
