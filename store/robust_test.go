package store_test

import (
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/store"
	"ropebench/study"
)

func TestEverythingIsThereAfterAReopen(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s, err := store.Open(folder)
	require.NoError(t, err)
	_, err = s.SaveRevision("a", "/x", "A", content("one"))
	require.NoError(t, err)
	run := study.Run{Bench: "a", State: study.Finished, Question: study.Question{Study: "best", Hold: map[string]bench.Value{"h": {Number: 2}}}}
	require.NoError(t, s.CreateRun(&run))
	require.NoError(t, s.Journal(run.ID, solver.Key{1}, false).Append([]dispatch.Record{record(1, core.OK)}))
	require.NoError(t, s.Close())
	again := open(t, folder)
	kept, err := again.Run(run.ID)
	require.NoError(t, err)
	assert.Equal(t, run, kept)
	benches, err := again.Benches()
	require.NoError(t, err)
	require.Len(t, benches, 1)
	assert.Equal(t, []any{"a", "A", 1}, []any{benches[0].Name, benches[0].Title, benches[0].Revision})
	count, err := again.CountEvaluations(run.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, count)
}

func TestManyWritersAndReaders(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	var group sync.WaitGroup
	for writer := range 4 {
		run := study.Run{Bench: "a"}
		require.NoError(t, s.CreateRun(&run))
		journal := s.Journal(run.ID, solver.Key{byte(writer)}, writer%2 == 0)
		group.Go(func() {
			for n := 1; n <= 40; n++ {
				assert.NoError(t, journal.Append([]dispatch.Record{record(n, core.OK)}))
				assert.NoError(t, s.SaveRun(run))
			}
		})
		group.Go(func() {
			for range 40 {
				_, err := s.Runs("a")
				assert.NoError(t, err)
				assert.NoError(t, s.Evaluations(run.ID, 1, func(dispatch.Record) bool { return true }))
			}
		})
	}
	group.Wait()
	for id := 1; id <= 4; id++ {
		count, err := s.CountEvaluations(id)
		require.NoError(t, err)
		assert.Equal(t, 40, count)
	}
}

func TestLongRunsAreReadInParts(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	run := study.Run{Bench: "a"}
	require.NoError(t, s.CreateRun(&run))
	journal := s.Journal(run.ID, solver.Key{1}, false)
	const many = 701
	for n := many; n >= 1; n -= 2 { // backwards, as no solver would finish
		records := []dispatch.Record{record(n, core.OK)}
		if n > 1 {
			records = append(records, record(n-1, core.Failed))
		}
		require.NoError(t, journal.Append(records))
	}
	next := 300
	require.NoError(t, s.Evaluations(run.ID, 300, func(r dispatch.Record) bool {
		require.Equal(t, next, r.Number)
		next++
		return r.Number < 650
	}))
	assert.Equal(t, 651, next, "it stops when it is told to")
}

func TestLostFilesOfARevisionAreNamed(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	_, err := s.SaveRevision("a", "/x", "A", content("one"))
	require.NoError(t, err)
	objects, err := filepath.Glob(filepath.Join(folder, "objects", "*", "*"))
	require.NoError(t, err)
	require.Len(t, objects, 2)
	for _, object := range objects {
		require.NoError(t, os.Remove(object))
	}
	_, err = s.Content("a", 1)
	assert.ErrorContains(t, err, "of revision 1 of bench a is lost")
	_, err = s.SaveRevision("a", "/x", "A", content("one"))
	require.NoError(t, err, "the same content again brings them back")
	_, err = s.Content("a", 1)
	assert.NoError(t, err)
}

func TestFoldersThatCannotBeUsed(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, err := store.Open(filepath.Join(file, "below"))
	assert.ErrorContains(t, err, "the data folder cannot be made")
}
