package bench

import (
	"strings"

	"ropebench/core/dynamics"
	"ropebench/core/formula"
)

// A Given is what the solver gives under a name, whatever kind of solver it is.
type Given struct {
	Name, Label, Unit string
	Shape             formula.Shape
	X, XUnit          string // what a vector or curve runs over
	Says              string // where it comes from
}

// Given lists what the solver gives, in the order of its outputs.
func (b *Bench) Given() []Given {
	var all []Given
	for _, f := range b.Solver.Formulas {
		g := Given{Name: f.Name, Label: f.Label, Unit: f.Unit, Shape: b.Shapes[f.Name], X: "x", Says: "= " + f.Formula.Text}
		if f.Along != nil {
			g.X, g.Says = f.Along.Name, g.Says+", along "+f.Along.Name
		}
		all = append(all, g)
	}
	if d := b.Solver.Dynamics; d != nil {
		over := func(name, label, unit, says string) {
			all = append(all, Given{name, label, unit, formula.Curve, dynamics.Time, d.TimeUnit, says})
		}
		for _, s := range d.States {
			over(s.Name, s.Label, s.Unit, strings.TrimSpace("from "+s.Start.Text+", with the rate "+s.Rate.Text))
		}
		for _, s := range d.Signals {
			over(s.Name, s.Label, s.Unit, "= "+s.Formula.Text)
		}
	}
	for _, o := range b.Outputs {
		g := Given{Name: o.Name, Label: o.Label, Unit: o.Unit, Shape: o.Shape(), X: "row", Says: o.Words()}
		if o.Curve != nil {
			g.X, g.XUnit = o.Curve.X, o.Curve.XUnit
		}
		all = append(all, g)
	}
	return all
}
