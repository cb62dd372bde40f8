package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/api"
	"ropebench/result"
)

func TestWhatScatterDoesIsShown(t *testing.T) {
	t.Parallel()
	_, r := example()
	assert.Empty(t, rendered(func(v view) { v.scatter(r) }))
	limited := func(value float64) result.Limited { return result.Limited{Value: value} }
	r.Scatter = &result.Scatter{Points: 300, Failed: 42, Inputs: []string{"load"}, Says: "every requirement is met in 258 of 300 draws",
		Values: map[string]result.Scattered{"mass": {Mean: limited(11), Deviation: 0.25, Quantiles: []result.Limited{limited(1), limited(2), limited(3), limited(4), limited(5)}, Counts: []int{1, 9, 2}}}}
	r.Probabilities = map[string]result.Probability{"R1": {Met: 0.86, From: 0.816, To: 0.895, Asked: 0.99, Verdict: "missed"}, "R2": {Met: 1, From: 0.987, To: 1}}
	text := rendered(func(v view) { v.scatter(r) })
	assert.Contains(t, text, "Every requirement is met in 258 of 300 draws.")
	assert.Contains(t, text, "load scatters.")
	assert.Regexp(t, `R1 Light enough .* 86 % +81\.6 % and 89\.5 % +99 % +◇ missed`, text)
	assert.Regexp(t, `R2 .* 100 % +98\.7 % and 100 %`, text)
	assert.Regexp(t, `mass, kg +11 +0\.25 +1 +2 +3 +4 +5 +▁█▂`, text)

	app := &App{}
	r.State, r.Best, r.Usable = "finished", nil, 258
	assert.NoError(t, app.judge(r))
	r.Scatter.Missed = []string{"R1"}
	err := app.judge(r)
	assert.Equal(t, exitErrorOf{code: exitMissed, text: "run 7 shows: R1 less probably met than is asked; look for a design with more room, or ask for less"}, err)
	assert.NoError(t, app.judge(found{Run: api.Run{State: "finished"}}))
}
