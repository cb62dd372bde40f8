package study_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/study"
)

func TestStepsToTheBestDesign(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	revision := w.revise(t, shaky)
	for _, name := range []string{"plain", "best", "steady"} {
		run := w.run(t, revision, study.Question{Study: name, Seed: 1})
		c, err := w.Convergence(run.ID)
		require.NoError(t, err)
		assert.Equal(t, run.Evaluations, c.Evaluations)
		require.NotEmpty(t, c.Steps)
		last := c.Steps[len(c.Steps)-1]
		assert.Equal(t, run.Best.Evaluation, last.Evaluation, name)
		assert.Equal(t, *run.Best.Objective, *last.Objective)
		assert.True(t, last.Feasible)
		for i := range c.Steps[1:] {
			assert.Less(t, c.Steps[i].Evaluation, c.Steps[i+1].Evaluation)
			assert.True(t, *c.Steps[i+1].Objective < *c.Steps[i].Objective || c.Steps[i+1].Feasible && !c.Steps[i].Feasible)
		}
	}
	try := w.run(t, revision, study.Question{Kind: study.KindTry})
	_, err := w.Convergence(try.ID)
	assert.ErrorContains(t, err, "looks for no best design: only searches converge")
}
