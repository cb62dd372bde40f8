// Package robust judges designs by what their values do under scatter: by statistics over draws that are the same for every design (common random
// numbers), so that a search sees a smooth function of its inputs.
package robust

import (
	"context"
	"math"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/uncertainty"
)

// A Value is a number of every draw: a column of the outcome, or with limits the least margin of these.
type Value struct {
	Column int
	Limits []core.Constraint
}

// at gives the number with the column that it hangs on, and by how much it grows with that.
func (v Value) at(values []float64) (number float64, column int, slope float64) {
	if v.Limits == nil {
		return values[v.Column], v.Column, 1
	}
	number = math.Inf(1)
	for _, c := range v.Limits {
		value := values[c.Value]
		if margin := c.Limit.Margin(value); margin < number {
			number, column, slope = margin, c.Value, 1
			if c.Limit.Upper-value < value-c.Limit.Lower {
				slope = -1
			}
		}
	}
	return number, column, slope
}

// A Statistic is taken of a value over the draws.
type Statistic struct {
	Value
	Of uncertainty.Statistic
}

// A Formula is made of statistics, by their places, and of what the design without scatter gives.
type Formula struct {
	formula.Expression
	Statistics map[string]int // by their names in the expression
}

// A Plain name of a formula is an input or a value of the design without scatter. One of Column and Axis is not negative where it moves: a column of the
// outcome, or an input of the design.
type Plain struct {
	Number       float64
	Column, Axis int
}

// An Evaluator answers a design with the values that it has without scatter, then its statistics, then its formulas. It fails where one of its draws does.
type Evaluator struct {
	Whole      core.Evaluator                         // of draws
	Draws      func(design core.Design) []core.Design // the design without scatter first; as many for every design
	Part       func(slopes []float64) []float64       // the derivatives of a draw by the inputs of a design
	Width      int                                    // values of one draw
	Statistics []Statistic
	Formulas   []Formula
	Plain      func(name string, design core.Design, values []float64) Plain
	See        func(design core.Design, outcome core.Outcome) // is told of every answer; nil: nobody is
}

// Evaluate implements core.Evaluator.
func (e Evaluator) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	draws, each := e.drawn(designs)
	outcomes, err := e.Whole.Evaluate(ctx, draws)
	if err != nil {
		return nil, err
	}
	all := make([]core.Outcome, len(designs))
	for i, design := range designs {
		all[i], _ = e.combined(design, outcomes[i*each:(i+1)*each], nil)
		e.told(design, all[i])
	}
	return all, nil
}

func (e Evaluator) told(design core.Design, outcome core.Outcome) {
	if e.See != nil {
		e.See(design, outcome)
	}
}

func (e Evaluator) drawn(designs []core.Design) (draws []core.Design, each int) {
	for _, design := range designs {
		of := e.Draws(design)
		draws, each = append(draws, of...), len(of)
	}
	return draws, each
}

// WithDerivatives is the evaluator, which differentiates where that of draws does.
func (e Evaluator) WithDerivatives() core.Evaluator {
	if whole, is := e.Whole.(core.Differentiator); is {
		return differentiating{Evaluator: e, whole: whole}
	}
	return e
}

type differentiating struct {
	Evaluator
	whole core.Differentiator
}

// Differentiate implements core.Differentiator.
func (e differentiating) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	draws, each := e.drawn(designs)
	outcomes, derivatives, err := e.whole.Differentiate(ctx, draws)
	if err != nil {
		return nil, nil, err
	}
	all, slopes := make([]core.Outcome, len(designs)), make([]core.Derivatives, len(designs))
	for i, design := range designs {
		all[i], slopes[i] = e.combined(design, outcomes[i*each:(i+1)*each], derivatives[i*each:(i+1)*each])
		e.told(design, all[i])
	}
	return all, slopes, nil
}

// combined is the outcome of a design by those of its draws, with derivatives where all of those are known.
func (e Evaluator) combined(design core.Design, outcomes []core.Outcome, derivatives []core.Derivatives) (core.Outcome, core.Derivatives) {
	whole := outcomes[0]
	for _, o := range outcomes {
		whole.Repeated = whole.Repeated && o.Repeated
		if whole.State == core.OK {
			whole.State = o.State
		}
	}
	if whole.State != core.OK {
		if whole.State != core.NotTried || outcomes[0].State != core.NotTried {
			whole.Values = nil
		} else {
			whole.Values = e.padded(outcomes[0].Values)
		}
		return whole, nil
	}
	slopes := e.slopesOf(design, derivatives)
	values := e.padded(outcomes[0].Values[:e.Width])
	taken := outcomes[1:]
	numbers, weights := make([]float64, len(taken)), make([]float64, len(taken))
	for k, s := range e.Statistics {
		for i, o := range taken {
			numbers[i], _, _ = s.at(o.Values)
		}
		values[e.Width+k] = s.Of(numbers, weights)
		if slopes == nil {
			continue
		}
		row := slopes.Row(e.Width + k)
		for i, o := range taken {
			_, column, sign := s.at(o.Values)
			for j, slope := range e.Part(derivatives[1+i].Row(column)) {
				if weights[i] != 0 {
					row[j] += weights[i] * sign * slope
				}
			}
		}
	}
	for k, f := range e.Formulas {
		e.compute(f, e.Width+len(e.Statistics)+k, design, values, slopes)
	}
	for _, value := range values {
		if math.IsNaN(value) || math.IsInf(value, 0) {
			return core.Outcome{State: core.Failed, Number: whole.Number, Repeated: whole.Repeated, Seconds: whole.Seconds}, nil
		}
	}
	whole.Values = values
	return whole, slopes
}

// padded are the values of the design without scatter, with room for the others, which are not known.
func (e Evaluator) padded(values []float64) []float64 {
	all := append(make([]float64, 0, e.Width+len(e.Statistics)+len(e.Formulas)), values...)
	for len(all) < cap(all) {
		all = append(all, math.NaN())
	}
	return all
}

// slopesOf has the derivatives of the design without scatter, and room for the others; nil where one is not known.
func (e Evaluator) slopesOf(design core.Design, derivatives []core.Derivatives) core.Derivatives {
	if derivatives == nil {
		return nil
	}
	for _, of := range derivatives {
		if of == nil {
			return nil
		}
	}
	slopes := core.NewMatrix(e.Width+len(e.Statistics)+len(e.Formulas), len(design))
	for row := range e.Width {
		copy(slopes.Row(row), e.Part(derivatives[0].Row(row)))
	}
	return &slopes
}

// compute fills in the value of a formula, and its derivatives where those of the others are known.
func (e Evaluator) compute(f Formula, at int, design core.Design, values []float64, slopes core.Derivatives) {
	known := map[string]formula.Dual{}
	for _, name := range f.Names {
		number, row := 0.0, -1
		plain := Plain{Column: -1, Axis: -1}
		if k, is := f.Statistics[name]; is {
			number, row = values[e.Width+k], e.Width+k
		} else {
			plain = e.Plain(name, design, values)
			number, row = plain.Number, plain.Column
		}
		dual := formula.Constant(formula.Scalar(number), len(design))
		switch {
		case slopes != nil && row >= 0:
			copy(dual.Derivatives, slopes.Row(row))
		case plain.Axis >= 0:
			dual.Derivatives[plain.Axis] = 1
		}
		known[name] = dual
	}
	dual, err := f.Differentiate(func(name string) formula.Dual { return known[name] }, len(design))
	if err != nil {
		values[at] = math.NaN()
		return
	}
	values[at] = dual.Number
	if slopes != nil {
		copy(slopes.Row(at), dual.Derivatives)
	}
}
