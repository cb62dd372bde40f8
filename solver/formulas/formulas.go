// Package formulas is the solver whose model is written in the bench file: formulas of inputs and of each other.
package formulas

import (
	"fmt"
	"slices"
	"sync"

	"ropebench/bench"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Solver computes the formulas of a bench. It may be used by several goroutines.
type Solver struct {
	inputs    []string
	formulas  []bench.Derived
	machines  sync.Pool // of the program, where every formula gives a number
	sequences bool
}

// New compiles the formulas of a bench.
func New(b *bench.Bench) (*Solver, error) {
	s := &Solver{formulas: b.Solver.Formulas, inputs: b.Variables()}
	var definitions []formula.Definition
	for _, f := range b.Solver.Formulas {
		definitions = append(definitions, formula.Definition{Name: f.Name, Expression: f.Formula})
		s.sequences = s.sequences || b.Shapes[f.Name] != formula.Number || f.Formula.Reads()
	}
	if s.sequences {
		return s, nil
	}
	program, err := formula.Compile(s.inputs, definitions)
	if err != nil {
		return nil, err
	}
	s.machines.New = func() any { return program.NewMachine() }
	return s, nil
}

// SolveAll computes n rows.
func (s *Solver) SolveAll(n int, rows func(row int) *solver.Row) {
	if s.sequences {
		for i := range n {
			s.solve(rows(i))
		}
		return
	}
	machine := s.machines.Get().(*formula.Machine)
	machine.Eval(n, func(i int) []float64 { return rows(i).Inputs }, func(i int) []float64 { return rows(i).Values })
	s.machines.Put(machine)
}

// solve computes one row where vectors or curves take part.
func (s *Solver) solve(row *solver.Row) {
	known := map[string]formula.Value{}
	for i, name := range s.inputs {
		known[name] = formula.Scalar(row.Inputs[i])
	}
	column := 0
	for _, f := range s.formulas {
		value, err := evaluate(f, known)
		if err != nil {
			row.Err = fmt.Errorf("%s: %w", f.Name, err)
			return
		}
		known[f.Name] = value
		if value.Samples == nil {
			row.Values[column] = value.Number
			column++
		} else {
			row.Curves = append(row.Curves, *value.Samples)
		}
	}
}

func evaluate(f bench.Derived, known map[string]formula.Value) (formula.Value, error) {
	if f.Along != nil {
		known[f.Along.Name] = formula.Sequence(curve.Curve{Y: f.Along.Values})
		defer delete(known, f.Along.Name)
	}
	value, err := f.Formula.Evaluate(func(name string) formula.Value { return known[name] })
	if err != nil {
		return value, err
	}
	if f.Along != nil {
		value = over(f.Along.Values, value)
	}
	if value.Samples != nil {
		err = value.Samples.Check()
	}
	return value, err
}

// over makes a curve of a value over x: a single number is the same everywhere.
func over(x []float64, value formula.Value) formula.Value {
	y := slices.Repeat([]float64{value.Number}, len(x))
	if value.Samples != nil {
		y = value.Samples.Y
	}
	return formula.Sequence(curve.Curve{X: x, Y: y})
}

// Differentiate implements solver.Differentiator.
func (s *Solver) Differentiate(inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	known := map[string]formula.Dual{}
	for i, name := range s.inputs {
		known[name] = formula.Constant(formula.Scalar(inputs[i]), len(wrt))
	}
	for direction, i := range wrt {
		known[s.inputs[i]].Slopes[direction] = 1
	}
	given := map[string]formula.Dual{}
	for _, f := range s.formulas {
		if f.Along != nil {
			known[f.Along.Name] = formula.Constant(formula.Sequence(curve.Curve{Y: f.Along.Values}), len(wrt))
		}
		dual, err := f.Formula.Differentiate(func(name string) formula.Dual { return known[name] }, len(wrt))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		if f.Along != nil {
			dual = spread(f.Along.Values, dual)
		}
		known[f.Name], given[f.Name] = dual, dual
	}
	return given, nil
}

// spread makes a curve over x that moves as its values do.
func spread(x []float64, dual formula.Dual) formula.Dual {
	moved := formula.Constant(over(x, dual.Value), len(dual.Slopes))
	for direction := range moved.Tangents {
		tangent := curve.Tangent{Y: slices.Repeat([]float64{dual.Slopes[direction]}, len(x))}
		if dual.Samples != nil && dual.Tangents[direction] != nil {
			tangent.Y = dual.Tangents[direction].Y
		}
		moved.Tangents[direction] = &tangent
	}
	return moved
}
