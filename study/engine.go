package study

import (
	"ropebench/bench"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/solver/equations"
	"ropebench/solver/formulas"
	"ropebench/solver/steps"
)

// An Engine is what runs share to reach their solvers.
type Engine struct {
	Slots    *dispatch.Slots
	Folder   string // below it evaluations get their working folders
	Path     string // PATH of the programs of steps
	IDPrefix string // begins the ids of all evaluations of this service
}

// SolverOf prepares the solver of a revision of a bench. Programs are looked up on path.
func SolverOf(b *bench.Bench, content bench.Content, path string) (solver.Solver, error) {
	switch {
	case len(b.Solver.Formulas) > 0:
		return formulas.New(b)
	case b.Solver.Dynamics != nil:
		return equations.New(b)
	}
	return steps.New(b, content, path)
}
