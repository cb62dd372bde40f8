// Package formulas is the solver whose model is written in the bench file: formulas of inputs and of each other.
package formulas

import (
	"sync"

	"ropebench/bench"
	"ropebench/core/formula"
)

// A Solver computes the formulas of a bench. It may be used by several goroutines.
type Solver struct {
	machines sync.Pool
}

// New compiles the formulas of a bench.
func New(b *bench.Bench) (*Solver, error) {
	var variables []string
	for _, in := range b.Inputs {
		variables = append(variables, in.Name)
	}
	var definitions []formula.Definition
	for _, f := range b.Solver.Formulas {
		definitions = append(definitions, formula.Definition{Name: f.Name, Expression: f.Formula})
	}
	program, err := formula.Compile(variables, definitions)
	if err != nil {
		return nil, err
	}
	return &Solver{sync.Pool{New: func() any { return program.NewMachine() }}}, nil
}

// SolveAll computes n rows of inputs into rows of outputs, both in the order of the bench.
func (s *Solver) SolveAll(n int, in, out func(row int) []float64) {
	machine := s.machines.Get().(*formula.Machine)
	machine.Eval(n, in, out)
	s.machines.Put(machine)
}
