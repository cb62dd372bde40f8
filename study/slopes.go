package study

import (
	"errors"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/solver/equations"
	"ropebench/solver/formulas"
)

// Slopes are the exact derivatives of the values of one evaluation.
type Slopes struct {
	Inputs []string             // by which: the inputs of the design that are numbers
	Values map[string][]float64 // by column; a column whose derivatives are not known is absent
}

// ErrNoSlopes is the answer where neither the model nor the solver gives derivatives.
var ErrNoSlopes = errors.New("the derivatives of this evaluation are not known: formulas and differential equations have them, and an external solver whose outputs name their gradient")

// Slopes differentiates an evaluation of the model: through formulas and differential equations, or from the gradients
// that an external solver gave, and then through what is derived from its outputs.
func (m *Model) Slopes(record dispatch.Record) (Slopes, error) {
	slopes := Slopes{Values: map[string][]float64{}}
	var wrt []int
	for k, i := range m.varied {
		if !m.Bench.Inputs[i].Words() {
			wrt, slopes.Inputs = append(wrt, i), append(slopes.Inputs, m.Inputs[k])
		}
	}
	if record.State != core.OK || len(wrt) == 0 {
		return slopes, ErrNoSlopes
	}
	inputs := make([]float64, len(m.variables))
	m.FillInputs(record.Design, inputs)
	known, err := m.given(record, inputs, wrt)
	if err != nil {
		return slopes, err
	}
	for i, name := range m.variables {
		known[name] = formula.Constant(formula.Scalar(inputs[i]), len(wrt))
	}
	for direction, i := range wrt {
		known[m.variables[i]].Slopes[direction] = 1
	}
	for _, f := range m.formulas {
		if dual, ok := differentiate(f, known, len(wrt)); ok {
			known[f.Name] = dual
		}
	}
	for _, column := range m.Columns {
		if dual, ok := known[column]; ok {
			slopes.Values[column] = dual.Slopes
		}
	}
	return slopes, nil
}

// given is what the solver gives, with its derivatives.
func (m *Model) given(record dispatch.Record, inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	differentiator, err := differentiatorOf(m.Bench)
	if err != nil {
		return nil, err
	}
	if differentiator != nil {
		return differentiator.Differentiate(inputs, wrt)
	}
	known := map[string]formula.Dual{}
	for column, name := range m.Columns[:m.Outputs] {
		dual := formula.Constant(formula.Scalar(record.Values[column]), len(wrt))
		complete := record.Gradients[name] != nil
		for direction, i := range wrt {
			slope, given := record.Gradients[name][m.variables[i]]
			dual.Slopes[direction], complete = slope, complete && given
		}
		if complete {
			known[name] = dual
		}
	}
	if len(known) == 0 {
		return nil, ErrNoSlopes
	}
	return known, nil
}

// differentiatorOf is the solver of a bench whose model is known; nil for an external one.
func differentiatorOf(b *bench.Bench) (solver.Differentiator, error) {
	switch {
	case len(b.Solver.Formulas) > 0:
		return formulas.New(b)
	case b.Solver.Dynamics != nil:
		return equations.New(b)
	}
	return nil, nil
}

// differentiate gives a formula with its derivatives, if those of all that it names are known. The one of a requirement
// on a sequence moves with the element on which its verdict hangs; that on a limit curve is not differentiated.
func differentiate(f following, known map[string]formula.Dual, directions int) (formula.Dual, bool) {
	if f.curve {
		return formula.Dual{}, false
	}
	for _, name := range f.Expression.Names {
		if _, ok := known[name]; !ok {
			return formula.Dual{}, false
		}
	}
	dual, err := f.Expression.Differentiate(func(name string) formula.Dual { return known[name] }, directions)
	if err != nil || f.worst == nil || dual.Samples == nil {
		return dual, err == nil
	}
	worst, err := f.worst(*dual.Samples)
	if err != nil {
		return dual, false
	}
	for i, y := range dual.Samples.Y {
		if y != worst {
			continue
		}
		reduced := formula.Constant(formula.Scalar(y), directions)
		for direction, tangent := range dual.Tangents {
			if tangent != nil {
				reduced.Slopes[direction] = tangent.Y[i]
			}
		}
		return reduced, true
	}
	return dual, false
}
