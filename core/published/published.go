// Package published has functions of the literature whose indices and surfaces are known: for the tests of methods, and for figures.
package published

import (
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// A Function takes inputs that are uniform from 0 to 1, and scales them within.
type Function struct {
	Name   string
	Inputs int
	Of     func(core.Design) float64
	// First and Total are the indices in closed form; nil: there is none.
	First, Total []float64
}

// Space is that of the inputs.
func (f Function) Space() space.Space { return Cube(f.Inputs) }

// Cube is a space of inputs from 0 to 1, named x1 and so on.
func Cube(inputs int) space.Space {
	s := make(space.Space, inputs)
	for j := range s {
		s[j] = space.Input{Name: fmt.Sprintf("x%d", j+1), Upper: 1}
	}
	return s
}

// scaled gives the inputs their ranges.
func scaled(u core.Design, lower, upper []float64) []float64 {
	v := make([]float64, len(u))
	for j := range v {
		v[j] = lower[j] + u[j]*(upper[j]-lower[j])
	}
	return v
}

// Ishigami is that of T. Ishigami, T. Homma, Proc. ISUMA (1990).
func Ishigami() Function {
	const a, b = 7.0, 0.1
	pi4 := math.Pow(math.Pi, 4)
	v1, v2, v13 := math.Pow(1+b*pi4/5, 2)/2, a*a/8, b*b*pi4*pi4*(1.0/18-1.0/50)
	v := v1 + v2 + v13
	return Function{Name: "Ishigami", Inputs: 3, First: []float64{v1 / v, v2 / v, 0}, Total: []float64{(v1 + v13) / v, v2 / v, v13 / v}, Of: func(u core.Design) float64 {
		x := scaled(u, []float64{-math.Pi, -math.Pi, -math.Pi}, []float64{math.Pi, math.Pi, math.Pi})
		return math.Sin(x[0]) + a*math.Pow(math.Sin(x[1]), 2) + b*math.Pow(x[2], 4)*math.Sin(x[0])
	}}
}

// SobolG is that of A. Saltelli, I. M. Sobol', Reliab. Eng. Syst. Saf. 50 (1995).
func SobolG() Function {
	a := []float64{0, 1, 4.5, 9, 99, 99, 99, 99}
	p := Function{Name: "Sobol' g", Inputs: len(a), Of: func(u core.Design) float64 {
		product := 1.0
		for j, v := range a {
			product *= (math.Abs(4*u[j]-2) + v) / (1 + v)
		}
		return product
	}}
	all := 1.0
	for _, v := range a {
		all *= 1 + 1/(3*(1+v)*(1+v))
	}
	for _, v := range a {
		own := 1 / (3 * (1 + v) * (1 + v))
		p.First, p.Total = append(p.First, own/(all-1)), append(p.Total, own*all/(1+own)/(all-1))
	}
	return p
}

// Borehole is that of W. V. Harper, S. K. Gupta, BMI/ONWI-516 (1983), with uniform inputs.
func Borehole() Function {
	return Function{Name: "borehole", Inputs: 8, Of: func(u core.Design) float64 {
		v := scaled(u, []float64{0.05, 100, 63070, 990, 63.1, 700, 1120, 9855}, []float64{0.15, 50000, 115600, 1110, 116, 820, 1680, 12045})
		l := math.Log(v[1] / v[0])
		return 2 * math.Pi * v[2] * (v[3] - v[5]) / (l * (1 + 2*v[6]*v[2]/(l*v[0]*v[0]*v[7]) + v[2]/v[4]))
	}}
}

// WingWeight is that of A. Forrester, A. Sobester, A. Keane, Engineering Design via Surrogate Modelling (2008).
func WingWeight() Function {
	return Function{Name: "wing weight", Inputs: 10, Of: func(u core.Design) float64 {
		v := scaled(u, []float64{150, 220, 6, -10, 16, 0.5, 0.08, 2.5, 1700, 0.025}, []float64{200, 300, 10, 10, 45, 1, 0.18, 6, 2500, 0.08})
		sweep := v[3] * math.Pi / 180
		return 0.036*math.Pow(v[0], 0.758)*math.Pow(v[1], 0.0035)*math.Pow(v[2]/math.Pow(math.Cos(sweep), 2), 0.6)*math.Pow(v[4], 0.006)*math.Pow(v[5], 0.04)*
			math.Pow(100*v[6]/math.Cos(sweep), -0.3)*math.Pow(v[7]*v[8], 0.49) + v[0]*v[9]
	}}
}
