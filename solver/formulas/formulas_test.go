package formulas

import (
	"context"
	"strings"
	"testing"

	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFormulasAreDifferentiatedThroughEachOther(t *testing.T) {
	t.Parallel()
	b, err := read.Read("a.bench.yaml", []byte(`bench: 1
inputs: {k: {nominal: 3}, c: {nominal: 2}}
solver:
  formulas:
    load: {along: {x: {from: 0, to: 2, count: 3}}, is: k*x + c*x^2}
    flat: {along: {y: {from: 0, to: 1, count: 2}}, is: k^2}
    top: peak(load)*k
`))
	require.NoError(t, err)
	for i := range b.Solver.Formulas { // as reading the files does
		if a := b.Solver.Formulas[i].Along; a != nil {
			for n := range a.Count {
				a.Values = append(a.Values, a.From+(a.To-a.From)*float64(n)/float64(a.Count-1))
			}
		}
	}
	s, err := New(b)
	require.NoError(t, err)
	duals, err := s.Differentiate(t.Context(), []float64{3, 2}, []int{1, 0})
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 1, 4}, duals["load"].SampleDerivatives[0].Y, "by c")
	assert.Equal(t, []float64{0, 1, 2}, duals["load"].SampleDerivatives[1].Y, "by k")
	assert.Equal(t, []float64{6, 6}, duals["flat"].SampleDerivatives[1].Y)
	assert.Equal(t, 42.0, duals["top"].Number)
	assert.Equal(t, []float64{4 * 3, 2*3 + 14}, duals["top"].Derivatives)
}

func TestAFormulaWithoutAValueHasNoDerivative(t *testing.T) {
	t.Parallel()
	b, err := read.Read("a.bench.yaml", []byte("bench: 1\ninputs: {k: {nominal: 3}}\nsolver: {formulas: {load: {along: {x: {from: 0, to: 1, count: 2}}, is: k*x}, seen: \"at(load, k)\"}}\n"))
	require.NoError(t, err)
	for i := range b.Solver.Formulas {
		if a := b.Solver.Formulas[i].Along; a != nil {
			a.Values = []float64{0, 1}
		}
	}
	s, err := New(b)
	require.NoError(t, err)
	_, err = s.Differentiate(t.Context(), []float64{3}, []int{0})
	assert.ErrorContains(t, err, "seen: at: x = 3 is outside of the curve")
}

// TestTheKeyIsThatOfTheFormulas holds that the key changes with what the values depend on, and with nothing else.
func TestTheKeyIsThatOfTheFormulas(t *testing.T) {
	t.Parallel()
	const file = "bench: 1\ninputs: {k: {nominal: 3}, c: {nominal: 2}, idle: {nominal: 1}}\nsolver: {formulas: {a: k*c, b: a + k, load: {along: {x: {from: 0, to: 1, count: 3}}, is: k*x}}}\n"
	made := func(from, to string) *Solver {
		require.Contains(t, file, from)
		path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": strings.Replace(file, from, to, 1)})
		b, _, err := read.Load(path)
		require.NoError(t, err)
		s, err := New(b)
		require.NoError(t, err)
		return s
	}
	key := func(from, to string) solver.Key {
		key, err := made(from, to).Key()
		require.NoError(t, err)
		return key
	}
	own := key("bench", "bench")
	for from, to := range map[string]string{"k*c": "k*c*2", "to: 1,": "to: 2,", "count: 3": "count: 4", "b: a + k": "b: a + k, d: 1"} {
		assert.NotEqual(t, own, key(from, to), to)
	}
	assert.Equal(t, own, key("k: {nominal: 3}, c: {nominal: 2}", "c: {nominal: 2}, k: {label: Rate, nominal: 5}"), "order, words and nominals change no answer")
	assert.Equal(t, own, key("a: k*c, b: a + k", "b: a + k, a: k*c"))
	s := made("bench", "bench")
	assert.Equal(t, s.Question(nil, []float64{3, 2, 1}, nil), s.Question(nil, []float64{3, 2, 9}, nil), "an input that no formula names is not asked")
	assert.NotEqual(t, s.Question(nil, []float64{3, 2, 1}, nil), s.Question(nil, []float64{3, 4, 1}, nil))
}

// TestOutputsAreReturnedByName holds both ways of computing: numbers alone, and with vectors and curves.
func TestOutputsAreReturnedByName(t *testing.T) {
	t.Parallel()
	for _, more := range []string{"", ", load: {along: {x: {from: 0, to: 1, count: 3}}, is: z*x}"} {
		path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": "bench: 1\ninputs: {k: {nominal: 3}}\nsolver: {formulas: {z: k + 1, a: z*10" + more + "}}\n"})
		b, _, err := read.Load(path)
		require.NoError(t, err)
		s, err := New(b)
		require.NoError(t, err)
		rows := solver.Rows{Inputs: core.NewMatrix(5000, 1), Values: core.NewMatrix(5000, 2), Curves: make([][]curve.Curve, 5000), Errors: make([]error, 5000)}
		for i := range rows.Inputs.Rows {
			rows.Inputs.Row(i)[0] = float64(i)
		}
		require.NoError(t, s.SolveAll(t.Context(), rows))
		for i := range rows.Inputs.Rows {
			require.Equal(t, []float64{10 * (float64(i) + 1), float64(i) + 1}, rows.Values.Row(i), "a, then z")
			require.Len(t, rows.Curves[i], min(1, len(more)))
		}
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		assert.ErrorIs(t, s.SolveAll(ctx, rows), context.Canceled)
	}
}
