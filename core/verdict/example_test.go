package verdict_test

import (
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/verdict"
)

// A reserve keeps a value away from its limit: inside of it the limit is met, but only just.
func ExampleJudge() {
	limit := core.Limit{Lower: math.Inf(-1), Upper: 2.5, Reserve: 0.1}
	for _, peak := range []float64{2.3, 2.45, 2.6} {
		fmt.Println(peak, verdict.Judge(limit, peak))
	}
	// Output:
	// 2.3 met
	// 2.45 met_without_reserve
	// 2.6 missed
}
