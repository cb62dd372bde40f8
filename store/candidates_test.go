package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/store"
	"ropebench/study"
)

func TestCandidatesKeepTheirNames(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := open(t, folder)
	at := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	light := store.Candidate{Bench: "sheave", Name: "light", Run: 4, Evaluation: 17, Revision: 2, Because: "the lightest", Picked: at}
	stiff := store.Candidate{Bench: "sheave", Name: "stiff", Run: 4, Evaluation: 9, Revision: 2, Picked: at}
	for _, c := range []store.Candidate{light, stiff} {
		require.NoError(t, s.Pick(c))
	}
	other := light
	other.Evaluation = 18
	err := s.Pick(other)
	require.ErrorIs(t, err, store.ErrNameTaken)
	assert.ErrorContains(t, err, "light is evaluation 17 of run 4")
	elsewhere := other
	elsewhere.Bench = "drum"
	require.NoError(t, s.Pick(elsewhere), "another bench has names of its own")
	light.Because = "the lightest of three seeds"
	require.NoError(t, s.Pick(light))
	all, err := s.Candidates("sheave")
	require.NoError(t, err)
	assert.Equal(t, []store.Candidate{light, stiff}, all)

	require.NoError(t, s.Withdraw("sheave", "light", at))
	assert.ErrorIs(t, s.Withdraw("sheave", "light", at), store.ErrNotFound)
	require.NoError(t, s.Pick(other), "the name is free again")
	all, err = s.Candidates("sheave")
	require.NoError(t, err)
	assert.Equal(t, []store.Candidate{stiff, other}, all)
	all, err = s.Candidates("")
	require.NoError(t, err)
	assert.Equal(t, []store.Candidate{stiff, elsewhere, other}, all)
}

// What belongs to a bench moves with its name, and is forgotten with it: evaluations by the coarse variants of its solver, too.
func TestABenchTakesAllThatIsItsOwn(t *testing.T) {
	t.Parallel()
	s := open(t, t.TempDir())
	_, err := s.SaveRevision("sheave", "/somewhere", "A", content("one"))
	require.NoError(t, err)
	run := study.Run{Bench: "sheave"}
	require.NoError(t, s.CreateRun(&run))
	coarse := study.CoarseNumber(run.ID)
	for _, number := range []int{run.ID, coarse} {
		require.NoError(t, s.Journal(number, solver.Key{3}, false).Append([]dispatch.Record{record(1, core.OK)}))
	}
	require.NoError(t, s.Pick(store.Candidate{Bench: "sheave", Name: "light", Run: run.ID, Evaluation: 1}))
	require.NoError(t, s.RenameBench("sheave", "block"))
	all, err := s.Candidates("block")
	require.NoError(t, err)
	assert.Len(t, all, 1)
	require.NoError(t, s.RemoveBench("block"))
	all, err = s.Candidates("block")
	require.NoError(t, err)
	assert.Empty(t, all)
	for _, number := range []int{run.ID, coarse} {
		count, err := s.CountEvaluations(number)
		require.NoError(t, err)
		assert.Zero(t, count)
	}
}
