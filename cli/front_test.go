package cli

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/result"
)

func TestAFrontIsDrawnWithCharacters(t *testing.T) {
	t.Parallel()
	run := aFront(40, 7)
	text := rendered(func(v view) { v.frontPlot(run.Front, *run.Tradeoff) })
	lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
	assert.Len(t, lines, plotHeight+3, "a name above, an axis and its numbers below")
	assert.Equal(t, 1, strings.Count(text, markPicked), "the knee is not hidden by its neighbours")
	assert.Greater(t, strings.Count(text, markFeasible), 20)
	assert.True(t, strings.HasPrefix(lines[1], "90 │"), "the most of the second: %q", lines[1])
	assert.True(t, strings.HasSuffix(lines[1], markFeasible), "both grow together here")
	assert.Equal(t, "12 │"+markFeasible, lines[plotHeight][:len("12 │"+markFeasible)])
	assert.Regexp(t, `^ +10 +mass, kg +49$`, lines[plotHeight+2])
	same := aFront(3, 2)
	for _, d := range same.Front {
		d.Values["bend"] = 5
	}
	assert.Empty(t, rendered(func(v view) { v.frontPlot(same.Front, *same.Tradeoff) }), "nothing is to be seen where one is the same in all")
	three := aFront(3, 2)
	three.Tradeoff.Objectives = append(three.Tradeoff.Objectives, "cost")
	assert.Empty(t, rendered(func(v view) { v.frontPlot(three.Front, *three.Tradeoff) }))
}

func TestAFrontSaysWhatOneCostsInTheOther(t *testing.T) {
	t.Parallel()
	run := aFront(4, 2)
	run.Tradeoff.Exchange = []float64{2, 2, 2}
	text := rendered(func(v view) { v.front(run) })
	assert.Contains(t, text, "bend per mass")
	assert.Contains(t, text, "bend per mass: what one more unit of mass brings, from each row to the next.")
	assert.NotContains(t, rendered(func(v view) { v.front(aFront(4, 2)) }), "per mass")
}

func TestMostOfAFrontWasThereEarly(t *testing.T) {
	t.Parallel()
	growth := []result.Growth{{Evaluation: 4, Share: 0.2}, {Evaluation: 9, Share: 0.93}, {Evaluation: 30, Share: 0.98}, {Evaluation: 41, Share: 1}}
	assert.Equal(t, "90 % of it after evaluation 9, 99 % of it after evaluation 41", grown(growth))
	assert.Empty(t, grown(nil))
}

func TestAStandInIsShownBesideTheSolver(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) {
		v.checks([]result.Check{
			{Evaluation: 2, Predicted: map[string]float64{"mass": 5}},
			{Evaluation: 3, Predicted: map[string]float64{"mass": 6}, Computed: map[string]float64{"mass": 6.25}},
			{Evaluation: 4, Predicted: map[string]float64{"mass": 7}, Computed: map[string]float64{"mass": 7}, Agrees: true},
		})
	})
	for _, line := range []string{`evaluation 2 +mass +5 kg +▪ the solver failed`, `evaluation 3 +mass +6 kg +6.25 kg +0.25 +◇ differs`, `evaluation 4 +mass +7 kg +7 kg +0 +● agrees`} {
		assert.Regexp(t, line, text)
	}
	assert.Empty(t, rendered(func(v view) { v.checks(nil) }))
}
