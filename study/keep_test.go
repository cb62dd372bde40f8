package study_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/study"
)

// hoist is a bench whose solver fails above a load.
const hoist = `bench: 1
inputs: {load: {nominal: 1, range: [0, 10]}}
solver:
  %s
  steps:
    - run: [sh, -c, "echo @[load] > load.txt; awk 'BEGIN { if (@[load] > %s) { print \"TOO MUCH\"; exit 1 }; print \"SAG\", @[load] }'"]
      stdout: run.log
outputs: {sag: {file: run.log, match: 'SAG (\S+)'}}
studies:
  look: {kind: sample, plan: random, points: 60}
  least: {kind: optimize, minimize: sag, budget: {evaluations: 25}}
`

func TestFilesAreKeptAsTheBenchSays(t *testing.T) {
	t.Parallel()
	for keep, c := range map[string]struct {
		study string
		count int
	}{"": {"look", 20}, "keep: failed": {"look", 20}, "keep: none": {"look", 0}, "keep: all": {"look", 60}, "keep: best": {"least", 1}} {
		w := open(t, t.TempDir())
		run := w.run(t, w.revise(t, fmt.Sprintf(hoist, keep, "3")), study.Question{Study: c.study, Seed: 1})
		require.Equal(t, study.Finished, run.State, run.Reason)
		kept, err := w.store.Kept(run.ID)
		require.NoError(t, err)
		assert.Len(t, kept, c.count, keep)
		failed := map[int]bool{}
		for record := range w.store.Replay(run.ID) {
			failed[record.Number] = record.Values == nil
		}
		for _, one := range kept {
			if keep == "" || keep == "keep: failed" {
				assert.True(t, failed[one.Number])
			}
			if keep == "keep: best" {
				assert.Equal(t, run.Best.Evaluation, one.Number)
			}
			files, err := w.store.KeptFiles(run.ID, one.Number)
			require.NoError(t, err)
			assert.Equal(t, []string{"load.txt", "run.log"}, []string{files[0].Path, files[1].Path})
		}
	}
}

// TestARunWithoutAnyUsableEvaluationPauses: something else than its designs is wrong. Resumed, it goes on to its end.
func TestARunWithoutAnyUsableEvaluationPauses(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, fmt.Sprintf(hoist, "retry: 0", "-1")), study.Question{Study: "look", Seed: 1})
	require.Equal(t, study.Paused, run.State)
	assert.True(t, strings.HasPrefix(run.Reason, "since all of its first 20 evaluations failed, the last one: sh ended with exit code 1: TOO MUCH; mend the model"), run.Reason)
	assert.GreaterOrEqual(t, run.Evaluations, 20)
	assert.Less(t, run.Evaluations, 60)
	_, err := w.Resume(run.ID)
	require.NoError(t, err)
	resumed := w.wait(t, run.ID)
	assert.Equal(t, study.Finished, resumed.State)
	assert.Equal(t, 60, resumed.Evaluations)
	assert.Equal(t, 60, resumed.Failed)
	some := w.run(t, w.revise(t, fmt.Sprintf(hoist, "retry: 0", "5")), study.Question{Study: "look", Seed: 1})
	assert.Equal(t, study.Finished, some.State, "most fail there, not all")
}
