package plan_test

import (
	"context"
	"fmt"

	"ropebench/core/plan"
)

// Without a generator the sequence is not shifted: it begins at the origin.
func ExampleSobol() {
	points, err := plan.All(context.Background(), plan.Sobol, nil, 4, make([]int, 2))
	fmt.Println(points, err)
	// Output: [[0 0] [0.5 0.5] [0.75 0.25] [0.25 0.75]] <nil>
}
