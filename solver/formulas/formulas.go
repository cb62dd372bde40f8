// Package formulas is the solver whose model is written in the bench file: formulas of inputs and of each other.
package formulas

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"ropebench/bench"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Solver computes the formulas of a bench.
type Solver struct {
	inputs    []string
	used      []int           // the variables that formulas name, by name
	formulas  []bench.Derived // in an order in which they can be computed
	returned  []string        // those that give numbers, by name, then those that give vectors or curves
	numbers   int             // of them
	machines  sync.Pool       // of the program, where every formula gives a number
	sequences bool
}

var _ solver.Batch = (*Solver)(nil)
var _ solver.Differentiator = (*Solver)(nil)

// New compiles the formulas of a bench.
func New(b *bench.Bench) (*Solver, error) {
	s := &Solver{formulas: b.Solver.Formulas, inputs: b.Variables()}
	s.used = usedVariables(s.inputs, s.formulas)
	byName := slices.SortedFunc(slices.Values(s.formulas), func(a, b bench.Derived) int { return strings.Compare(a.Name, b.Name) })
	for _, numbers := range []bool{true, false} {
		for _, f := range byName {
			if (b.Shapes[f.Name] == formula.Number) == numbers {
				s.returned = append(s.returned, f.Name)
			}
		}
		if numbers {
			s.numbers = len(s.returned)
		}
	}
	for _, f := range s.formulas {
		s.sequences = s.sequences || b.Shapes[f.Name] != formula.Number || f.Formula.Reads()
	}
	if s.sequences {
		return s, nil
	}
	definitions, order := make([]formula.Definition, len(s.formulas)), make([]int, len(s.formulas))
	for i, f := range s.formulas {
		definitions[i] = formula.Definition{Name: f.Name, Expression: f.Formula}
		order[slices.Index(s.returned, f.Name)] = i
	}
	program, err := formula.Compile(s.inputs, definitions)
	if err != nil {
		return nil, err
	}
	program = program.Reorder(order)
	s.machines.New = func() any { return program.NewMachine() }
	return s, nil
}

// usedVariables lists the variables that formulas name, by name.
func usedVariables(variables []string, formulas []bench.Derived) []int {
	var used []int
	for i, name := range variables {
		if slices.ContainsFunc(formulas, func(f bench.Derived) bool { return slices.Contains(f.Formula.Names, name) }) {
			used = append(used, i)
		}
	}
	slices.SortFunc(used, func(a, b int) int { return strings.Compare(variables[a], variables[b]) })
	return used
}

// Key implements solver.Solver: the formulas, and the variables that they name.
func (s *Solver) Key() (solver.Key, error) {
	key := solver.NewKeyMaker("formulas 1")
	for _, i := range s.used {
		key.Text(s.inputs[i])
	}
	for _, f := range slices.SortedFunc(slices.Values(s.formulas), func(a, b bench.Derived) int { return strings.Compare(a.Name, b.Name) }) {
		key.Text(f.Name, f.Formula.Text)
		if f.Along != nil {
			key.Text(f.Along.Name)
			key.Real(f.Along.Values...)
		}
	}
	return key.Key(), nil
}

// Question implements solver.Solver.
func (s *Solver) Question(question []byte, inputs []float64, _ solver.Lookup) []byte {
	for _, i := range s.used {
		question = binary.LittleEndian.AppendUint64(question, math.Float64bits(inputs[i]))
	}
	return question
}

// rowsAtOnce is how many rows are computed between two looks at the context.
const rowsAtOnce = 4096

// SolveAll implements solver.Batch.
func (s *Solver) SolveAll(ctx context.Context, rows solver.Rows) error {
	for from := 0; from < rows.Inputs.Rows; from += rowsAtOnce {
		if err := ctx.Err(); err != nil {
			return err
		}
		to := min(from+rowsAtOnce, rows.Inputs.Rows)
		if s.sequences {
			for i := from; i < to; i++ {
				rows.Curves[i], rows.Errors[i] = s.solve(rows.Inputs.Row(i), rows.Values.Row(i))
			}
			continue
		}
		machine := s.machines.Get().(*formula.Machine)
		machine.Eval(rows.Inputs.Slice(from, to), rows.Values.Slice(from, to))
		s.machines.Put(machine)
	}
	return nil
}

// solve computes one row where vectors or curves take part.
func (s *Solver) solve(inputs, values []float64) ([]curve.Curve, error) {
	known := map[string]formula.Value{}
	for i, name := range s.inputs {
		known[name] = formula.Scalar(inputs[i])
	}
	for _, f := range s.formulas {
		value, err := evaluate(f, known)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f.Name, err)
		}
		known[f.Name] = value
	}
	curves := make([]curve.Curve, len(s.returned)-s.numbers)
	for i, name := range s.returned {
		if i < s.numbers {
			values[i] = known[name].Number
		} else {
			curves[i-s.numbers] = *known[name].Samples
		}
	}
	return curves, nil
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
func (s *Solver) Differentiate(_ context.Context, inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	known := map[string]formula.Dual{}
	for i, name := range s.inputs {
		known[name] = formula.Constant(formula.Scalar(inputs[i]), len(wrt))
	}
	for direction, i := range wrt {
		known[s.inputs[i]].Derivatives[direction] = 1
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
	moved := formula.Constant(over(x, dual.Value), len(dual.Derivatives))
	for direction := range moved.SampleDerivatives {
		derivative := curve.Derivative{Y: slices.Repeat([]float64{dual.Derivatives[direction]}, len(x))}
		if dual.Samples != nil && dual.SampleDerivatives[direction] != nil {
			derivative.Y = dual.SampleDerivatives[direction].Y
		}
		moved.SampleDerivatives[direction] = &derivative
	}
	return moved
}
