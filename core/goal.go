package core

import "math"

// An Objective is a value of the outcome, by its index, to be made least or most.
type Objective struct {
	Value    int
	Maximize bool
}

// Least is the number to be made least, of values that are one for each column: the value itself, or its negative.
func (o Objective) Least(values []float64) float64 {
	if o.Maximize {
		return -values[o.Value]
	}
	return values[o.Value]
}

// A Constraint keeps a value of the outcome, by its index, in a limit. With a price it is soft: each unit of violation
// makes the objective worse by the price, and feasibility does not depend on it.
type Constraint struct {
	Value int
	Limit Limit
	Price float64
	Equal bool // methods aim at the centre of the limit, not at its ends
}

// A Target is a value of the outcome, by its index, that is to come near to a number.
type Target struct {
	Value  int
	To     float64
	Weight float64
}

// A Goal says what makes an outcome good. Without an objective every outcome that meets the constraints is as good as
// another. With targets the objective is the sum of weight times the squared distance from each of them, to be made least.
type Goal struct {
	Objectives  []Objective
	Targets     []Target
	Constraints []Constraint
}

// Aims is true where outcomes that meet the constraints are better or worse than each other.
func (g Goal) Aims() bool { return len(g.Objectives) > 0 || len(g.Targets) > 0 }

// Least is the number that is to be made least, of values that are one for each column: by the first objective, or by the targets; 0
// where there is neither.
func (g Goal) Least(values []float64) float64 {
	if len(g.Objectives) > 0 {
		return g.Objectives[0].Least(values)
	}
	sum := 0.0
	for _, t := range g.Targets {
		away := values[t.Value] - t.To
		sum += t.Weight * away * away
	}
	return sum
}

// Paid is what the values, one for each column, pay for limits that have a price.
func (g Goal) Paid(values []float64) float64 {
	paid := 0.0
	for _, c := range g.Constraints {
		if c.Price > 0 {
			paid += c.Price * c.Limit.Violation(values[c.Value])
		}
	}
	return paid
}

// Feasible is true if the values, one for each column, keep every limit that has no price; reserves are not asked for. A value that is not known
// keeps no limit.
func (g Goal) Feasible(values []float64) bool {
	for _, c := range g.Constraints {
		if c.Price == 0 && !(c.Limit.Margin(values[c.Value]) >= 0) {
			return false
		}
	}
	return true
}

// Share is the violation of a limit by a value, reserve included, in units of the limit: of its end that is farther from
// 0, or as it is where that is 0.
func (l Limit) Share(value float64) float64 {
	size := l.Size()
	if size == 0 {
		size = 1
	}
	return finite(l.Violation(value) / size)
}

// Size is how large the end of a limit is that is farther from 0: what shares of a limit are told of. It is 0 where that is 0.
func (l Limit) Size() float64 {
	size := 0.0
	for _, end := range []float64{l.Lower, l.Upper} {
		if !math.IsInf(end, 0) {
			size = max(size, math.Abs(end))
		}
	}
	return size
}
