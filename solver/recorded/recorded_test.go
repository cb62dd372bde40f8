package recorded

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

func twoInputs() *bench.Bench {
	return &bench.Bench{Inputs: []bench.Input{{Name: "a"}, {Name: "b"}}}
}

func solved(t *testing.T, s *Solver, repeats []int, designs ...[]float64) (core.Matrix, []error) {
	rows := solver.Rows{Inputs: core.MatrixOf(designs), Values: core.NewMatrix(len(designs), len(s.names)), Curves: make([][]curve.Curve, len(designs)), Errors: make([]error, len(designs)), Repeats: repeats}
	require.NoError(t, s.SolveAll(t.Context(), rows))
	return rows.Values, rows.Errors
}

// A table answers its designs to the last bit, in the order of names; what it does not have is a failure with a reason.
func TestTheTableAnswers(t *testing.T) {
	t.Parallel()
	table := &bench.PlanTable{Inputs: []string{"b", "a"}, Designs: [][]float64{{0.1, 3}, {0.2, 4}}, Outputs: []string{"w", "q"}, Values: [][]float64{{7, 8}, {9, math.NaN()}}}
	s := New(twoInputs(), table)
	assert.False(t, s.Noisy())
	values, errors := solved(t, s, nil, []float64{3, 0.1}, []float64{4, 0.2}, []float64{4, 0.1})
	assert.Equal(t, []float64{8, 7}, values.Row(0))
	assert.NoError(t, errors[0])
	assert.ErrorContains(t, errors[1], "the table has no value of q")
	assert.ErrorContains(t, errors[2], "the table has no such design")
}

// A design that was measured twice has two values, whatever was answered before.
func TestRepeatedDesignsHaveTheirValuesInTurn(t *testing.T) {
	t.Parallel()
	table := &bench.PlanTable{Inputs: []string{"a"}, Designs: [][]float64{{1}, {2}, {1}}, Outputs: []string{"q"}, Values: [][]float64{{10}, {20}, {11}}}
	s := New(twoInputs(), table)
	assert.True(t, s.Noisy())
	values, _ := solved(t, s, []int{1, 0, 0}, []float64{1, 0}, []float64{2, 0}, []float64{1, 0})
	assert.Equal(t, []float64{11, 20, 10}, values.Data)
}

// Nothing measured is taken for an answer of a solver, or of another table.
func TestTheKeyIsThatOfTheTable(t *testing.T) {
	t.Parallel()
	table := bench.PlanTable{Inputs: []string{"a"}, Designs: [][]float64{{1}}, Outputs: []string{"q"}, Values: [][]float64{{10}}}
	other := table
	other.Values = [][]float64{{10.000000000000002}}
	one, err := New(twoInputs(), &table).Key()
	require.NoError(t, err)
	two, err := New(twoInputs(), &other).Key()
	require.NoError(t, err)
	assert.NotEqual(t, one, two)
}
