package study_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/study"
)

const steep = `bench: 1
inputs:
  reach: {unit: m, nominal: 4, range: [2, 6]}
  pin:   {unit: mm, nominal: 20, range: [15, 30], tolerance: 0.5}
  plies: {nominal: 3, range: [1, 6], step: 1}
  plate: {unit: mm, nominal: 8, values: [5, 6, 8, 10]}
  wood:  {nominal: ash, values: [ash, larch]}
solver: {formulas: {pull: 10*reach, sag: 30 - pin, load: "plies > 3.5 ? log(0 - 1) : plate + plies"}}
requirements:
  R1: {of: pull, at_most: 40.3}
  R2: {of: sag, at_most: 12}
  R3: {of: load, at_least: 10.5}
  R4: {of: pull, at_least: 50}
studies:
  best: {kind: optimize, minimize: pull}
`

func TestAVerificationLooksAroundItsCandidate(t *testing.T) {
	t.Parallel()
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, steep), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{}, Around: true, Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	n := run.Neighbourhood
	require.NotNil(t, n)
	assert.Len(t, n.Neighbours, 2+2+2+2, "a word has no neighbours")
	assert.Equal(t, "R1 would be lost by reach +0.03 m, 0.75 % of its range: that is the first that was found; the solver fails at 1 neighbor", n.Says)
	require.Len(t, n.Losses, 3, "R4 is missed already")
	got := map[string]string{}
	for _, l := range n.Losses {
		got[l.Requirement] = l.Says
	}
	assert.Equal(t, "R2 would be lost by pin -2 mm, 13.3 % of its range", got["R2"])
	assert.Equal(t, "R3 would be lost by plies -1, 20 % of its range", got["R3"], "nearer than the next plate, one of three")
	assert.True(t, n.Losses[0].Seen, "a hundredth of the range is more than there is room for")
	for _, one := range n.Neighbours {
		if one.Input == "pin" {
			assert.InDelta(t, 0.5, max(one.By, -one.By), 1e-12, "its tolerance")
		}
	}
	assert.Equal(t, 2, run.Best.Evaluation, "a neighbour is not the candidate")
	assert.False(t, run.Best.Feasible)
	whole := w.run(t, w.revise(t, strings.NewReplacer("values: [5, 6, 8, 10]", "range: [5, 10]", "plate + plies", "plate + 2*plies", "at_least: 10.5", "at_least: 13.9").Replace(steep)), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{}, Around: true, Seed: 1})
	for _, l := range whole.Neighbourhood.Losses {
		if l.Requirement == "R3" {
			assert.Equal(t, "R3 would be lost by plate -0.1 mm, 2 % of its range", l.Says)
		}
	}
	alone := w.run(t, w.revise(t, strings.Replace(steep, "at_least: 50", "at_least: 5", 1)), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{}, Seed: 1})
	assert.Nil(t, alone.Neighbourhood)
	assert.Equal(t, 2, alone.Evaluations)
}

// Only what an evaluation shows is told: no change beyond a range, and none where the margin bends away from its line.
func TestOnlyLossesThatAreShownAreTold(t *testing.T) {
	t.Parallel()
	const text = `bench: 1
inputs:
  L: {nominal: 8, range: [6, 16], step: 1}
  u: {nominal: 0.5, range: [0, 1]}
  v: {nominal: 1, range: [0, 2]}
  r: {unit: N/mm, nominal: 8, range: [1, 8]}
  n: {nominal: 2, range: [1, 40], step: 1}
solver: {formulas: {g: 3 - 0.01*L*u, h: "1 + (v - 1.2)^2", k: 4 - v, sag: 40/r, worn: n^2}}
requirements:
  R1: {of: g, at_least: 1}
  R2: {of: h, at_least: 0.9}
  R3: {of: k, at_least: 2.5}
  R4: {of: sag, at_most: 15}
  R5: {of: worn, at_most: 100}
  W: {of: k, at_least: 2.9, wish: true}
studies:
  best: {kind: optimize, minimize: g}
`
	w := open(t, t.TempDir())
	run := w.run(t, w.revise(t, text), study.Question{Kind: study.KindVerify, Study: study.KindVerify, Design: map[string]bench.Value{}, Around: true, Seed: 1})
	require.Equal(t, study.Finished, run.State, run.Reason)
	var says []string
	for _, l := range run.Neighbourhood.Losses {
		says = append(says, l.Says)
	}
	assert.Equal(t, []string{"R5 would be lost by n +9, 23.1 % of its range", "R3 would be lost by v +0.5, 25 % of its range", "R4 would be lost by r -5.284 N/mm, 75.5 % of its range", "W, a wish, would be lost by v +0.1, 5 % of its range"}, says, "R1 holds over all ranges, and R2 bends away; r is told within 2 % of 5.333")
	assert.Equal(t, "R5 would be lost by n +9, 23.1 % of its range: that is the first that was found", run.Neighbourhood.Says)
	assert.LessOrEqual(t, run.Evaluations, run.Budget)
}
