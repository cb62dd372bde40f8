package formulas

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
)

func TestFormulasAreDifferentiatedThroughEachOther(t *testing.T) {
	b, err := bench.Read("a.bench.yaml", []byte(`bench: 1
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
	duals, err := s.Differentiate([]float64{3, 2}, []int{1, 0})
	require.NoError(t, err)
	assert.Equal(t, []float64{0, 1, 4}, duals["load"].Tangents[0].Y, "by c")
	assert.Equal(t, []float64{0, 1, 2}, duals["load"].Tangents[1].Y, "by k")
	assert.Equal(t, []float64{6, 6}, duals["flat"].Tangents[1].Y)
	assert.Equal(t, 42.0, duals["top"].Number)
	assert.Equal(t, []float64{4 * 3, 2*3 + 14}, duals["top"].Slopes)
}

func TestAFormulaWithoutAValueHasNoDerivative(t *testing.T) {
	b, err := bench.Read("a.bench.yaml", []byte("bench: 1\ninputs: {k: {nominal: 3}}\nsolver: {formulas: {load: {along: {x: {from: 0, to: 1, count: 2}}, is: k*x}, seen: \"at(load, k)\"}}\n"))
	require.NoError(t, err)
	for i := range b.Solver.Formulas {
		if a := b.Solver.Formulas[i].Along; a != nil {
			a.Values = []float64{0, 1}
		}
	}
	s, err := New(b)
	require.NoError(t, err)
	_, err = s.Differentiate([]float64{3}, []int{0})
	assert.ErrorContains(t, err, "seen: at: x = 3 is outside of the curve")
}
