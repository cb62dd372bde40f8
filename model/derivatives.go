package model

import (
	"context"
	"errors"
	"math"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Derivation gives the derivatives of all columns by the inputs of a design: exact through formulas, differential
// equations, outputs with a gradient, derived values and requirements. It is compiled once, and may be used by several
// goroutines.
type Derivation struct {
	model    *Model
	solver   solver.Differentiator // nil: the solver's own derivatives come with its answers
	program  *formula.Program      // where all is numbers: values, then derivatives by the inputs
	wrt      []int                 // variables of the bench
	position []int                 // of each of them among the inputs of a design
}

// ErrNoDerivatives is the answer where neither the model nor the solver gives derivatives.
var ErrNoDerivatives = errors.New("the derivatives of this evaluation are not known: formulas and differential equations have them, and an external solver whose outputs name their gradient")

// Derivation compiles the derivatives of a model; s is its solver. The error is ErrNoDerivatives where there are none.
func (m *Model) Derivation(s solver.Solver) (*Derivation, error) {
	d := &Derivation{model: m}
	for k, i := range m.moved {
		if !m.Bench.Inputs[i].Words() {
			d.wrt, d.position = append(d.wrt, i), append(d.position, k)
		}
	}
	if len(d.wrt) == 0 {
		return nil, ErrNoDerivatives
	}
	differentiator, known := s.(solver.Differentiator)
	if !known {
		for _, out := range m.Bench.Outputs {
			if out.Gradient != nil || out.Answer {
				return d, nil
			}
		}
		return nil, ErrNoDerivatives
	}
	d.solver = differentiator
	whole, err := m.Programs.whole()
	if err != nil {
		return nil, err
	}
	if whole != nil {
		d.program = whole.Derivatives(d.wrt)
	}
	return d, nil
}

// compileWhole is the program of all columns, formulas of the solver included; nil where not all is formulas of numbers.
func (p *Programs) compileWhole() (*formula.Program, error) {
	if len(p.bench.Solver.Formulas) == 0 || p.sequences != nil {
		return nil, nil
	}
	var all []formula.Definition
	for _, f := range p.bench.Solver.Formulas {
		if f.Formula.Reads() || p.bench.Shapes[f.Name] != formula.Number {
			return nil, nil
		}
		all = append(all, formula.Definition{Name: f.Name, Expression: f.Formula})
	}
	all = append(all, definitions(p.all)...)
	order := make([]int, len(all))
	for i, d := range all {
		order[p.index[d.Name]] = i
	}
	program, err := formula.Compile(p.variables, all)
	if err != nil {
		return nil, err
	}
	return program.Reorder(order), nil
}

// Of differentiates evaluations that are OK: inputs are their variables, values their columns, and given has what an
// external solver said of its own derivatives, by output and input. A derivative that is not known is NaN; nil stands for
// an evaluation of which none is, and the error of it says why.
func (d *Derivation) Of(ctx context.Context, inputs, values core.Matrix, given []map[string]map[string]float64) (all []core.Derivatives, errs []error) {
	all, errs = make([]core.Derivatives, inputs.Rows), make([]error, inputs.Rows)
	if d.program != nil {
		out := core.NewMatrix(inputs.Rows, d.program.Results())
		d.program.NewMachine().Eval(inputs, out)
		for i := range all {
			all[i] = d.unpack(out.Row(i))
		}
		return all, errs
	}
	for i := range all {
		all[i], errs[i] = d.forward(ctx, inputs.Row(i), values.Row(i), given[i])
	}
	return all, errs
}

// none is a matrix of derivatives that are not known.
func (d *Derivation) none() core.Derivatives {
	m := core.NewMatrix(len(d.model.Columns), len(d.model.Inputs))
	for i := range m.Data {
		m.Data[i] = math.NaN()
	}
	return &m
}

// unpack takes the derivatives from the results of the program: all values, then for each its derivatives.
func (d *Derivation) unpack(results []float64) core.Derivatives {
	m := d.none()
	at := results[len(d.model.Columns):]
	for column := range m.Rows {
		for direction, k := range d.position {
			m.Row(column)[k] = at[column*len(d.wrt)+direction]
		}
	}
	return m
}

// forward carries the derivatives of what the solver gives through what is derived.
func (d *Derivation) forward(ctx context.Context, inputs, values []float64, given map[string]map[string]float64) (core.Derivatives, error) {
	known, err := d.given(ctx, inputs, values, given)
	if err == nil && len(known) == 0 {
		err = ErrNoDerivatives
	}
	if err != nil {
		return nil, err
	}
	p := d.model.Programs
	for i, name := range p.variables {
		known[name] = formula.Constant(formula.Scalar(inputs[i]), len(d.wrt))
	}
	for direction, i := range d.wrt {
		known[p.variables[i]].Derivatives[direction] = 1
	}
	for _, c := range p.all {
		if dual, ok := c.differentiate(known, len(d.wrt)); ok {
			known[c.Name] = dual
		}
	}
	m := d.none()
	for column, c := range d.model.Columns {
		if dual, ok := known[c.Name]; ok {
			for direction, k := range d.position {
				m.Row(column)[k] = dual.Derivatives[direction]
			}
		}
	}
	return m, nil
}

// given is what the solver gives, with its derivatives.
func (d *Derivation) given(ctx context.Context, inputs, values []float64, given map[string]map[string]float64) (map[string]formula.Dual, error) {
	if d.solver != nil {
		return d.solver.Differentiate(ctx, inputs, d.wrt)
	}
	known := map[string]formula.Dual{}
	for column, c := range d.model.Columns[:d.model.Programs.outputs] {
		dual := formula.Constant(formula.Scalar(values[column]), len(d.wrt))
		if len(given[c.Name]) == 0 {
			continue
		}
		for direction, i := range d.wrt {
			derivative, isGiven := given[c.Name][d.model.Programs.variables[i]]
			if !isGiven {
				derivative = math.NaN() // the solver need not differentiate by all inputs
			}
			dual.Derivatives[direction] = derivative
		}
		known[c.Name] = dual
	}
	return known, nil
}

// differentiate gives a formula with its derivatives, if those of all that it names are known. The one of a requirement
// on a vector or a curve moves with the element on which its verdict hangs; that on a limit curve is not differentiated.
func (c computed) differentiate(known map[string]formula.Dual, directions int) (formula.Dual, bool) {
	if c.limited {
		return formula.Dual{}, false
	}
	for _, name := range c.Expression.Names {
		if _, ok := known[name]; !ok {
			return formula.Dual{}, false
		}
	}
	dual, err := c.Expression.Differentiate(func(name string) formula.Dual { return known[name] }, directions)
	if err != nil || c.reduced == nil || dual.Samples == nil {
		return dual, err == nil
	}
	worst, err := c.reduced(*dual.Samples)
	if err != nil {
		return dual, false
	}
	for i, y := range dual.Samples.Y {
		if y != worst {
			continue
		}
		element := formula.Constant(formula.Scalar(y), directions)
		for direction, derivative := range dual.SampleDerivatives {
			if derivative != nil {
				element.Derivatives[direction] = derivative.Y[i]
			}
		}
		return element, true
	}
	return dual, false
}
