package bench

import (
	"ropebench/core/dynamics"
	"ropebench/core/formula"
)

// A Returned value is an output of the solver, of whatever kind that is.
type Returned struct {
	Name, Label, Unit string
	Shape             formula.Shape
	X, XUnit          string // what a vector or curve runs over
}

// Returns lists what the solver returns, in the order of its outputs.
func (b *Bench) Returns() []Returned {
	var all []Returned
	for _, f := range b.Solver.Formulas {
		r := Returned{Name: f.Name, Label: f.Label, Unit: f.Unit, Shape: b.Shapes[f.Name], X: "x"}
		if f.Along != nil {
			r.X = f.Along.Name
		}
		all = append(all, r)
	}
	if d := b.Solver.Dynamics; d != nil {
		over := func(name, label, unit string) {
			all = append(all, Returned{Name: name, Label: label, Unit: unit, Shape: formula.Curve, X: dynamics.Time, XUnit: d.TimeUnit})
		}
		for _, s := range d.States {
			over(s.Name, s.Label, s.Unit)
		}
		for _, s := range d.Signals {
			over(s.Name, s.Label, s.Unit)
		}
	}
	for _, o := range b.Outputs {
		r := Returned{Name: o.Name, Label: o.Label, Unit: o.Unit, Shape: o.Shape(), X: "row"}
		if o.Curve != nil {
			r.X, r.XUnit = o.Curve.X, o.Curve.XUnit
		}
		all = append(all, r)
	}
	return all
}
