package dynamics_test

import (
	"context"
	"fmt"

	"ropebench/core/dynamics"
	"ropebench/core/formula"
)

// A load lowered on a rope that brakes it: its speed falls to 1/e within the time constant.
func ExampleCompile() {
	parse := func(text string) formula.Expression {
		expression, err := formula.Parse(text)
		if err != nil {
			panic(err)
		}
		return expression
	}
	model, err := dynamics.Compile(dynamics.System{
		Inputs: []string{"constant"}, From: parse("0"), To: parse("constant"), Count: 3,
		States:   []dynamics.State{{Name: "speed", Start: parse("2"), Rate: parse("-speed/constant")}},
		Relative: 1e-9, Absolute: 1e-12,
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	solution, err := model.Solve(context.Background(), []float64{4})
	fmt.Printf("%v %.6f %v\n", solution.Curves[0].X, solution.Curves[0].Y, err)
	// Output: [0 2 4] [2.000000 1.213061 0.735759] <nil>
}
