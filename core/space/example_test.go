package space_test

import (
	"fmt"

	"ropebench/core/space"
)

// Methods move in the unit cube; the space says which design a point of it is.
func ExampleSpace_Design() {
	inputs := space.Space{{Name: "rate", Lower: 0.1, Upper: 10, Log: true}, {Name: "springs", Lower: 1, Upper: 6, Step: 1}}
	fmt.Printf("%.3f\n", inputs.Design([]float64{0.5, 0.99}))
	// Output: [1.000 6.000]
}
