package optimize_test

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// The lightest drum that takes 5 m of rope: its mass is 40*radius^2*turns, its rope 2*pi*radius*turns.
func ExampleAuto() {
	drum := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		radius, turns := x[0], x[1]
		return core.Outcome{Values: []float64{40 * radius * radius * turns, 2 * math.Pi * radius * turns}}
	})
	problem := optimize.Problem{
		Space: space.Space{{Name: "radius", Lower: 0.01, Upper: 0.5}, {Name: "turns", Lower: 2, Upper: 20, Step: 1}},
		Goal: core.Goal{
			Objectives:  []core.Objective{{Value: 0}},
			Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: 5, Upper: math.Inf(1)}}},
		},
	}
	result, err := optimize.Auto(context.Background(), problem, drum, optimize.Options{Seed: 1, Budget: 600}, nil)
	fmt.Printf("radius %.3f m, %g turns, feasible %v, ended by %s, %v\n", result.Best.Design[0], result.Best.Design[1], result.Best.Rank.Feasible(), result.Cause, err)
	// Output: radius 0.040 m, 20 turns, feasible true, ended by budget, <nil>
}
