// Package recorded is the solver of designs whose outputs are known already: they were measured, or computed elsewhere, and stand in a table.
package recorded

import (
	"context"
	"encoding/binary"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/solver"
)

// A Solver gives back the outputs of a table. A design that stands there several times has its values one after the other.
type Solver struct {
	table   *bench.PlanTable
	inputs  []int    // of a row of the variables of the bench: those that the table has
	names   []string // of outputs, by name
	outputs []int    // in a row of the table, in that order
	rows    map[string][]int
	noisy   bool
}

var _ solver.Batch = (*Solver)(nil)

// New returns the solver of a table that has every output of a bench.
func New(b *bench.Bench, table *bench.PlanTable) *Solver {
	s := &Solver{table: table, names: slices.Sorted(slices.Values(table.Outputs)), rows: map[string][]int{}}
	variables := b.Variables()
	for _, name := range table.Inputs {
		s.inputs = append(s.inputs, slices.Index(variables, name))
	}
	for _, name := range s.names {
		s.outputs = append(s.outputs, slices.Index(table.Outputs, name))
	}
	for i, design := range table.Designs {
		key := string(appended(nil, design))
		s.rows[key] = append(s.rows[key], i)
		s.noisy = s.noisy || len(s.rows[key]) > 1
	}
	return s
}

func appended(key []byte, numbers []float64) []byte {
	for _, number := range numbers {
		key = binary.LittleEndian.AppendUint64(key, math.Float64bits(number))
	}
	return key
}

// design is what the table knows of a row of the variables of the bench.
func (s *Solver) design(inputs []float64) []byte {
	design := make([]float64, len(s.inputs))
	for k, i := range s.inputs {
		design[k] = inputs[i]
	}
	return appended(nil, design)
}

// Key implements solver.Solver: the whole table, so that nothing measured is taken for an answer of the solver of the bench.
func (s *Solver) Key() (solver.Key, error) {
	key := solver.NewKeyMaker("recorded 1")
	key.Text(s.table.Inputs...)
	key.Text(s.table.Outputs...)
	for i, design := range s.table.Designs {
		key.Real(design...)
		key.Real(s.table.Values[i]...)
	}
	return key.Key(), nil
}

// Question implements solver.Solver.
func (s *Solver) Question(question []byte, inputs []float64, _ solver.Lookup) []byte {
	return append(question, s.design(inputs)...)
}

// Noisy implements solver.Noise: a design that stands in the table twice has two values.
func (s *Solver) Noisy() bool { return s.noisy }

// SolveAll implements solver.Batch.
func (s *Solver) SolveAll(ctx context.Context, rows solver.Rows) error {
	for i := range rows.Inputs.Rows {
		found, repeat := s.rows[string(s.design(rows.Inputs.Row(i)))], 0
		if rows.Repeats != nil {
			repeat = rows.Repeats[i]
		}
		if repeat >= len(found) {
			rows.Errors[i] = solver.Failed("the table has no such design")
			continue
		}
		values := s.table.Values[found[repeat]]
		for k, from := range s.outputs {
			if rows.Values.Row(i)[k] = values[from]; math.IsNaN(values[from]) && rows.Errors[i] == nil {
				rows.Errors[i] = solver.Failed("the table has no value of %s", s.names[k])
			}
		}
	}
	return ctx.Err()
}
