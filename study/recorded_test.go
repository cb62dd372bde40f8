package study_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/study"
)

// A verification says whether its values are those that were recorded, and which are not.
func TestAVerificationIsComparedWithWhatWasRecorded(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	state := filepath.Join(folder, "state")
	require.NoError(t, os.WriteFile(state, []byte("0"), 0o644))
	w := open(t, folder)
	revision := w.revise(t, `bench: 1
inputs: {x: {nominal: 1, range: [0, 4]}}
solver:
  steps: [{run: [sh, -c, 'awk -v d=$(cat `+state+`) "BEGIN {printf \"mass %.12g zero %.3g\\n\", @[x] + d, d*1e-17}" > o.txt']}]
outputs: {mass: {unit: kg, file: o.txt, match: 'mass (\S+)'}, zero: {file: o.txt, match: 'zero (\S+)'}}
requirements: {R1: {of: mass, at_most: 10}}
studies: {best: {kind: optimize, minimize: mass, method: sqp, budget: {evaluations: 5}}}
`)
	best := w.run(t, revision, study.Question{Study: "best", Seed: 1})
	require.Equal(t, study.Finished, best.State, best.Reason)
	verify := func(says string) bool {
		run := w.run(t, revision, study.Question{Kind: study.KindVerify, Study: study.KindVerify, Seed: 1, Fresh: true,
			Of: &study.Candidate{Run: best.ID, Evaluation: best.Best.Evaluation}, Design: best.Best.Inputs})
		require.Equal(t, study.Finished, run.State, run.Reason)
		require.NotNil(t, run.Recorded)
		assert.Contains(t, run.Recorded.Says, says)
		return run.Recorded.Differs
	}
	assert.False(t, verify("its values are those that run 1 has recorded"))
	require.NoError(t, os.WriteFile(state, []byte("1e-12"), 0o644))
	assert.False(t, verify("its values are those"), "rounding is no difference")
	require.NoError(t, os.WriteFile(state, []byte("0.5"), 0o644))
	assert.True(t, verify("1 of 2 values are not what run 1 has recorded: mass was 0 kg and is 0.5 kg; the solver gives other values for the same design"))
}
