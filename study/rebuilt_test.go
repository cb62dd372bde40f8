package study_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/dispatch"
	"ropebench/store"
	"ropebench/study"
)

// A run whose program was rebuilt is not gone on with, and stays what it was.
func TestARunOfAnotherSolverStaysWhatItWas(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	program := filepath.Join(folder, "weigh")
	write := func(text string) { require.NoError(t, os.WriteFile(program, []byte(text), 0o755)) }
	write("#!/bin/sh\necho mass $1\n")
	s, err := store.Open(folder)
	require.NoError(t, err)
	runs, err := study.NewRuns(s, study.Engine{Slots: dispatch.NewSlots(1), Folder: filepath.Join(folder, "work"), Path: folder + ":" + os.Getenv("PATH"), IDPrefix: t.Name()}, func(study.Run) {})
	require.NoError(t, err)
	t.Cleanup(func() {
		require.NoError(t, runs.Close())
		require.NoError(t, s.Close())
	})
	w := workshop{runs, s}
	revision := w.revise(t, `bench: 1
inputs: {x: {nominal: 1, range: [0, 2]}}
solver: {steps: [{run: [weigh, "@[x]"], stdout: out.txt}]}
outputs: {mass: {file: out.txt, match: 'mass (\S+)'}}
studies: {look: {kind: sample, points: 4}}
`)
	run := w.run(t, revision, study.Question{Study: "look", Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	write("#!/bin/sh\n# built again\necho mass $1\n")
	_, err = runs.Extend(run.ID, 3)
	assert.ErrorContains(t, err, "cannot go on: a program that its steps start has changed since the run was begun")
	after, err := runs.Run(run.ID)
	require.NoError(t, err)
	assert.Equal(t, study.Finished, after.State)
	assert.Equal(t, 4, after.Evaluations)
}
