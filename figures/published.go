package main

import (
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// A published function of inputs that are uniform from 0 to 1, and scaled within.
type published struct {
	name   string
	inputs int
	of     func(core.Design) float64
	// first and total are the indices in closed form; nil: a larger plan is the reference.
	first, total []float64
}

func (p published) space() space.Space {
	s := make(space.Space, p.inputs)
	for j := range s {
		s[j] = space.Input{Upper: 1}
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

// ishigami is that of T. Ishigami, T. Homma, Proc. ISUMA (1990).
func ishigami() published {
	const a, b = 7.0, 0.1
	pi4 := math.Pow(math.Pi, 4)
	v1, v2, v13 := math.Pow(1+b*pi4/5, 2)/2, a*a/8, b*b*pi4*pi4*(1.0/18-1.0/50)
	v := v1 + v2 + v13
	return published{name: "Ishigami", inputs: 3, first: []float64{v1 / v, v2 / v, 0}, total: []float64{(v1 + v13) / v, v2 / v, v13 / v}, of: func(u core.Design) float64 {
		x := scaled(u, []float64{-math.Pi, -math.Pi, -math.Pi}, []float64{math.Pi, math.Pi, math.Pi})
		return math.Sin(x[0]) + a*math.Pow(math.Sin(x[1]), 2) + b*math.Pow(x[2], 4)*math.Sin(x[0])
	}}
}

// sobolG is that of A. Saltelli, I. M. Sobol', Reliab. Eng. Syst. Saf. 50 (1995).
func sobolG() published {
	a := []float64{0, 1, 4.5, 9, 99, 99, 99, 99}
	p := published{name: "Sobol' g", inputs: len(a), of: func(u core.Design) float64 {
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
		p.first, p.total = append(p.first, own/(all-1)), append(p.total, own*all/(1+own)/(all-1))
	}
	return p
}

// borehole is that of W. V. Harper, S. K. Gupta, BMI/ONWI-516 (1983), with uniform inputs.
func borehole() published {
	return published{name: "borehole", inputs: 8, of: func(u core.Design) float64 {
		v := scaled(u, []float64{0.05, 100, 63070, 990, 63.1, 700, 1120, 9855}, []float64{0.15, 50000, 115600, 1110, 116, 820, 1680, 12045})
		l := math.Log(v[1] / v[0])
		return 2 * math.Pi * v[2] * (v[3] - v[5]) / (l * (1 + 2*v[6]*v[2]/(l*v[0]*v[0]*v[7]) + v[2]/v[4]))
	}}
}

// wingWeight is that of A. Forrester, A. Sobester, A. Keane, Engineering Design via Surrogate Modelling (2008).
func wingWeight() published {
	return published{name: "wing weight", inputs: 10, of: func(u core.Design) float64 {
		v := scaled(u, []float64{150, 220, 6, -10, 16, 0.5, 0.08, 2.5, 1700, 0.025}, []float64{200, 300, 10, 10, 45, 1, 0.18, 6, 2500, 0.08})
		sweep := v[3] * math.Pi / 180
		return 0.036*math.Pow(v[0], 0.758)*math.Pow(v[1], 0.0035)*math.Pow(v[2]/math.Pow(math.Cos(sweep), 2), 0.6)*math.Pow(v[4], 0.006)*math.Pow(v[5], 0.04)*
			math.Pow(100*v[6]/math.Cos(sweep), -0.3)*math.Pow(v[7]*v[8], 0.49) + v[0]*v[9]
	}}
}
