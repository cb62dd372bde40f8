package model_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/model"
)

func TestFormulasBehindTheSolverFollowFromItsNumbers(t *testing.T) {
	t.Parallel()
	m, best := compiled(t, "width")
	p := m.Problem(best, []string{"width"}, m.Design(nil))
	require.NotNil(t, p.Behind)
	from := func(name string) []int { return p.Behind.From(m.Column(name)) }
	assert.Nil(t, from("mass"), "the solver gives it")
	assert.Nil(t, from("double"), "inputs alone decide it")
	assert.Equal(t, []int{m.Column("mass"), m.Column("sag")}, from("sag*mass"))
	assert.Equal(t, []int{m.Column("mass")}, from("mass + 0.01*load"))
	design := core.Design{25}
	want, _ := values(t, m, design)
	got := make([]float64, len(m.Columns))
	copy(got, want.Row(0)[:2]) // what the solver gives
	p.Behind.Follow(design, got)
	assert.Equal(t, want.Row(0), got)
	got[m.Column("sag")] = 7 // what is believed need not be what the solver would give
	p.Behind.Follow(design, got)
	assert.Equal(t, 7*2.5, got[m.Column("sag*mass")])
}

// What hangs on a curve follows from more than numbers, and so does what hangs on that.
func TestWhatHangsOnCurvesDoesNotFollowFromNumbers(t *testing.T) {
	t.Parallel()
	text := `bench: 1
inputs: {rope: {nominal: 4, range: [1, 10]}}
solver:
  steps: [{run: ["true"]}]
outputs:
  swing: {file: a.csv, curve: {x: x, y: y}}
  pull: {file: a.txt, pointer: /pull}
derived:
  low: trough(swing)
  twice: 2*low
  stress: pull/rope
  worst: "max(stress, pull)"
requirements:
  R1: {of: worst, at_most: 9}
  R2: {of: twice, at_most: 9}
studies: {best: {kind: optimize, minimize: rope}}
`
	b, err := read.Read("rope.bench.yaml", []byte(text))
	require.NoError(t, err)
	best, _ := b.Study("best")
	m, err := model.New(b, model.Scope{Moves: []string{"rope"}})
	require.NoError(t, err)
	p := m.Problem(best, []string{"rope"}, m.Design(nil))
	pull := m.Column("pull")
	for name, from := range map[string][]int{"low": nil, "twice": nil, "stress": {pull}, "worst": {pull}, "pull": nil} {
		assert.Equal(t, from, p.Behind.From(m.Column(name)), name)
	}
	values := slices.Repeat([]float64{0}, len(m.Columns))
	values[pull] = 12
	p.Behind.Follow(core.Design{3}, values)
	assert.Equal(t, []float64{4, 12}, []float64{values[m.Column("stress")], values[m.Column("worst")]})
	plain, err := read.Read("rope.bench.yaml", []byte(strings.Replace(strings.Replace(text, "  stress: pull/rope\n  worst: \"max(stress, pull)\"\n", "", 1), "of: worst", "of: low", 1)))
	require.NoError(t, err)
	none, err := model.New(plain, model.Scope{Moves: []string{"rope"}})
	require.NoError(t, err)
	assert.Nil(t, none.Problem(bench.Study{Settings: best.Settings}, []string{"rope"}, none.Design(nil)).Behind)
}
