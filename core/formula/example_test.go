package formula_test

import (
	"fmt"

	"ropebench/core"
	"ropebench/core/formula"
)

// Formulas are compiled together: a later one reads the names of earlier ones, and a batch is a matrix.
func ExampleCompile() {
	torque, _ := formula.Parse("load*radius")
	power, _ := formula.Parse("torque*2*pi*3")
	program, err := formula.Compile([]string{"load", "radius"}, []formula.Definition{{Name: "torque", Expression: torque}, {Name: "power", Expression: power}})
	if err != nil {
		fmt.Println(err)
		return
	}
	values := core.NewMatrix(2, 2)
	program.NewMachine().Eval(core.MatrixOf([][]float64{{800, 0.25}, {400, 0.5}}), values)
	fmt.Printf("%.1f %.1f\n", values.Row(0), values.Row(1))
	// Output: [200.0 3769.9] [200.0 3769.9]
}

// Errors say where in the formula, and what was perhaps meant.
func ExampleParse() {
	_, err := formula.Parse("2*sqr(load)")
	fmt.Println(err)
	// Output: there is no function sqr; did you mean sqrt?
}
