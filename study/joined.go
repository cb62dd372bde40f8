package study

import (
	"context"

	"ropebench/core"
	"ropebench/model"
)

// A joined evaluator asks for a design under several conditions, and gives the values of all of them one behind the other. The outcome is
// OK where all are, and has the number of the first.
type joined struct {
	whole   core.Evaluator
	under   []model.Problem // the same inputs move; the others have the values of the condition
	columns int             // values of one evaluation
}

// join differentiates where the evaluator does.
func join(whole core.Evaluator, under []model.Problem, columns int) core.Evaluator {
	j := joined{whole: whole, under: under, columns: columns}
	if differentiator, differentiates := whole.(core.Differentiator); differentiates {
		return joinedDerivatives{joined: j, whole: differentiator}
	}
	return j
}

func (j joined) wholes(designs []core.Design) []core.Design {
	var wholes []core.Design
	for _, design := range designs {
		for _, p := range j.under {
			wholes = append(wholes, p.Whole(design))
		}
	}
	return wholes
}

// Evaluate implements core.Evaluator.
func (j joined) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := j.whole.Evaluate(ctx, j.wholes(designs))
	if err != nil {
		return nil, err
	}
	return j.combined(outcomes), nil
}

func (j joined) combined(outcomes []core.Outcome) []core.Outcome {
	var all []core.Outcome
	for from := 0; from < len(outcomes); from += len(j.under) {
		one := outcomes[from]
		one.Values = nil
		for _, outcome := range outcomes[from : from+len(j.under)] {
			one.Repeated = one.Repeated && outcome.Repeated
			if one.State == core.OK {
				one.State = outcome.State
			}
			one.Values = append(one.Values, outcome.Values...)
		}
		if one.State != core.OK {
			one.Values = nil
		}
		all = append(all, one)
	}
	return all
}

type joinedDerivatives struct {
	joined
	whole core.Differentiator
}

// Differentiate implements core.Differentiator.
func (j joinedDerivatives) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives, err := j.whole.Differentiate(ctx, j.wholes(designs))
	if err != nil {
		return nil, nil, err
	}
	all := make([]core.Derivatives, len(designs))
	for i := range designs {
		all[i] = j.stacked(derivatives[i*len(j.under) : (i+1)*len(j.under)])
	}
	return j.combined(outcomes), all, nil
}

// stacked puts the derivatives under all conditions below each other; nil where those under one are not known.
func (j joinedDerivatives) stacked(parts []core.Derivatives) core.Derivatives {
	width := len(j.under[0].Space)
	all := core.NewMatrix(len(parts)*j.columns, width)
	for g, part := range parts {
		if part == nil {
			return nil
		}
		for row := range part.Rows {
			copy(all.Row(g*j.columns+row), j.under[g].Part(part.Row(row)))
		}
	}
	return &all
}
