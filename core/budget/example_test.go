package budget_test

import (
	"context"
	"errors"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/budget"
)

// A method asks on an account, which counts, keeps the best, and says when there is nothing left to pay with.
func ExampleOpen() {
	mass := core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{40 * x[0] * x[0]}} })
	lightest := core.Goal{Objectives: []core.Objective{{Value: 0}}}
	account := budget.Open(mass, lightest, budget.Limits{Evaluations: 2, Designs: math.Inf(1)})

	answers, err := account.Ask(context.Background(), []core.Design{{0.3}, {0.2}, {0.1}})
	var ended budget.Ended
	fmt.Println(len(answers), errors.As(err, &ended), ended.Cause)
	fmt.Println(account.Best().Design, account.Best().Outcome.Values)
	// Output:
	// 2 true budget
	// [0.2] [1.6]
}
