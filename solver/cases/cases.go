// Package cases is a solver that asks another one for every case of a bench: its values are those of all cases.
package cases

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/solver"
)

// A covering solver asks for one case after the other.
type covering struct {
	solver.Solver // of one case
	bench         *bench.Bench
	cases         []condition
	numbers       []place // where each number that is returned comes from
	curves        []place
}

// A condition is a case with the variables that it gives, by their places in a row of one case.
type condition struct {
	bench.Case
	given map[int]float64
}

// A place is one of the values of a case.
type place struct{ in, at int }

// New makes the solver of a bench that covers cases from that of one case, which is a Batch or an Opener.
func New(b *bench.Bench, one solver.Solver) solver.Solver {
	c := covering{Solver: one, bench: b}
	variables := b.OneCase.Variables()
	for _, in := range b.Cases {
		given := map[int]float64{}
		for name, value := range in.Values {
			given[slices.Index(variables, name)] = value.Number
		}
		c.cases = append(c.cases, condition{Case: in, given: given})
	}
	c.numbers, c.curves = c.places(func(s formula.Shape) bool { return s == formula.Number }), c.places(func(s formula.Shape) bool { return s != formula.Number })
	if batch, is := one.(solver.Batch); is {
		differentiator, _ := one.(solver.Differentiator)
		return coveringBatch{covering: c, batch: batch, differentiator: differentiator}
	}
	return coveringPrograms{covering: c, one: one.(solver.Opener)}
}

// places are those of values of some shapes: a solver returns them by name, in one case and in all.
func (c covering) places(of func(formula.Shape) bool) []place {
	var names []string
	for _, r := range c.bench.OneCase.Returns() {
		if of(r.Shape) {
			names = append(names, r.Name)
		}
	}
	slices.Sort(names)
	called := map[string]place{}
	for in, one := range c.cases {
		for at, name := range names {
			called[one.In(name)] = place{in, at}
		}
	}
	var all []place
	for _, name := range slices.Sorted(maps.Keys(called)) {
		all = append(all, called[name])
	}
	return all
}

// row is a row of one case: the variables of the bench, with those that the case gives.
func (c covering) row(in condition, inputs []float64) []float64 {
	row := slices.Clone(inputs[:len(c.bench.OneCase.Variables())])
	for i, value := range in.given {
		row[i] = value
	}
	return row
}

// lookup finds values as they are in a case.
func (c covering) lookup(in condition, all solver.Lookup) solver.Lookup {
	differ := c.bench.PerCase()
	return func(name string) bench.Value {
		if value, given := in.Values[name]; given {
			return value
		}
		if _, isInput := c.bench.Input(name); differ[name] && !isInput {
			return all(in.In(name))
		}
		return all(name)
	}
}

// Key implements solver.Solver: the solver of one case, and the names of the cases, in their order.
func (c covering) Key() (solver.Key, error) {
	one, err := c.Solver.Key()
	if err != nil {
		return one, err
	}
	key := solver.NewKeyMaker("cases 1")
	key.Bytes(one[:])
	for _, in := range c.cases {
		key.Text(in.Name)
	}
	return key.Key(), nil
}

// Question implements solver.Solver: what every case asks.
func (c covering) Question(question []byte, inputs []float64, lookup solver.Lookup) []byte {
	for _, in := range c.cases {
		question = c.Solver.Question(question, c.row(in, inputs), c.lookup(in, lookup))
	}
	return question
}

// Noisy implements solver.Noise.
func (c covering) Noisy() bool { return solver.IsNoisy(c.Solver) }

// A coveringBatch computes many rows at once, case by case.
type coveringBatch struct {
	covering
	batch          solver.Batch
	differentiator solver.Differentiator // nil: derivatives are not known
}

// SolveAll implements solver.Batch.
func (c coveringBatch) SolveAll(ctx context.Context, rows solver.Rows) error {
	n := rows.Inputs.Rows
	each := make([]solver.Rows, len(c.cases))
	for k, in := range c.cases {
		one := solver.Rows{Inputs: core.NewMatrix(n, len(c.bench.OneCase.Variables())), Values: core.NewMatrix(n, len(c.numbers)/len(c.cases)), Curves: make([][]curve.Curve, n), Errors: make([]error, n), Repeats: rows.Repeats}
		for i := range n {
			copy(one.Inputs.Row(i), c.row(in, rows.Inputs.Row(i)))
		}
		if err := c.batch.SolveAll(ctx, one); err != nil {
			return err
		}
		each[k] = one
	}
	for i := range n {
		for k, in := range c.cases {
			if err := each[k].Errors[i]; err != nil && rows.Errors[i] == nil {
				rows.Errors[i] = failedIn(in, nil, err)
			}
		}
		if rows.Errors[i] != nil {
			continue
		}
		for at, from := range c.numbers {
			rows.Values.Row(i)[at] = each[from.in].Values.Row(i)[from.at]
		}
		for _, from := range c.curves {
			rows.Curves[i] = append(rows.Curves[i], each[from.in].Curves[i][from.at])
		}
	}
	return nil
}

// Differentiate implements solver.Differentiator.
func (c coveringBatch) Differentiate(ctx context.Context, inputs []float64, wrt []int) (map[string]formula.Dual, error) {
	all := map[string]formula.Dual{}
	if c.differentiator == nil {
		return all, nil
	}
	for _, in := range c.cases {
		duals, err := c.differentiator.Differentiate(ctx, c.row(in, inputs), wrt)
		if err != nil {
			return nil, failedIn(in, nil, err)
		}
		for name, dual := range duals {
			all[in.In(name)] = c.withoutGiven(in, dual, wrt)
		}
	}
	return all, nil
}

// withoutGiven has no derivatives by what a case gives: there the input does not enter.
func (c covering) withoutGiven(in condition, dual formula.Dual, wrt []int) formula.Dual {
	for direction, variable := range wrt {
		if _, given := in.given[variable]; !given {
			continue
		}
		if dual.Derivatives != nil {
			dual.Derivatives[direction] = 0
		}
		if dual.SampleDerivatives != nil {
			dual.SampleDerivatives[direction] = nil
		}
	}
	return dual
}

// failedIn says in which case a design failed, with the steps of those before.
func failedIn(in condition, before []solver.StepTime, err error) error {
	var failure *solver.Failure
	if !errors.As(err, &failure) {
		return fmt.Errorf("in case %s: %w", in.Name, err)
	}
	told := *failure
	told.Reason = fmt.Sprintf("in case %s: %s", in.Name, failure.Reason)
	told.Steps = append(slices.Clone(before), stepsIn(in, failure.Steps)...)
	return &told
}

// coveringPrograms starts programs for one case after the other, in the same slot.
type coveringPrograms struct {
	covering
	one solver.Opener
}

// Open implements solver.Opener.
func (c coveringPrograms) Open(ctx context.Context, worker solver.Worker) (solver.Session, error) {
	one, err := c.one.Open(ctx, worker)
	return session{Session: one, covering: c.covering, folders: c.one.NeedsFolder()}, err
}

// NeedsFolder implements solver.Opener.
func (c coveringPrograms) NeedsFolder() bool { return c.one.NeedsFolder() }

// AsWritten implements solver.Writer: a number is written alike in all cases, but for what a case gives.
func (c coveringPrograms) AsWritten(lookup solver.Lookup) map[string]float64 {
	all := map[string]float64{}
	writer, writes := c.Solver.(solver.Writer)
	if !writes {
		return all
	}
	for _, in := range c.cases {
		for name, value := range writer.AsWritten(c.lookup(in, lookup)) {
			if _, given := in.Values[name]; !given {
				all[name] = value
			}
		}
	}
	return all
}

// Versions implements solver.Versioned.
func (c coveringPrograms) Versions(ctx context.Context, folder string) ([]solver.Version, error) {
	if versioned, is := c.Solver.(solver.Versioned); is {
		return versioned.Versions(ctx, folder)
	}
	return nil, nil
}

type session struct {
	solver.Session
	covering
	folders bool
}

// Solve implements solver.Session. Each case has a folder below the working folder.
func (s session) Solve(ctx context.Context, job solver.Job) (solver.Outputs, error) {
	each := make([]solver.Outputs, len(s.cases))
	all := solver.Outputs{Derivatives: map[string]map[string]float64{}}
	if s.folders {
		if err := os.MkdirAll(job.Folder, 0o755); err != nil {
			return all, err
		}
	}
	for k, in := range s.cases {
		one := job
		one.Lookup = s.lookup(in, job.Lookup)
		if s.folders {
			one.Folder = filepath.Join(job.Folder, in.Name)
		}
		outputs, err := s.Session.Solve(ctx, one)
		if err != nil {
			return all, failedIn(in, all.Steps, err)
		}
		each[k] = outputs
		all.Steps = append(all.Steps, stepsIn(in, outputs.Steps)...)
		for name, by := range outputs.Derivatives {
			all.Derivatives[in.In(name)] = maps.Clone(by)
			for input := range in.Values {
				all.Derivatives[in.In(name)][input] = 0 // there it does not enter
			}
		}
	}
	for _, from := range s.numbers {
		all.Scalars = append(all.Scalars, each[from.in].Scalars[from.at])
	}
	for _, from := range s.curves {
		all.Curves = append(all.Curves, each[from.in].Curves[from.at])
	}
	return all, nil
}

func stepsIn(in condition, steps []solver.StepTime) []solver.StepTime {
	named := slices.Clone(steps)
	for i, step := range named {
		named[i].Name = in.Name + ": " + step.Name
	}
	return named
}
