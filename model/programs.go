package model

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// reduceBy makes a number of a vector or a curve.
type reduceBy = func(curve.Curve) (float64, error)

// Programs compute the columns of a layout, for many rows at once. A row of inputs holds the variables of the bench, a row
// of values all columns. They may be used by several goroutines.
type Programs struct {
	layout    *Layout
	bench     *bench.Bench
	variables []string
	index     map[string]int // of columns, by name
	outputs   int            // columns from the solver
	onInputs  int            // columns that inputs alone decide

	before    sync.Pool  // machines of the formulas of inputs
	after     sync.Pool  // of *pipeline, for the others, where all are numbers
	sequences []computed // what is computed instead of that where vectors or curves take part; nil: none do
	all       []computed // in their order

	whole func() (*formula.Program, error) // see derivatives.go
}

// A pipeline computes what stands behind the outputs: a machine, and the variables of its rows.
type pipeline struct {
	machine   *formula.Machine
	variables core.Matrix
}

// compile makes the programs of a layout.
func compile(b *bench.Bench, l *Layout, before, after []computed) (*Programs, error) {
	p := &Programs{layout: l, bench: b, variables: b.Variables(), index: map[string]int{}}
	p.outputs, _ = l.from(FromSolver)
	p.onInputs, _ = l.from(FromInputs)
	for i, c := range l.Columns {
		p.index[c.Name] = i
	}
	p.all = append(slices.Clone(before), after...)
	first, err := formula.Compile(p.variables, definitions(before))
	if err != nil {
		return nil, err
	}
	p.before.New = func() any { return first.NewMachine() }
	p.whole = sync.OnceValues(p.compileWhole)
	if slices.ContainsFunc(p.all, computed.hasSequences) {
		p.sequences = after
		return p, nil
	}
	second, err := formula.Compile(append(slices.Clone(p.variables), names(l.Columns[:p.outputs+p.onInputs])...), definitions(after))
	if err != nil {
		return nil, err
	}
	p.after.New = func() any {
		return &pipeline{second.NewMachine(), core.NewMatrix(rowsAtOnce, second.Variables())}
	}
	return p, nil
}

// rowsAtOnce is how many rows a pipeline copies together.
const rowsAtOnce = 4 * formula.Lanes

// hasSequences is true for a formula that gives, reduces or reads a vector or a curve.
func (c computed) hasSequences() bool { return !c.number || c.reduced != nil || c.Expression.Reads() }

func definitions(all []computed) []formula.Definition {
	list := make([]formula.Definition, len(all))
	for i, c := range all {
		list[i] = c.Definition
	}
	return list
}

func names(columns []Column) []string {
	list := make([]string, len(columns))
	for i, c := range columns {
		list[i] = c.Name
	}
	return list
}

// Screen fills what inputs alone decide, and NaN elsewhere.
func (p *Programs) Screen(inputs, values core.Matrix) {
	nan := math.NaN()
	for i := range values.Data[:values.Rows*values.Stride] {
		values.Data[i] = nan
	}
	if p.onInputs > 0 {
		machine := p.before.Get().(*formula.Machine)
		machine.Eval(inputs, values.Part(p.outputs, p.outputs+p.onInputs))
		p.before.Put(machine)
	}
}

// Finish computes what stands behind the outputs of the solver, which are in their places. It adds derived vectors and
// curves to those of each row, and notes in errors, one for each row, where that cannot be done.
func (p *Programs) Finish(inputs, values core.Matrix, curves [][]curve.Curve, errors []error) {
	known := p.outputs + p.onInputs
	switch {
	case p.sequences != nil:
		for i := range inputs.Rows {
			if errors[i] == nil {
				curves[i], errors[i] = p.follow(inputs.Row(i), values.Row(i), curves[i])
			}
		}
		return
	case known == len(p.layout.Columns):
		return
	}
	after := p.after.Get().(*pipeline)
	defer p.after.Put(after)
	for from := 0; from < inputs.Rows; from += rowsAtOnce {
		to := min(from+rowsAtOnce, inputs.Rows)
		variables := after.variables.Slice(0, to-from)
		for i := range to - from {
			copy(variables.Row(i), inputs.Row(from+i))
			copy(variables.Row(i)[inputs.Columns:], values.Row(from + i)[:known])
		}
		after.machine.Eval(variables, values.Slice(from, to).Part(known, values.Columns))
	}
}

// follow computes one row where vectors or curves take part.
func (p *Programs) follow(inputs, values []float64, curves []curve.Curve) ([]curve.Curve, error) {
	lookup := func(name string) formula.Value {
		if column, ok := p.index[name]; ok {
			return formula.Scalar(values[column])
		}
		if i := p.layout.Curve(name); i >= 0 && i < len(curves) {
			return formula.Sequence(curves[i])
		}
		return formula.Scalar(p.Value(name, inputs, values).Number)
	}
	for _, c := range p.sequences {
		value, err := c.Expression.Evaluate(lookup)
		if err == nil && value.Samples != nil {
			if err = value.Samples.Check(); err != nil { // a verdict must not look past what is no number
				err = fmt.Errorf("%w: keep the formula where it has a value, by max, min, ? : or window", err)
			}
		}
		if err == nil && c.reduced != nil {
			value.Number, err = c.reduced(*value.Samples)
		}
		if err != nil {
			return curves, fmt.Errorf("%s: %w", c.Name, err)
		}
		if c.number {
			values[p.index[c.Name]] = value.Number
		} else {
			curves = append(curves, *value.Samples)
		}
	}
	return curves, nil
}

// Value is an input, or a value derived from inputs alone, of a row that was screened.
func (p *Programs) Value(name string, inputs, values []float64) bench.Value {
	if column, isColumn := p.index[name]; isColumn {
		return bench.Number(values[column])
	}
	value, _ := p.bench.ValueIn(inputs, name)
	return value
}
