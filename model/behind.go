package model

import (
	"slices"
	"sync"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/optimize"
)

// lookingBehind tells the methods of a problem what formulas make of the numbers that the solver gives; nil where that is nothing. What hangs on
// vectors or curves does not follow from numbers.
func (p Problem) lookingBehind() optimize.Behind {
	programs := p.model.Programs
	b := &behind{problem: p, from: make([][]int, len(p.model.Columns))}
	var follow []formula.Definition
	for _, c := range programs.all {
		column, isColumn := programs.index[c.Name]
		if !isColumn || column < programs.outputs+programs.onInputs || c.hasSequences() {
			continue
		}
		if from, known := b.sources(programs, c.Expression.Names); known {
			b.from[column] = from
			b.columns, follow = append(b.columns, column), append(follow, c.Definition)
		}
	}
	if len(follow) == 0 {
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
	from     [][]int // by column
	columns  []int   // that follow
	machines sync.Pool
}

type follower struct {
	machine *formula.Machine
	in, out []float64
}

// sources are the outputs from which names follow; false where one of them is more than a number.
func (b *behind) sources(programs *Programs, names []string) (from []int, known bool) {
	from = []int{}
	for _, name := range names {
		column, isColumn := programs.index[name]
		switch {
		case isColumn && column < programs.outputs:
			from = append(from, column)
		case isColumn && column < programs.outputs+programs.onInputs:
		case isColumn && b.from[column] != nil:
			from = append(from, b.from[column]...)
		case slices.Contains(programs.variables, name):
		default:
			return nil, false
		}
	}
	slices.Sort(from)
	return slices.Compact(from), true
}

// From implements optimize.Behind.
func (b *behind) From(column int) []int { return b.from[column] }

// Follow implements optimize.Behind.
func (b *behind) Follow(design core.Design, values []float64) {
	m := b.problem.model
	f := b.machines.Get().(*follower)
	defer b.machines.Put(f)
	inputs, known := len(m.row), m.Programs.outputs+m.Programs.onInputs
	m.Fill(b.problem.Whole(design), f.in[:inputs])
	if m.Programs.onInputs > 0 {
		machine := m.Programs.before.Get().(*formula.Machine)
		machine.One(f.in[:inputs], values[m.Programs.outputs:known])
		m.Programs.before.Put(machine)
	}
	copy(f.in[inputs:], values[:known])
	f.machine.One(f.in, f.out)
	for i, column := range b.columns {
		values[column] = f.out[i]
	}
}
