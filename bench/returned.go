package bench

import (
	"regexp"

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
			r := Returned{Name: name, Label: label, Unit: unit, Shape: formula.Curve, X: dynamics.Time, XUnit: d.TimeUnit}
			if b.OneCase == nil {
				all = append(all, r)
				return
			}
			for _, c := range b.Cases {
				r.Name, r.Label = c.In(name), labelIn(label, c)
				all = append(all, r)
			}
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

// readOff is a formula that reads its extreme off a curve: the limit of its value is one of the curve.
var readOff = regexp.MustCompile(`^(?:peak|trough)\((\w+)\)$`)

// DrawnOn is the curve on which the limit of a requirement is drawn, "" where there is none: as the file says, else the one that it
// limits, or off whose extreme its value is read.
func (b *Bench) DrawnOn(q Requirement) string {
	if b.OneCase != nil {
		return b.OneCase.DrawnOn(q)
	}
	if q.On != "" {
		return q.On
	}
	text := q.Of.Text
	if d, derived := Find(b.Derived, text, func(d Derived) string { return d.Name }); derived {
		text = d.Formula.Text
	}
	if found := readOff.FindStringSubmatch(text); found != nil {
		text = found[1]
	}
	if shape, known := b.Shapes[text]; known && shape != formula.Number {
		return text
	}
	return ""
}

// CurvesOf lists the curves on which the limit of a requirement is drawn: one for each case in which it holds.
func (b *Bench) CurvesOf(q Requirement) (names []string) {
	on := b.DrawnOn(q)
	for _, limited := range q.Limited() {
		c, isCase := b.Case(limited.Case)
		switch _, differs := b.Shapes[c.In(on)]; {
		case on == "":
		case isCase && differs:
			names = append(names, c.In(on))
		default:
			names = append(names, on)
		}
	}
	return names
}
