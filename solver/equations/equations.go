// Package equations is the solver whose model is a set of differential equations in the bench file.
package equations

import (
	"context"
	"encoding/binary"
	"math"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"ropebench/bench"
	"ropebench/core/curve"
	"ropebench/core/dynamics"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A Solver solves the equations of a bench.
type Solver struct {
	bench    *bench.Bench
	model    *dynamics.Model
	used     []int    // the variables that the equations name, by name
	names    []string // of the curves, as the model gives them
	returned []int    // the same by name: which of those each is
}

var _ solver.Batch = (*Solver)(nil)
var _ solver.Differentiator = (*Solver)(nil)

// New compiles the equations of a bench.
func New(b *bench.Bench) (*Solver, error) {
	model, err := dynamics.Compile(b.System())
	s := &Solver{bench: b, model: model}
	for i, r := range b.Returns() {
		s.names, s.returned = append(s.names, r.Name), append(s.returned, i)
	}
	slices.SortFunc(s.returned, func(a, b int) int { return strings.Compare(s.names[a], s.names[b]) })
	variables := b.Variables()
	for i, name := range variables {
		if slices.ContainsFunc(formulasOf(b.Solver.Dynamics), func(e named) bool { return slices.Contains(e.Names, name) }) {
			s.used = append(s.used, i)
		}
	}
	slices.SortFunc(s.used, func(a, b int) int { return strings.Compare(variables[a], variables[b]) })
	return s, err
}

// A named formula of a set of equations.
type named struct {
	name string
	formula.Expression
}

// formulasOf lists all formulas of a set of equations, by name.
func formulasOf(d *bench.Dynamics) []named {
	all := []named{{"from", d.From}, {"to", d.To}}
	for _, state := range d.States {
		all = append(all, named{"start of " + state.Name, state.Start}, named{"rate of " + state.Name, state.Rate})
	}
	for _, signal := range d.Signals {
		all = append(all, named{"signal " + signal.Name, signal.Formula})
	}
	slices.SortFunc(all, func(a, b named) int { return strings.Compare(a.name, b.name) })
	return all
}

// Key implements solver.Solver: the equations, how they are solved, and the variables that they name.
func (s *Solver) Key() (solver.Key, error) {
	key := solver.NewKeyMaker("equations 1")
	d, variables := s.bench.Solver.Dynamics, s.bench.Variables()
	for _, i := range s.used {
		key.Text(variables[i])
	}
	for _, e := range formulasOf(d) {
		key.Text(e.name, e.Text)
	}
	key.Number(int64(d.Count))
	key.Real(d.Relative, d.Absolute)
	return key.Key(), nil
}

// Question implements solver.Solver.
func (s *Solver) Question(question []byte, inputs []float64, _ solver.Lookup) []byte {
	for _, i := range s.used {
		question = binary.LittleEndian.AppendUint64(question, math.Float64bits(inputs[i]))
	}
	return question
}

// SolveAll solves as many rows at a time as there are processors; each is computed by itself, so that their number changes
// no result.
func (s *Solver) SolveAll(ctx context.Context, rows solver.Rows) error {
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range rows.Inputs.Rows {
		if ctx.Err() != nil {
			break
		}
		group.Go(func() error {
			rows.Curves[i], rows.Errors[i] = s.solve(ctx, rows.Inputs.Row(i))
			return nil
		})
	}
	_ = group.Wait() // a row keeps its own error
	return ctx.Err()
}

func (s *Solver) solve(ctx context.Context, inputs []float64) ([]curve.Curve, error) {
	solution, err := s.model.Solve(ctx, inputs)
	if err != nil {
		return nil, err
	}
	curves := make([]curve.Curve, len(s.returned))
	for i, k := range s.returned {
		if err := solution.Curves[k].Check(); err != nil {
			return nil, err
		}
		curves[i] = solution.Curves[k]
	}
	return curves, nil
}

// Differentiate implements solver.Differentiator.
func (s *Solver) Differentiate(ctx context.Context, inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	solution, err := s.model.Differentiate(ctx, inputs, wrt)
	if err != nil {
		return nil, err
	}
	duals := map[string]formula.Dual{}
	for i, name := range s.names {
		dual := formula.Constant(formula.Sequence(solution.Curves[i]), len(wrt))
		for k := range wrt {
			dual.SampleDerivatives[k] = &solution.Derivatives[i][k]
		}
		duals[name] = dual
	}
	return duals, nil
}
