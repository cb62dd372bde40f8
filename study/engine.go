package study

import (
	"ropebench/bench"
	"ropebench/dispatch"
	"ropebench/solver"
	"ropebench/solver/cases"
	"ropebench/solver/equations"
	"ropebench/solver/formulas"
	"ropebench/solver/recorded"
	"ropebench/solver/steps"
)

// An Engine is what runs share to reach their solvers.
type Engine struct {
	Slots    *dispatch.Slots
	Folder   string // below it evaluations get their working folders
	Path     string // PATH of the programs of steps
	IDPrefix string // begins the ids of all evaluations of this service
	Version  string // of Rope Bench
}

// SolverOf prepares the solver of a revision of a bench. Programs are looked up on path.
func SolverOf(b *bench.Bench, content bench.Content, path string) (solver.Solver, error) {
	switch {
	case len(b.Solver.Formulas) > 0:
		return formulas.New(b) // they are there in every case
	case b.OneCase != nil:
		one, err := SolverOf(b.OneCase, content, path)
		if err != nil {
			return nil, err
		}
		return cases.New(b, one), nil
	case b.Solver.Dynamics != nil:
		return equations.New(b)
	}
	return steps.New(b, content, path)
}

// solverOf is what answers a question: the solver of the bench, or a table that has the answers.
func solverOf(a *Asked, b *bench.Bench, content bench.Content, path string) (solver.Solver, error) {
	if table := imported(a); table != nil {
		return recorded.New(b, table), nil
	}
	return SolverOf(b, content, path)
}

// retries is how often a failed evaluation is tried again: what stands in a table stays as it is.
func retries(a *Asked, b *bench.Bench) int {
	if imported(a) != nil {
		return 0
	}
	return b.Solver.Retry
}
