package optimize

import (
	"context"
	"os"
	"slices"
	"strconv"

	"ropebench/core"
)

// withDerivatives gives an evaluator derivatives: a row for each value, of every design that it could do.
type withDerivatives struct {
	core.Evaluator
	rows func(x core.Design) [][]float64
}

func (e withDerivatives) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := e.Evaluate(ctx, designs)
	all := make([]core.Derivatives, len(outcomes))
	for i, outcome := range outcomes {
		if outcome.Values != nil {
			m := core.MatrixOf(e.rows(designs[i]))
			all[i] = &m
		}
	}
	return outcomes, all, err
}

// central gives the derivatives of values by differences to both sides.
func central(values func(core.Design) []float64, step float64) func(core.Design) [][]float64 {
	return func(x core.Design) [][]float64 {
		rows := make([][]float64, len(values(x)))
		for j := range x {
			there, back := slices.Clone(x), slices.Clone(x)
			there[j], back[j] = x[j]+step, x[j]-step
			high, low := values(there), values(back)
			for k := range rows {
				rows[k] = append(rows[k], (high[k]-low[k])/(2*step))
			}
		}
		return rows
	}
}

// problemsAsked is how many random problems a test tries, and the first of them: ROPEBENCH_PROBLEMS and ROPEBENCH_FIRST ask for others.
func problemsAsked(usual int) (first, count int) {
	count = usual
	if many, err := strconv.Atoi(os.Getenv("ROPEBENCH_PROBLEMS")); err == nil {
		count = many
	}
	if from, err := strconv.Atoi(os.Getenv("ROPEBENCH_FIRST")); err == nil {
		first = from
	}
	return first, count
}
