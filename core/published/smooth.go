package published

import (
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/space"
)

// A Smooth is a problem with one objective to be made least and limits, all formulas of x1, x2, ... with derivatives.
type Smooth struct {
	Name     string
	Range    [2]float64         // of every input
	Ranges   map[int][2]float64 // of the inputs, counted from 1, that have another
	Start    []float64
	Formula  string
	AtLeast0 []string // formulas that may not be negative
	Equal0   []string // formulas that are 0, to Within
	Best     float64
}

// Within is the tolerance of equations.
const Within = 1e-6

// Space is that of the inputs.
func (s Smooth) Space() space.Space {
	inputs := make(space.Space, len(s.Start))
	for j := range inputs {
		r, own := s.Ranges[j+1]
		if !own {
			r = s.Range
		}
		inputs[j] = space.Input{Name: fmt.Sprintf("x%d", j+1), Lower: r[0], Upper: r[1]}
	}
	return inputs
}

// Goal is to make the first value least and to keep the others.
func (s Smooth) Goal() core.Goal {
	goal := core.Goal{Objectives: []core.Objective{{}}}
	for range s.AtLeast0 {
		goal.Constraints = append(goal.Constraints, core.Constraint{Value: 1 + len(goal.Constraints), Limit: core.Limit{Lower: 0, Upper: math.Inf(1)}})
	}
	for range s.Equal0 {
		goal.Constraints = append(goal.Constraints, core.Constraint{Value: 1 + len(goal.Constraints), Limit: core.Limit{Lower: -Within, Upper: Within}, Equal: true})
	}
	return goal
}

// Program computes the objective and then the constraints from the inputs.
func (s Smooth) Program() (*formula.Program, error) {
	var names []string
	for _, in := range s.Space() {
		names = append(names, in.Name)
	}
	var definitions []formula.Definition
	for i, text := range append(append([]string{s.Formula}, s.AtLeast0...), s.Equal0...) {
		expression, err := formula.Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", s.Name, err)
		}
		definitions = append(definitions, formula.Definition{Name: fmt.Sprintf("value%d", i), Expression: expression})
	}
	return formula.Compile(names, definitions)
}

// Reached is true for an objective that is the best known one, relative where that is larger than 1.
func (s Smooth) Reached(objective, tolerance float64) bool {
	return objective-s.Best <= tolerance*math.Max(1, math.Abs(s.Best))
}

// SmoothExamples are problems of W. Hock and K. Schittkowski, Test Examples for Nonlinear Programming Codes (1981), by their
// numbers there. Inputs without bounds have wide ranges instead.
var SmoothExamples = []Smooth{
	{Name: "1", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{2: {-1.5, 10}}, Start: []float64{-2, 1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", Best: 0},
	{Name: "2", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{2: {1.5, 10}}, Start: []float64{-2, 1.5}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", Best: 0.0504261879},
	{Name: "3", Range: [2]float64{-20, 20}, Ranges: map[int][2]float64{2: {0, 20}}, Start: []float64{10, 1}, Formula: "x2 + 1e-5*(x2 - x1)^2", Best: 0},
	{Name: "4", Range: [2]float64{1, 10}, Ranges: map[int][2]float64{2: {0, 10}}, Start: []float64{1.125, 0.125}, Formula: "(x1 + 1)^3/3 + x2", Best: 8.0 / 3},
	{Name: "5", Range: [2]float64{-1.5, 4}, Ranges: map[int][2]float64{2: {-3, 3}}, Start: []float64{0, 0}, Formula: "sin(x1 + x2) + (x1 - x2)^2 - 1.5*x1 + 2.5*x2 + 1", Best: -1.91322295},
	{Name: "6", Range: [2]float64{-10, 10}, Start: []float64{-1.2, 1}, Formula: "(1 - x1)^2", Equal0: []string{"10*(x2 - x1^2)"}, Best: 0},
	{Name: "7", Range: [2]float64{-10, 10}, Start: []float64{2, 2}, Formula: "log(1 + x1^2) - x2", Equal0: []string{"(1 + x1^2)^2 + x2^2 - 4"}, Best: -1.7320508},
	{Name: "9", Range: [2]float64{-20, 20}, Start: []float64{0, 0}, Formula: "sin(pi*x1/12)*cos(pi*x2/16)", Equal0: []string{"4*x1 - 3*x2"}, Best: -0.5},
	{Name: "10", Range: [2]float64{-20, 20}, Start: []float64{-10, 10}, Formula: "x1 - x2", AtLeast0: []string{"-3*x1^2 + 2*x1*x2 - x2^2 + 1"}, Best: -1},
	{Name: "11", Range: [2]float64{-10, 10}, Start: []float64{4.9, 0.1}, Formula: "(x1 - 5)^2 + x2^2 - 25", AtLeast0: []string{"-x1^2 + x2"}, Best: -8.498464223},
	{Name: "12", Range: [2]float64{-10, 10}, Start: []float64{0, 0}, Formula: "0.5*x1^2 + x2^2 - x1*x2 - 7*x1 - 7*x2", AtLeast0: []string{"25 - 4*x1^2 - x2^2"}, Best: -30},
	{Name: "13", Range: [2]float64{0, 10}, Start: []float64{0, 0}, Formula: "(x1 - 2)^2 + x2^2", AtLeast0: []string{"(1 - x1)^3 - x2"}, Best: 1},
	{Name: "14", Range: [2]float64{-10, 10}, Start: []float64{2, 2}, Formula: "(x1 - 2)^2 + (x2 - 1)^2", AtLeast0: []string{"-0.25*x1^2 - x2^2 + 1"}, Equal0: []string{"x1 - 2*x2 + 1"}, Best: 1.39346498},
	{Name: "15", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{1: {-10, 0.5}}, Start: []float64{-2, 1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", AtLeast0: []string{"x1*x2 - 1", "x1 + x2^2"}, Best: 306.5},
	{Name: "16", Range: [2]float64{-0.5, 0.5}, Ranges: map[int][2]float64{2: {-10, 1}}, Start: []float64{-0.5, 1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", AtLeast0: []string{"x1 + x2^2", "x1^2 + x2"}, Best: 0.25},
	{Name: "17", Range: [2]float64{-0.5, 0.5}, Ranges: map[int][2]float64{2: {-10, 1}}, Start: []float64{-0.5, 1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", AtLeast0: []string{"x2^2 - x1", "x1^2 - x2"}, Best: 1},
	{Name: "18", Range: [2]float64{2, 50}, Ranges: map[int][2]float64{2: {0, 50}}, Start: []float64{2, 2}, Formula: "0.01*x1^2 + x2^2", AtLeast0: []string{"x1*x2 - 25", "x1^2 + x2^2 - 25"}, Best: 5},
	{Name: "20", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{1: {-0.5, 0.5}}, Start: []float64{-0.5, 1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2", AtLeast0: []string{"x1 + x2^2", "x1^2 + x2", "x1^2 + x2^2 - 1"}, Best: 38.19872981},
	{Name: "21", Range: [2]float64{-50, 50}, Ranges: map[int][2]float64{1: {2, 50}}, Start: []float64{2, -1}, Formula: "0.01*x1^2 + x2^2 - 100", AtLeast0: []string{"10*x1 - x2 - 10"}, Best: -99.96},
	{Name: "22", Range: [2]float64{-10, 10}, Start: []float64{2, 2}, Formula: "(x1 - 2)^2 + (x2 - 1)^2", AtLeast0: []string{"-x1 - x2 + 2", "-x1^2 + x2"}, Best: 1},
	{Name: "23", Range: [2]float64{-50, 50}, Start: []float64{3, 1}, Formula: "x1^2 + x2^2", AtLeast0: []string{"x1 + x2 - 1", "x1^2 + x2^2 - 1", "9*x1^2 + x2^2 - 9", "x1^2 - x2", "x2^2 - x1"}, Best: 2},
	{Name: "24", Range: [2]float64{0, 10}, Start: []float64{1, 0.5}, Formula: "((x1 - 3)^2 - 9)*x2^3/(27*sqrt(3))", AtLeast0: []string{"x1/sqrt(3) - x2", "x1 + sqrt(3)*x2", "6 - x1 - sqrt(3)*x2"}, Best: -1},
	{Name: "26", Range: [2]float64{-10, 10}, Start: []float64{-2.6, 2, 2}, Formula: "(x1 - x2)^2 + (x2 - x3)^4", Equal0: []string{"(1 + x2^2)*x1 + x3^4 - 3"}, Best: 0},
	{Name: "27", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2}, Formula: "0.01*(x1 - 1)^2 + (x2 - x1^2)^2", Equal0: []string{"x1 + x3^2 + 1"}, Best: 0.04},
	{Name: "28", Range: [2]float64{-10, 10}, Start: []float64{-4, 1, 1}, Formula: "(x1 + x2)^2 + (x2 + x3)^2", Equal0: []string{"x1 + 2*x2 + 3*x3 - 1"}, Best: 0},
	{Name: "29", Range: [2]float64{-10, 10}, Start: []float64{1, 1, 1}, Formula: "-x1*x2*x3", AtLeast0: []string{"-x1^2 - 2*x2^2 - 4*x3^2 + 48"}, Best: -22.627417},
	{Name: "30", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{1: {1, 10}}, Start: []float64{1, 1, 1}, Formula: "x1^2 + x2^2 + x3^2", AtLeast0: []string{"x1^2 + x2^2 - 1"}, Best: 1},
	{Name: "31", Range: [2]float64{-10, 10}, Ranges: map[int][2]float64{2: {1, 10}, 3: {-10, 1}}, Start: []float64{1, 1, 1}, Formula: "9*x1^2 + x2^2 + 9*x3^2", AtLeast0: []string{"x1*x2 - 1"}, Best: 6},
	{Name: "32", Range: [2]float64{0, 10}, Start: []float64{0.1, 0.7, 0.2}, Formula: "(x1 + 3*x2 + x3)^2 + 4*(x1 - x2)^2", AtLeast0: []string{"6*x2 + 4*x3 - x1^3 - 3"}, Equal0: []string{"1 - x1 - x2 - x3"}, Best: 1},
	{Name: "33", Range: [2]float64{0, 10}, Ranges: map[int][2]float64{3: {0, 5}}, Start: []float64{0, 0, 3}, Formula: "(x1 - 1)*(x1 - 2)*(x1 - 3) + x3", AtLeast0: []string{"x3^2 - x2^2 - x1^2", "x1^2 + x2^2 + x3^2 - 4"}, Best: -4.585786438},
	{Name: "34", Range: [2]float64{0, 100}, Ranges: map[int][2]float64{3: {0, 10}}, Start: []float64{0, 1.05, 2.9}, Formula: "-x1", AtLeast0: []string{"x2 - exp(x1)", "x3 - exp(x2)"}, Best: -0.83403245},
	{Name: "35", Range: [2]float64{0, 10}, Start: []float64{0.5, 0.5, 0.5}, Formula: "9 - 8*x1 - 6*x2 - 4*x3 + 2*x1^2 + 2*x2^2 + x3^2 + 2*x1*x2 + 2*x1*x3", AtLeast0: []string{"3 - x1 - x2 - 2*x3"}, Best: 1.0 / 9},
	{Name: "36", Range: [2]float64{0, 20}, Ranges: map[int][2]float64{2: {0, 11}, 3: {0, 42}}, Start: []float64{10, 10, 10}, Formula: "-x1*x2*x3", AtLeast0: []string{"72 - x1 - 2*x2 - 2*x3"}, Best: -3300},
	{Name: "37", Range: [2]float64{0, 42}, Start: []float64{10, 10, 10}, Formula: "-x1*x2*x3", AtLeast0: []string{"72 - x1 - 2*x2 - 2*x3", "x1 + 2*x2 + 2*x3"}, Best: -3456},
	{Name: "38", Range: [2]float64{-10, 10}, Start: []float64{-3, -1, -3, -1}, Formula: "100*(x2 - x1^2)^2 + (1 - x1)^2 + 90*(x4 - x3^2)^2 + (1 - x3)^2 + 10.1*((x2 - 1)^2 + (x4 - 1)^2) + 19.8*(x2 - 1)*(x4 - 1)", Best: 0},
	{Name: "39", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2, 2}, Formula: "-x1", Equal0: []string{"x2 - x1^3 - x3^2", "x1^2 - x2 - x4^2"}, Best: -1},
	{Name: "40", Range: [2]float64{-10, 10}, Start: []float64{0.8, 0.8, 0.8, 0.8}, Formula: "-x1*x2*x3*x4", Equal0: []string{"x1^3 + x2^2 - 1", "x1^2*x4 - x3", "x4^2 - x2"}, Best: -0.25},
	{Name: "41", Range: [2]float64{0, 1}, Ranges: map[int][2]float64{4: {0, 2}}, Start: []float64{1, 1, 1, 2}, Formula: "2 - x1*x2*x3", Equal0: []string{"x1 + 2*x2 + 2*x3 - x4"}, Best: 1.925925926},
	{Name: "42", Range: [2]float64{-10, 10}, Start: []float64{1, 1, 1, 1}, Formula: "(x1 - 1)^2 + (x2 - 2)^2 + (x3 - 3)^2 + (x4 - 4)^2", Equal0: []string{"x1 - 2", "x3^2 + x4^2 - 2"}, Best: 13.85786438},
	{Name: "43", Range: [2]float64{-10, 10}, Start: []float64{0, 0, 0, 0}, Formula: "x1^2 + x2^2 + 2*x3^2 + x4^2 - 5*x1 - 5*x2 - 21*x3 + 7*x4", AtLeast0: []string{"-x1^2 - x2^2 - x3^2 - x4^2 - x1 + x2 - x3 + x4 + 8", "-x1^2 - 2*x2^2 - x3^2 - 2*x4^2 + x1 + x4 + 10", "-2*x1^2 - x2^2 - x3^2 - 2*x1 + x2 + x4 + 5"}, Best: -44},
	{Name: "44", Range: [2]float64{0, 10}, Start: []float64{0, 0, 0, 0}, Formula: "x1 - x2 - x3 - x1*x3 + x1*x4 + x2*x3 - x2*x4", AtLeast0: []string{"8 - x1 - 2*x2", "12 - 4*x1 - x2", "12 - 3*x1 - 4*x2", "8 - 2*x3 - x4", "8 - x3 - 2*x4", "5 - x3 - x4"}, Best: -15},
	{Name: "45", Range: [2]float64{0, 1}, Ranges: map[int][2]float64{2: {0, 2}, 3: {0, 3}, 4: {0, 4}, 5: {0, 5}}, Start: []float64{1, 2, 2, 2, 2}, Formula: "2 - x1*x2*x3*x4*x5/120", Best: 1},
	{Name: "46", Range: [2]float64{-10, 10}, Start: []float64{0.70710678, 1.75, 0.5, 2, 2}, Formula: "(x1 - x2)^2 + (x3 - 1)^2 + (x4 - 1)^4 + (x5 - 1)^6", Equal0: []string{"x1^2*x4 + sin(x4 - x5) - 1", "x2 + x3^4*x4^2 - 2"}, Best: 0},
	{Name: "48", Range: [2]float64{-10, 10}, Start: []float64{3, 5, -3, 2, -2}, Formula: "(x1 - 1)^2 + (x2 - x3)^2 + (x4 - x5)^2", Equal0: []string{"x1 + x2 + x3 + x4 + x5 - 5", "x3 - 2*(x4 + x5) + 3"}, Best: 0},
	{Name: "49", Range: [2]float64{-20, 20}, Start: []float64{10, 7, 2, -3, 0.8}, Formula: "(x1 - x2)^2 + (x3 - 1)^2 + (x4 - 1)^4 + (x5 - 1)^6", Equal0: []string{"x1 + x2 + x3 + 4*x4 - 7", "x3 + 5*x5 - 6"}, Best: 0},
	{Name: "50", Range: [2]float64{-50, 50}, Start: []float64{35, -31, 11, 5, -5}, Formula: "(x1 - x2)^2 + (x2 - x3)^2 + (x3 - x4)^4 + (x4 - x5)^2", Equal0: []string{"x1 + 2*x2 + 3*x3 - 6", "x2 + 2*x3 + 3*x4 - 6", "x3 + 2*x4 + 3*x5 - 6"}, Best: 0},
	{Name: "51", Range: [2]float64{-10, 10}, Start: []float64{2.5, 0.5, 2, -1, 0.5}, Formula: "(x1 - x2)^2 + (x2 + x3 - 2)^2 + (x4 - 1)^2 + (x5 - 1)^2", Equal0: []string{"x1 + 3*x2 - 4", "x3 + x4 - 2*x5", "x2 - x5"}, Best: 0},
	{Name: "52", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2, 2, 2}, Formula: "(4*x1 - x2)^2 + (x2 + x3 - 2)^2 + (x4 - 1)^2 + (x5 - 1)^2", Equal0: []string{"x1 + 3*x2", "x3 + x4 - 2*x5", "x2 - x5"}, Best: 5.326647564},
	{Name: "53", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2, 2, 2}, Formula: "(x1 - x2)^2 + (x2 + x3 - 2)^2 + (x4 - 1)^2 + (x5 - 1)^2", Equal0: []string{"x1 + 3*x2", "x3 + x4 - 2*x5", "x2 - x5"}, Best: 4.093023256},
	{Name: "60", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2}, Formula: "(x1 - 1)^2 + (x1 - x2)^2 + (x2 - x3)^4", Equal0: []string{"x1*(1 + x2^2) + x3^4 - 4 - 3*sqrt(2)"}, Best: 0.03256820025},
	{Name: "61", Range: [2]float64{-10, 10}, Start: []float64{0, 0, 0}, Formula: "4*x1^2 + 2*x2^2 + 2*x3^2 - 33*x1 + 16*x2 - 24*x3", Equal0: []string{"3*x1 - 2*x2^2 - 7", "4*x1 - x3^2 - 11"}, Best: -143.6461422},
	{Name: "62", Range: [2]float64{0, 1}, Start: []float64{0.7, 0.2, 0.1}, Formula: "-32.174*(255*log((x1 + x2 + x3 + 0.03)/(0.09*x1 + x2 + x3 + 0.03)) + 280*log((x2 + x3 + 0.03)/(0.07*x2 + x3 + 0.03)) + 290*log((x3 + 0.03)/(0.13*x3 + 0.03)))", Equal0: []string{"x1 + x2 + x3 - 1"}, Best: -26272.51448},
	{Name: "63", Range: [2]float64{0, 10}, Start: []float64{2, 2, 2}, Formula: "1000 - x1^2 - 2*x2^2 - x3^2 - x1*x2 - x1*x3", Equal0: []string{"8*x1 + 14*x2 + 7*x3 - 56", "x1^2 + x2^2 + x3^2 - 25"}, Best: 961.7151721},
	{Name: "64", Range: [2]float64{1e-5, 1000}, Start: []float64{1, 1, 1}, Formula: "5*x1 + 50000/x1 + 20*x2 + 72000/x2 + 10*x3 + 144000/x3", AtLeast0: []string{"1 - 4/x1 - 32/x2 - 120/x3"}, Best: 6299.842428},
	{Name: "65", Range: [2]float64{-4.5, 4.5}, Ranges: map[int][2]float64{3: {-5, 5}}, Start: []float64{-4.5, 4.5, 0}, Formula: "(x1 - x2)^2 + (x1 + x2 - 10)^2/9 + (x3 - 5)^2", AtLeast0: []string{"48 - x1^2 - x2^2 - x3^2"}, Best: 0.9535288567},
	{Name: "66", Range: [2]float64{0, 100}, Ranges: map[int][2]float64{3: {0, 10}}, Start: []float64{0, 1.05, 2.9}, Formula: "0.2*x3 - 0.8*x1", AtLeast0: []string{"x2 - exp(x1)", "x3 - exp(x2)"}, Best: 0.5181632741},
	{Name: "71", Range: [2]float64{1, 5}, Start: []float64{1, 5, 5, 1}, Formula: "x1*x4*(x1 + x2 + x3) + x3", AtLeast0: []string{"x1*x2*x3*x4 - 25"}, Equal0: []string{"x1^2 + x2^2 + x3^2 + x4^2 - 40"}, Best: 17.0140173},
	{Name: "72", Range: [2]float64{0.001, 4e5}, Ranges: map[int][2]float64{2: {0.001, 3e5}, 3: {0.001, 2e5}, 4: {0.001, 1e5}}, Start: []float64{1, 1, 1, 1}, Formula: "1 + x1 + x2 + x3 + x4", AtLeast0: []string{"0.0401 - 4/x1 - 2.25/x2 - 1/x3 - 0.25/x4", "0.010085 - 0.16/x1 - 0.36/x2 - 0.64/x3 - 0.64/x4"}, Best: 727.67937},
	{Name: "73", Range: [2]float64{0, 1}, Start: []float64{1, 1, 1, 1}, Formula: "24.55*x1 + 26.75*x2 + 39*x3 + 40.5*x4", AtLeast0: []string{"2.3*x1 + 5.6*x2 + 11.1*x3 + 1.3*x4 - 5", "12*x1 + 11.9*x2 + 41.8*x3 + 52.1*x4 - 21 - 1.645*sqrt(0.28*x1^2 + 0.19*x2^2 + 20.5*x3^2 + 0.62*x4^2)"}, Equal0: []string{"x1 + x2 + x3 + x4 - 1"}, Best: 29.8943781},
	{Name: "76", Range: [2]float64{0, 10}, Start: []float64{0.5, 0.5, 0.5, 0.5}, Formula: "x1^2 + 0.5*x2^2 + x3^2 + 0.5*x4^2 - x1*x3 + x3*x4 - x1 - 3*x2 + x3 - x4", AtLeast0: []string{"5 - x1 - 2*x2 - x3 - x4", "4 - 3*x1 - x2 - 2*x3 + x4", "x2 + 4*x3 - 1.5"}, Best: -4.681818181},
	{Name: "77", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2, 2, 2}, Formula: "(x1 - 1)^2 + (x1 - x2)^2 + (x3 - 1)^2 + (x4 - 1)^4 + (x5 - 1)^6", Equal0: []string{"x1^2*x4 + sin(x4 - x5) - 2*sqrt(2)", "x2 + x3^4*x4^2 - 8 - sqrt(2)"}, Best: 0.24150513},
	{Name: "78", Range: [2]float64{-10, 10}, Start: []float64{-2, 1.5, 2, -1, -1}, Formula: "x1*x2*x3*x4*x5", Equal0: []string{"x1^2 + x2^2 + x3^2 + x4^2 + x5^2 - 10", "x2*x3 - 5*x4*x5", "x1^3 + x2^3 + 1"}, Best: -2.91970041},
	{Name: "79", Range: [2]float64{-10, 10}, Start: []float64{2, 2, 2, 2, 2}, Formula: "(x1 - 1)^2 + (x1 - x2)^2 + (x2 - x3)^2 + (x3 - x4)^4 + (x4 - x5)^4", Equal0: []string{"x1 + x2^2 + x3^3 - 2 - 3*sqrt(2)", "x2 - x3^2 + x4 + 2 - 2*sqrt(2)", "x1*x5 - 2"}, Best: 0.0787768209},
	{Name: "80", Range: [2]float64{-3.2, 3.2}, Ranges: map[int][2]float64{1: {-2.3, 2.3}, 2: {-2.3, 2.3}}, Start: []float64{-2, 2, 2, -1, -1}, Formula: "exp(x1*x2*x3*x4*x5)", Equal0: []string{"x1^2 + x2^2 + x3^2 + x4^2 + x5^2 - 10", "x2*x3 - 5*x4*x5", "x1^3 + x2^3 + 1"}, Best: 0.0539498478},
	{Name: "81", Range: [2]float64{-3.2, 3.2}, Ranges: map[int][2]float64{1: {-2.3, 2.3}, 2: {-2.3, 2.3}}, Start: []float64{-2, 2, 2, -1, -1}, Formula: "exp(x1*x2*x3*x4*x5) - 0.5*(x1^3 + x2^3 + 1)^2", Equal0: []string{"x1^2 + x2^2 + x3^2 + x4^2 + x5^2 - 10", "x2*x3 - 5*x4*x5", "x1^3 + x2^3 + 1"}, Best: 0.0539498478},
	{Name: "93", Range: [2]float64{0.01, 30}, Start: []float64{5.54, 4.4, 12.02, 11.82, 0.702, 0.852}, Formula: "0.0204*x1*x4*(x1 + x2 + x3) + 0.0187*x2*x3*(x1 + 1.57*x2 + x4) + 0.0607*x1*x4*x5^2*(x1 + x2 + x3) + 0.0437*x2*x3*x6^2*(x1 + 1.57*x2 + x4)", AtLeast0: []string{"0.001*x1*x2*x3*x4*x5*x6 - 2.07", "1 - 0.00062*x1*x4*x5^2*(x1 + x2 + x3) - 0.00058*x2*x3*x6^2*(x1 + 1.57*x2 + x4)"}, Best: 135.075961},
	{Name: "100", Range: [2]float64{-10, 10}, Start: []float64{1, 2, 0, 4, 0, 1, 1}, Formula: "(x1 - 10)^2 + 5*(x2 - 12)^2 + x3^4 + 3*(x4 - 11)^2 + 10*x5^6 + 7*x6^2 + x7^4 - 4*x6*x7 - 10*x6 - 8*x7", AtLeast0: []string{"127 - 2*x1^2 - 3*x2^4 - x3 - 4*x4^2 - 5*x5", "282 - 7*x1 - 3*x2 - 10*x3^2 - x4 + x5", "196 - 23*x1 - x2^2 - 6*x6^2 + 8*x7", "-4*x1^2 - x2^2 + 3*x1*x2 - 2*x3^2 - 5*x6 + 11*x7"}, Best: 680.6300573},
	{Name: "110", Range: [2]float64{2.001, 9.999}, Start: []float64{9, 9, 9, 9, 9, 9, 9, 9, 9, 9}, Formula: "log(x1 - 2)^2 + log(10 - x1)^2 + log(x2 - 2)^2 + log(10 - x2)^2 + log(x3 - 2)^2 + log(10 - x3)^2 + log(x4 - 2)^2 + log(10 - x4)^2 + log(x5 - 2)^2 + log(10 - x5)^2 + log(x6 - 2)^2 + log(10 - x6)^2 + log(x7 - 2)^2 + log(10 - x7)^2 + log(x8 - 2)^2 + log(10 - x8)^2 + log(x9 - 2)^2 + log(10 - x9)^2 + log(x10 - 2)^2 + log(10 - x10)^2 - (x1*x2*x3*x4*x5*x6*x7*x8*x9*x10)^0.2", Best: -45.77846971},
	{Name: "113", Range: [2]float64{-10, 20}, Start: []float64{2, 3, 5, 5, 1, 2, 7, 3, 6, 10}, Formula: "x1^2 + x2^2 + x1*x2 - 14*x1 - 16*x2 + (x3 - 10)^2 + 4*(x4 - 5)^2 + (x5 - 3)^2 + 2*(x6 - 1)^2 + 5*x7^2 + 7*(x8 - 11)^2 + 2*(x9 - 10)^2 + (x10 - 7)^2 + 45", AtLeast0: []string{"105 - 4*x1 - 5*x2 + 3*x7 - 9*x8", "-10*x1 + 8*x2 + 17*x7 - 2*x8", "8*x1 - 2*x2 - 5*x9 + 2*x10 + 12", "-3*(x1 - 2)^2 - 4*(x2 - 3)^2 - 2*x3^2 + 7*x4 + 120", "-5*x1^2 - 8*x2 - (x3 - 6)^2 + 2*x4 + 40", "-0.5*(x1 - 8)^2 - 2*(x2 - 4)^2 - 3*x5^2 + x6 + 30", "-x1^2 - 2*(x2 - 2)^2 + 2*x1*x2 - 14*x5 + 6*x6", "3*x1 - 6*x2 - 12*(x9 - 8)^2 + 7*x10"}, Best: 24.3062091},
}
