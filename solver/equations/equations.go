// Package equations is the solver whose model is a set of differential equations in the bench file.
package equations

import (
	"runtime"

	"golang.org/x/sync/errgroup"

	"ropebench/bench"
	"ropebench/core/dynamics"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Solver solves the equations of a bench. It may be used by several goroutines.
type Solver struct {
	model *dynamics.Model
	names []string // of the curves
}

// New compiles the equations of a bench.
func New(b *bench.Bench) (*Solver, error) {
	model, err := dynamics.Compile(b.System())
	s := &Solver{model: model}
	for _, g := range b.Given() {
		s.names = append(s.names, g.Name)
	}
	return s, err
}

// SolveAll solves n rows, as many at a time as there are processors; each is computed by itself, so that their number
// changes no result.
func (s *Solver) SolveAll(n int, rows func(row int) *solver.Row) {
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		row := rows(i)
		group.Go(func() error {
			s.solve(row)
			return nil
		})
	}
	_ = group.Wait() // a row keeps its own error
}

// Differentiate implements solver.Differentiator.
func (s *Solver) Differentiate(inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	solution, err := s.model.Differentiate(inputs, wrt)
	if err != nil {
		return nil, err
	}
	duals := map[string]formula.Dual{}
	for i, name := range s.names {
		dual := formula.Constant(formula.Sequence(solution.Curves[i]), len(wrt))
		for k := range wrt {
			dual.Tangents[k] = &solution.Tangents[i][k]
		}
		duals[name] = dual
	}
	return duals, nil
}

func (s *Solver) solve(row *solver.Row) {
	solution, err := s.model.Solve(row.Inputs)
	if err != nil {
		row.Err = err
		return
	}
	for _, c := range solution.Curves {
		if err := c.Check(); err != nil {
			row.Err = err
			return
		}
		row.Curves = append(row.Curves, c)
	}
}
