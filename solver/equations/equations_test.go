package equations

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/solver"
)

func solverOf(t *testing.T, rate string) *Solver {
	b, err := bench.Read("a.bench.yaml", []byte(`bench: 1
inputs: {k: {nominal: 1}, start: {nominal: 2}}
solver:
  dynamics:
    time: {from: 0, to: 1, count: 11}
    states: {x: {start: start, rate: "`+rate+`"}}
    signals: {twice: 2*x}
`))
	require.NoError(t, err)
	s, err := New(b)
	require.NoError(t, err)
	return s
}

func TestEveryRowIsSolvedByItself(t *testing.T) {
	s := solverOf(t, "-k*x")
	rows := make([]solver.Row, 20)
	for i := range rows {
		rows[i].Inputs = []float64{0.1 * float64(i), 1 + float64(i)}
	}
	s.SolveAll(len(rows), func(i int) *solver.Row { return &rows[i] })
	for i, row := range rows {
		require.NoError(t, row.Err)
		require.Len(t, row.Curves, 2, "states, then signals")
		want := (1 + float64(i)) * math.Exp(-0.1*float64(i))
		assert.InDelta(t, want, row.Curves[0].Final(), 1e-7)
		assert.InDelta(t, 2*want, row.Curves[1].Final(), 1e-7)
	}
}

func TestARowThatRunsAwayLeavesTheOthersAlone(t *testing.T) {
	s := solverOf(t, "k*x^2")
	rows := []solver.Row{{Inputs: []float64{1, 2}}, {Inputs: []float64{1, 0.5}}}
	s.SolveAll(2, func(i int) *solver.Row { return &rows[i] })
	assert.ErrorContains(t, rows[0].Err, "the solution runs away at time = 0.5")
	require.NoError(t, rows[1].Err)
	assert.InDelta(t, 1, rows[1].Curves[0].Final(), 1e-7, "0.5/(1 - 0.5)")
}

func TestDerivativesByName(t *testing.T) {
	s := solverOf(t, "-k*x")
	duals, err := s.Differentiate([]float64{0.7, 2}, []int{0, 1})
	require.NoError(t, err)
	x := duals["x"]
	assert.InDelta(t, -2*math.Exp(-0.7), x.Tangents[0].Y[10], 1e-6, "by k")
	assert.InDelta(t, math.Exp(-0.7), x.Tangents[1].Y[10], 1e-7, "by the start")
	assert.InDelta(t, 2*math.Exp(-0.7), duals["twice"].Tangents[1].Y[10], 1e-7)
	_, err = solverOf(t, "k*x^2").Differentiate([]float64{1, 2}, []int{0})
	assert.ErrorContains(t, err, "runs away")
}
