package model_test

import (
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/model"
)

func TestFormulasBehindTheSolverFollowFromItsNumbers(t *testing.T) {
	t.Parallel()
	m, best := compiled(t, "width")
	p := m.Problem(best, []string{"width"}, m.Design(nil))
	require.NotNil(t, p.Behind)
	from := func(name string) []int {
		numbers, curves, _ := p.Behind.From(m.Column(name))
		assert.Empty(t, curves)
		return numbers
	}
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

// What hangs on a curve follows from that and from numbers, and so does what hangs on it in turn.
func TestWhatHangsOnCurvesFollowsFromThem(t *testing.T) {
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
  mixed: twice + stress
  crossed: "first_crossing(swing, 0)"
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
	none, swing := []int{}, []int{0}
	for name, want := range map[string][2][]int{"low": {none, swing}, "twice": {none, swing}, "mixed": {{pull}, swing}, "stress": {{pull}, nil}, "worst": {{pull}, nil}} {
		numbers, curves, follows := p.Behind.From(m.Column(name))
		assert.True(t, follows)
		assert.Equal(t, want, [2][]int{numbers, curves}, name)
	}
	_, _, follows := p.Behind.From(pull)
	assert.False(t, follows, "the solver gives it")
	believed := []curve.Curve{{X: []float64{0, 1, 2}, Y: []float64{5, -2, 1}}}
	given := make([]float64, len(m.Columns))
	given[pull] = 12
	valueOf := func(name string) float64 { return p.Behind.Read(m.Column(name), core.Design{3}, given, believed) }
	assert.Equal(t, []float64{-2, -4, -4 + 12.0/3}, []float64{valueOf("low"), valueOf("twice"), valueOf("mixed")})
	assert.True(t, math.IsNaN(p.Behind.Read(m.Column("crossed"), core.Design{3}, given, []curve.Curve{{X: []float64{0, 1}, Y: []float64{1, 2}}})), "it passes no 0")
	assert.Equal(t, 5.0/7, valueOf("crossed"))
	values := slices.Repeat([]float64{0}, len(m.Columns))
	values[pull] = 12
	p.Behind.Follow(core.Design{3}, values)
	assert.Equal(t, []float64{4, 12}, []float64{values[m.Column("stress")], values[m.Column("worst")]})
	plain, err := read.Read("rope.bench.yaml", []byte(text[:strings.Index(text, "derived:")]+"studies: {best: {kind: optimize, minimize: rope}}\n"))
	require.NoError(t, err)
	bare, err := model.New(plain, model.Scope{Moves: []string{"rope"}})
	require.NoError(t, err)
	assert.Nil(t, bare.Problem(bench.Study{Settings: best.Settings}, []string{"rope"}, bare.Design(nil)).Behind)
}
