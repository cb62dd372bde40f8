package read

import (
	"ropebench/bench"
	"ropebench/core/formula"
)

// checkShapes finds what every name gives - a number, a vector or a curve - and refuses formulas that mix them up.
func (f *fileReader) checkShapes() {
	b := f.bench
	b.Shapes = map[string]formula.Shape{}
	if len(f.problems) > 0 {
		return // names that are not known, or circles: shapes would only repeat it
	}
	for _, in := range b.Inputs {
		b.Shapes[in.Name] = formula.Number
	}
	for _, out := range b.Outputs {
		b.Shapes[out.Name] = out.Shape()
	}
	if d := b.Solver.Dynamics; d != nil {
		for _, s := range d.States {
			b.Shapes[s.Name] = formula.Curve
		}
		for _, s := range d.Signals {
			b.Shapes[s.Name] = formula.Curve
		}
	}
	for _, d := range append(append([]bench.Derived{}, b.Solver.Formulas...), b.Derived...) {
		if d.Along != nil {
			b.Shapes[d.Along.Name] = formula.Vector
		}
		b.Shapes[d.Name] = f.shape(f.lines[d.Name], d.Name, d.Formula)
		if d.Along != nil {
			delete(b.Shapes, d.Along.Name)
			b.Shapes[d.Name] = formula.Curve
		}
	}
	for _, q := range b.Requirements {
		line := f.requirementLines[q.ID]
		if s := f.shape(line, q.ID, q.Of); q.File != "" && s != formula.Curve {
			f.wrong(line, "%s: %s is asked of a curve, and %s is %s", q.ID, q.Kind, q.Of.Text, s)
		}
		if on, known := b.Shapes[q.On]; q.On != "" && (!known || on == formula.Number) {
			f.wrong(line, "%s: on names the curve on which the limit is drawn, and %s is none", q.ID, q.On)
		}
	}
}

func (f *fileReader) checkObjective(s bench.Study, goal bench.Objective) {
	if len(f.bench.Shapes) == 0 {
		return // other mistakes are in the way
	}
	text, line := goal.Formula.Text, f.studyLines[s.Name]
	if given := f.shape(line, s.Name, goal.Formula); given != formula.Number {
		f.wrong(line, "%s: an objective is a single number, and %s is %s: read a number off it, such as peak(%s)", s.Name, text, given, text)
	}
}

func (f *fileReader) shape(line int, what string, expression formula.Expression) formula.Shape {
	s, err := expression.Shape(f.bench.ShapeOf)
	if err != nil {
		f.wrong(line, "%s: in the formula %q: %s", what, expression.Text, err)
	}
	return s
}
