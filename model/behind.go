package model

import (
	"math"
	"slices"
	"sync"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/core/optimize"
)

// lookingBehind tells the methods of a problem what formulas make of what the solver gives; nil where that is nothing.
func (p Problem) lookingBehind() optimize.Behind {
	programs := p.model.Programs
	b := &behind{problem: p, sources: map[string]sources{}, computed: map[int][]computed{}}
	var follow []formula.Definition
	for _, c := range programs.all {
		column, isColumn := programs.index[c.Name]
		if isColumn && column < programs.outputs+programs.onInputs {
			continue
		}
		from := b.sourcesOf(programs, c)
		b.sources[c.Name] = from
		switch {
		case !isColumn:
		case from.curves == nil && !c.hasSequences():
			b.columns, follow = append(b.columns, column), append(follow, c.Definition)
		default:
			b.computed[column] = b.needed(programs, c)
		}
	}
	if len(follow)+len(b.computed) == 0 {
		return nil
	}
	program, err := formula.Compile(append(slices.Clone(programs.variables), names(p.model.Columns[:programs.outputs+programs.onInputs])...), follow)
	if err != nil {
		return nil // it was compiled before: there is no mistake in it
	}
	b.machines.New = func() any {
		return &follower{machine: program.NewMachine(), in: make([]float64, program.Variables()), out: make([]float64, len(follow))}
	}
	return b
}

type behind struct {
	problem  Problem
	sources  map[string]sources // of what follows, by name
	columns  []int              // that follow from numbers alone
	computed map[int][]computed // what is computed for another column, in its order
	machines sync.Pool
}

// sources are what the solver gives: the columns of numbers, and which of the vectors and curves.
type sources struct{ numbers, curves []int }

type follower struct {
	machine *formula.Machine
	in, out []float64
}

// sourcesOf are what a formula follows from.
func (b *behind) sourcesOf(programs *Programs, c computed) (from sources) {
	from.numbers = []int{}
	for _, name := range c.Expression.Names {
		column, isColumn := programs.index[name]
		switch at := programs.layout.Curve(name); {
		case isColumn && column < programs.outputs:
			from.numbers = append(from.numbers, column)
		case isColumn && column < programs.outputs+programs.onInputs:
		case at >= 0 && programs.layout.Curves[at].Source == FromSolver:
			from.curves = append(from.curves, at)
		default: // an input has none
			from.numbers = append(from.numbers, b.sources[name].numbers...)
			from.curves = append(from.curves, b.sources[name].curves...)
		}
	}
	for _, list := range []*[]int{&from.numbers, &from.curves} {
		slices.Sort(*list)
		*list = slices.Compact(*list)
	}
	return from
}

// needed are the formulas that give one that hangs on vectors or curves, in the order in which they are computed.
func (b *behind) needed(programs *Programs, last computed) []computed {
	wanted := map[string]bool{}
	for _, name := range last.Expression.Names {
		wanted[name] = true
	}
	list := []computed{last}
	for _, c := range slices.Backward(programs.all) {
		if column, isColumn := programs.index[c.Name]; c.Name == last.Name || !wanted[c.Name] || isColumn && column < programs.outputs+programs.onInputs {
			continue
		}
		for _, name := range c.Expression.Names {
			wanted[name] = true
		}
		list = append(list, c)
	}
	slices.Reverse(list)
	return list
}

// From implements optimize.Behind.
func (b *behind) From(column int) (numbers, curves []int, follows bool) {
	from, follows := b.sources[b.problem.model.Columns[column].Name]
	return from.numbers, from.curves, follows
}

// Read implements optimize.Behind.
func (b *behind) Read(column int, design core.Design, values []float64, curves []curve.Curve) float64 {
	m := b.problem.model
	row := make([]float64, len(m.row))
	b.decide(design, row, values)
	known := map[string]formula.Value{}
	lookup := func(name string) formula.Value {
		if value, is := known[name]; is {
			return value
		}
		if at := m.Layout.Curve(name); at >= 0 && at < len(curves) {
			return formula.Sequence(curves[at])
		}
		return formula.Scalar(m.Value(name, row, values).Number)
	}
	for _, c := range b.computed[column] {
		value, err := c.Expression.Evaluate(lookup)
		if err == nil && c.reduced != nil {
			value.Number, err = c.reduced(*value.Samples)
		}
		if err != nil {
			return math.NaN()
		}
		known[c.Name] = value
	}
	return known[m.Columns[column].Name].Number
}

// Follow implements optimize.Behind.
func (b *behind) Follow(design core.Design, values []float64) {
	m := b.problem.model
	f := b.machines.Get().(*follower)
	defer b.machines.Put(f)
	inputs, known := len(m.row), m.Programs.outputs+m.Programs.onInputs
	b.decide(design, f.in[:inputs], values)
	copy(f.in[inputs:], values[:known])
	f.machine.One(f.in, f.out)
	for i, column := range b.columns {
		values[column] = f.out[i]
	}
}

// decide fills the row of inputs of a design, and the values that they alone decide.
func (b *behind) decide(design core.Design, row, values []float64) {
	m := b.problem.model
	m.Fill(b.problem.Whole(design), row)
	if m.Programs.onInputs > 0 {
		machine := m.Programs.before.Get().(*formula.Machine)
		machine.One(row, values[m.Programs.outputs:m.Programs.outputs+m.Programs.onInputs])
		m.Programs.before.Put(machine)
	}
}
