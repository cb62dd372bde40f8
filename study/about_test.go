package study_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/study"
)

// A study of the best design of another says which design that is, and of which run, and whether a better one is known.
func TestAStudySaysWhichDesignItIsAbout(t *testing.T) {
	t.Parallel()
	for _, goal := range []string{"minimize: f", "maximize: g"} {
		w := open(t, t.TempDir())
		revision := w.revise(t, `bench: 1
inputs:
  x: {nominal: 1, range: [0, 4]}
  z: {nominal: 0, scatter: {normal: {mean: 0, sd: 0.1}}}
solver: {formulas: {f: {unit: kg, formula: (x-2)^2 + 3 + z}, g: {unit: N, formula: 7 - f}}}
requirements: {R1: {of: f, at_most: 4}}
studies:
  best: {kind: optimize, `+goal+`, method: nelder-mead, budget: {evaluations: 12}}
  about: {kind: uncertainty, at: {best-of: best}, points: 4}
  nominal: {kind: uncertainty, points: 4}
  named: {kind: uncertainty, at: {x: 3}, points: 4}
  next: {kind: optimize, minimize: f, method: nelder-mead, start: {best-of: best}, budget: {evaluations: 4}}
`)
		ask := func(q study.Question) ended {
			q.Seed, q.Fresh = 1, true
			run := w.run(t, revision, q)
			require.Equal(t, study.Finished, run.State, run.Reason)
			return run
		}
		one := ask(study.Question{Study: "best"})
		says := ask(study.Question{Study: "about"}).Question.About
		assert.Regexp(t, fmt.Sprintf(`^about evaluation %d of run %d \(best\) with [fg] = \S+ (kg|N)$`, one.Headline.Evaluation, one.ID), says)

		worse := ask(study.Question{Study: "best", Evaluations: 2, Start: map[string]bench.Value{"x": {Number: 2.9}}})
		says = ask(study.Question{Study: "about"}).Question.About
		assert.Contains(t, says, fmt.Sprintf("evaluation %d of run %d (best)", worse.Headline.Evaluation, worse.ID))
		assert.Contains(t, says, fmt.Sprintf("; run %d has a better one, evaluation %d with ", one.ID, one.Headline.Evaluation))
		assert.Regexp(t, fmt.Sprintf(`^from evaluation \d+ of run %d \(best\)`, worse.ID), ask(study.Question{Study: "next"}).Question.About)

		best := one.Headline.Evaluation
		again := ask(study.Question{Study: "nominal", Of: &study.Candidate{Run: one.ID, Evaluation: best}, Start: one.Best.Inputs})
		assert.Contains(t, again.Question.About, fmt.Sprintf("evaluation %d of run %d (best) with ", best, one.ID))
		assert.NotContains(t, again.Question.About, "better")
		again = ask(study.Question{Study: "nominal", Of: &study.Candidate{Run: one.ID, Evaluation: 1}, Start: one.Best.Inputs})
		assert.Equal(t, fmt.Sprintf("about evaluation 1 of run %d", one.ID), again.Question.About)

		missed := ask(study.Question{Study: "best", Evaluations: 1, Start: map[string]bench.Value{"x": {Number: 0.1}}})
		says = ask(study.Question{Study: "about"}).Question.About
		assert.Contains(t, says, fmt.Sprintf("of run %d (best)", missed.ID))
		assert.Contains(t, says, ", which misses a requirement; run ")

		assert.Equal(t, "about the nominal design", ask(study.Question{Study: "nominal"}).Question.About)
		assert.Equal(t, "about the design that the study names", ask(study.Question{Study: "named"}).Question.About)
		assert.Empty(t, one.Question.About)
	}
}

// What a run held and freed is said, and where it looked farther than the bench does.
func TestARunSaysWhatItHeldAndFreed(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, `bench: 1
inputs: {x: {unit: mm, nominal: 1, range: [0, 20]}, y: {unit: kg, nominal: 1, range: [0, 9]}, z: {nominal: 2}}
solver: {formulas: {f: x + y + z}}
studies: {best: {kind: optimize, maximize: f, method: sqp, vary: [x, y], budget: {evaluations: 5}}}
`)
	of := func(free map[string]*bench.Range) []string {
		run := w.run(t, revision, study.Question{Study: "best", Seed: 1, Hold: map[string]bench.Value{"y": {Number: 3.5}}, Free: free})
		require.Equal(t, study.Finished, run.State, run.Reason)
		return run.Question.Besides
	}
	assert.Equal(t, []string{"y held at 3.5 kg", "x from 0 to 60 mm, wider than its range of 0 to 20"}, of(map[string]*bench.Range{"x": {Lower: 0, Upper: 60}}))
	assert.Equal(t, []string{"y held at 3.5 kg", "x from 0 to 6 mm"}, of(map[string]*bench.Range{"x": {Lower: 0, Upper: 6}}))
	assert.Equal(t, []string{"y held at 3.5 kg", "x freed"}, of(map[string]*bench.Range{"x": nil}))
}
