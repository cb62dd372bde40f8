package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/result"
)

func TestRareMissesAndWorstCasesAreShown(t *testing.T) {
	t.Parallel()
	_, r := example()
	assert.Empty(t, rendered(func(v view) { v.rare(r); v.worst(r) }))
	r.Rare = map[string]result.Rare{
		"R1": {Found: true, Says: "missed with a probability of 2e-05; most of it comes from more load", Index: 4.1, FirstOrder: 1e-5, Miss: &result.Limited{Value: 2e-5}, At: map[string]bench.Value{"load": bench.Number(14.2)}, Decides: true},
		"R2": {Says: "its margin does not change with what scatters"}}
	r.Probabilities = map[string]result.Probability{"R1": {Met: 1 - 2e-5, Asked: 0.999999, Verdict: "missed"}}
	text := rendered(func(v view) { v.rare(r) })
	assert.Regexp(t, `R1 Light enough .* 2e-05 +4\.1 +99\.9999 % +◇ missed`, text)
	assert.Contains(t, text, "R2: its margin does not change with what scatters.")
	assert.Contains(t, text, "at load 14.2")
	app := &App{}
	r.State, r.Best, r.Usable = "finished", nil, 600
	assert.Equal(t, exitErrorOf{code: exitMissed, text: "run 7 shows: R1 less probably met than is asked; look for a design with more room, or ask for less"}, app.judge(r))

	w := found{Run: api.Run{ID: 7, State: "finished"}}
	w.Worst = map[string]result.WorstCase{"R1": {Value: 12.4, Margin: -0.4, Verdict: "missed", Decides: true, At: map[string]bench.Value{"pin": bench.Number(0.9)}}, "R2": {Verdict: "missed"}}
	assert.Regexp(t, `R1 Light enough .* 12\.4 kg +-0\.4 +◇ missed +pin 0\.9`, rendered(func(v view) { v.worst(w) }))
	assert.Equal(t, exitErrorOf{code: exitMissed, text: "run 7 shows: R1 missed within the tolerances; make these smaller, or look for a design with more room"}, app.judge(w))
}

func TestTheNeighbourhoodIsShown(t *testing.T) {
	t.Parallel()
	assert.Empty(t, rendered(func(v view) { v.neighbourhood(nil) }))
	n := &result.Neighbourhood{Says: "R1 would be lost by pin +0.1 mm: that is the first", Neighbours: make([]result.Neighbour, 4), Losses: []result.Loss{{Says: "R1 would be lost by pin +0.1 mm", Seen: true}, {Says: "R2 would be lost by reach -3 m"}}}
	text := rendered(func(v view) { v.neighbourhood(n) })
	assert.Contains(t, text, "Around it (4 neighbours)  R1 would be lost by pin +0.1 mm: that is the first.")
	assert.Contains(t, text, "R1 would be lost by pin +0.1 mm: its neighbour misses it")
	assert.Contains(t, text, "R2 would be lost by reach -3 m\n")
}
