package model

import (
	"math"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/optimize"
)

// lookingAhead tells the methods of a problem what its inputs alone decide; nil where that is nothing. It is for one goroutine at a
// time.
func (p Problem) lookingAhead() optimize.Ahead {
	programs := p.model.Programs
	if programs.onInputs == 0 {
		return nil
	}
	var wrt []int
	for _, k := range p.axes {
		wrt = append(wrt, p.model.moved[k])
	}
	first, err := formula.Compile(programs.variables, definitions(programs.all[:programs.onInputs]))
	if err != nil {
		return nil // it was compiled before: there is no mistake in it
	}
	columns := len(p.model.Columns)
	a := &ahead{problem: p, values: first.NewMachine(), derivatives: first.Derivatives(wrt).NewMachine(), decided: make([]bool, columns),
		row: core.NewMatrix(1, len(p.model.row)), given: make([]float64, columns), slopes: core.NewMatrix(columns, len(wrt))}
	for i := range programs.onInputs {
		a.decided[programs.outputs+i] = true
	}
	for i := range a.given {
		a.given[i] = math.NaN()
	}
	for i := range a.slopes.Data {
		a.slopes.Data[i] = math.NaN()
	}
	a.out = core.NewMatrix(1, programs.onInputs)
	a.outWithSlopes = core.NewMatrix(1, programs.onInputs*(1+len(wrt)))
	return a
}

type ahead struct {
	problem             Problem
	values, derivatives *formula.Machine
	decided             []bool
	row, out            core.Matrix
	outWithSlopes       core.Matrix
	given               []float64
	slopes              core.Matrix
}

// Decided implements optimize.Ahead.
func (a *ahead) Decided() []bool { return a.decided }

// Look implements optimize.Ahead.
func (a *ahead) Look(design core.Design, derivatives bool) ([]float64, core.Derivatives) {
	m := a.problem.model
	m.Fill(a.problem.Whole(design), a.row.Row(0))
	first, count := m.Programs.outputs, m.Programs.onInputs
	if !derivatives {
		a.values.Eval(a.row, a.out)
		copy(a.given[first:], a.out.Row(0))
		return a.given, nil
	}
	a.derivatives.Eval(a.row, a.outWithSlopes)
	results := a.outWithSlopes.Row(0)
	copy(a.given[first:], results[:count])
	width := len(a.problem.axes)
	for i := range count {
		copy(a.slopes.Row(first+i), results[count+i*width:count+(i+1)*width])
	}
	return a.given, &a.slopes
}
