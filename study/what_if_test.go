package study_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/study"
)

// handy is asked through a program, and fails for a short reach.
const handy = `bench: 1
inputs:
  reach: {unit: m, nominal: 4, range: [2, 6]}
  plies: {nominal: 6, range: [1, 6], step: 1}
  wood:  {nominal: ash, values: [ash, larch]}
solver:
  steps:
    - run: [sh, -c, "awk -v r=@[reach] -v p=@[plies] 'BEGIN{if (r < 3) exit 3; print \"PULL \" 10*r-p; print \"SAG \" r/p}' > out"]
outputs:
  pull: {unit: N, file: out, match: 'PULL (\S+)'}
  sag:  {unit: mm, file: out, match: 'SAG (\S+)'}
requirements:
  R1: {of: pull, at_most: 30}
  R2: {of: sag, at_most: 0.7}
  R3: {of: pull, at_least: 100, wish: true}
studies:
  look: {kind: sample, points: 4}
`

func TestDesignsAreTurnedByHand(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, handy)
	hand, err := w.WhatIf("drum", revision, 1)
	require.NoError(t, err)
	found, err := hand.Try(t.Context(), map[string]bench.Value{"reach": bench.Number(3.5)})
	require.NoError(t, err)
	assert.Equal(t, core.OK, found.State, found.Reason)
	assert.InDelta(t, 29, found.Values[hand.Model.Column("pull")], 1e-9)
	again, err := hand.Try(t.Context(), map[string]bench.Value{"reach": bench.Number(3.5)})
	require.NoError(t, err)
	assert.Equal(t, found.Number, again.Number, "what was tried is known")
	failed, err := hand.Try(t.Context(), map[string]bench.Value{"reach": bench.Number(2.5)})
	require.NoError(t, err)
	assert.Equal(t, core.Failed, failed.State)
	assert.Contains(t, failed.Reason, "exit code 3")
	_, err = hand.Try(t.Context(), map[string]bench.Value{"reech": bench.Number(1)})
	assert.ErrorContains(t, err, "did you mean reach?")
	assert.Equal(t, 2, hand.Asked())

	turns, err := hand.Turns(t.Context(), nil, "")
	require.NoError(t, err)
	assert.Equal(t, "R1", turns.Requirement, "a wish is missed by more, and is in nobody's way")
	require.Len(t, turns.Turns, 2, "a word is not turned")
	assert.Equal(t, "plies by +1 gives R1 about 1 N, and takes from R3 1 N", turns.Turns[0].Says)
	assert.InDelta(t, -1, turns.Turns[0].By, 1e-12, "at the upper end it is turned back")
	assert.Equal(t, "reach by -0.04 m gives R1 about 0.4 N, and takes from R3 0.4 N", turns.Turns[1].Says)
	turns, err = hand.Turns(t.Context(), map[string]bench.Value{"plies": bench.Number(5)}, "R2")
	require.NoError(t, err)
	assert.Equal(t, "plies by +1 gives R2 about 0.1333 mm, and takes from R3 1 N", turns.Turns[0].Says)
	_, err = hand.Turns(t.Context(), map[string]bench.Value{"reach": bench.Number(2.5)}, "")
	assert.ErrorContains(t, err, "turn back to one that the solver can do")
	require.NoError(t, hand.Close())

	runs, err := w.All("drum")
	require.NoError(t, err)
	assert.Empty(t, runs)
	// what a run knows is not asked again
	w.run(t, revision, study.Question{Study: "look", Seed: 1})
	hand, err = w.WhatIf("drum", revision, 2)
	require.NoError(t, err)
	_, parts, err := w.Result(1)
	require.NoError(t, err)
	require.NotNil(t, parts.Sample)
	record, err := w.store.Journal(1, [32]byte{}, false).Read(1)
	require.NoError(t, err)
	known, err := hand.Try(t.Context(), hand.Model.Values(record.Design))
	require.NoError(t, err)
	assert.Equal(t, record.State == core.OK, known.Reused)
	require.NoError(t, hand.Close())
}
