package equations

import (
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

func solverOf(t *testing.T, rate string) *Solver {
	b, err := read.Read("a.bench.yaml", []byte(`bench: 1
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

// rowsOf are rows of inputs to be solved.
func rowsOf(inputs [][]float64) solver.Rows {
	return solver.Rows{Inputs: core.MatrixOf(inputs), Values: core.NewMatrix(len(inputs), 0), Curves: make([][]curve.Curve, len(inputs)), Errors: make([]error, len(inputs))}
}

func TestEveryRowIsSolvedByItself(t *testing.T) {
	t.Parallel()
	s := solverOf(t, "-k*x")
	var inputs [][]float64
	for i := range 20 {
		inputs = append(inputs, []float64{0.1 * float64(i), 1 + float64(i)})
	}
	rows := rowsOf(inputs)
	require.NoError(t, s.SolveAll(t.Context(), rows))
	for i := range inputs {
		require.NoError(t, rows.Errors[i])
		require.Len(t, rows.Curves[i], 2, "by name: twice, then x")
		want := (1 + float64(i)) * math.Exp(-0.1*float64(i))
		assert.InDelta(t, want, rows.Curves[i][1].Final(), 1e-7)
		assert.InDelta(t, 2*want, rows.Curves[i][0].Final(), 1e-7)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	assert.ErrorIs(t, s.SolveAll(ctx, rowsOf(inputs)), context.Canceled)
}

func TestARowThatRunsAwayLeavesTheOthersAlone(t *testing.T) {
	t.Parallel()
	s := solverOf(t, "k*x^2")
	rows := rowsOf([][]float64{{1, 2}, {1, 0.5}})
	require.NoError(t, s.SolveAll(t.Context(), rows))
	assert.ErrorContains(t, rows.Errors[0], "the solution runs away at time = 0.5")
	require.NoError(t, rows.Errors[1])
	assert.InDelta(t, 1, rows.Curves[1][1].Final(), 1e-7, "0.5/(1 - 0.5)")
}

// TestTheKeyIsThatOfTheEquations holds that the key changes with what the solution depends on, and with nothing else.
func TestTheKeyIsThatOfTheEquations(t *testing.T) {
	t.Parallel()
	const file = `bench: 1
inputs: {k: {nominal: 1}, start: {nominal: 2}, idle: {nominal: 3}}
solver:
  dynamics:
    time: {from: 0, to: 1, count: 11}
    states: {x: {start: start, rate: "-k*x"}, y: {start: 0, rate: x}}
    signals: {twice: 2*x}
    accuracy: {relative: 1e-7}
`
	key := func(from, to string) solver.Key {
		require.Contains(t, file, from)
		b, err := read.Read("a.bench.yaml", []byte(strings.Replace(file, from, to, 1)))
		require.NoError(t, err)
		s, err := New(b)
		require.NoError(t, err)
		key, err := s.Key()
		require.NoError(t, err)
		return key
	}
	own := key("bench", "bench")
	for from, to := range map[string]string{"-k*x": "-k*x*2", "start: 0, rate": "start: 1, rate", "to: 1, count": "to: 2, count", "count: 11": "count: 12", "2*x": "3*x", "1e-7": "1e-6",
		"start: {nominal: 2}": "begin: {nominal: 2}, start: {nominal: 4}"} {
		if from == "start: {nominal: 2}" {
			assert.Equal(t, own, key(from, to), "another nominal is no other solver")
			continue
		}
		assert.NotEqual(t, own, key(from, to), to)
	}
	assert.Equal(t, own, key("k: {nominal: 1}, start: {nominal: 2}", "start: {nominal: 2}, k: {label: Rate, unit: 1/s, nominal: 1}"), "order and words change no answer")
	b, err := read.Read("a.bench.yaml", []byte(file))
	require.NoError(t, err)
	s, err := New(b)
	require.NoError(t, err)
	assert.Equal(t, s.Question(nil, []float64{1, 2, 3}, nil), s.Question(nil, []float64{1, 2, 4}, nil), "an input that no equation names is not asked")
	assert.NotEqual(t, s.Question(nil, []float64{1, 2, 3}, nil), s.Question(nil, []float64{1, 3, 3}, nil))
}

func TestDerivativesByName(t *testing.T) {
	t.Parallel()
	s := solverOf(t, "-k*x")
	duals, err := s.Differentiate(t.Context(), []float64{0.7, 2}, []int{0, 1})
	require.NoError(t, err)
	x := duals["x"]
	assert.InDelta(t, -2*math.Exp(-0.7), x.SampleDerivatives[0].Y[10], 1e-6, "by k")
	assert.InDelta(t, math.Exp(-0.7), x.SampleDerivatives[1].Y[10], 1e-7, "by the start")
	assert.InDelta(t, 2*math.Exp(-0.7), duals["twice"].SampleDerivatives[1].Y[10], 1e-7)
	_, err = solverOf(t, "k*x^2").Differentiate(t.Context(), []float64{1, 2}, []int{0})
	assert.ErrorContains(t, err, "runs away")
}
