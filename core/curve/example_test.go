package curve_test

import (
	"fmt"

	"ropebench/core/curve"
)

// Numbers are taken from a curve; between its points it is straight.
func ExampleCurve() {
	force := curve.Curve{X: []float64{0, 1, 2, 4}, Y: []float64{0, 6, 2, 0}}
	at, _ := force.FirstCrossing(3)
	fmt.Println(force.Peak(), force.Integral(), at)
	// Output: 6 9 0.5
}
