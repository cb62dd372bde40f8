// Package solver is the small interface that every black box meets: inputs go in, outputs come out. There is one
// package below it for each kind.
package solver

import (
	"context"
	"fmt"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A Job is one evaluation to be made.
type Job struct {
	ID     string                        // marks the processes that are started for it
	Folder string                        // an empty working folder, for solvers that need one
	Value  func(name string) bench.Value // of an input, or of a value derived from inputs alone
}

// Outputs are what a solver returns, in the order in which the bench names them.
type Outputs struct {
	Scalars []float64     // finite
	Curves  []curve.Curve // checked
	Steps   []StepTime
	// Gradients has what the solver says of derivatives, by output and input.
	Gradients map[string]map[string]float64
}

// A StepTime says how long a step took.
type StepTime struct {
	Name    string        `json:"name"`
	Elapsed time.Duration `json:"elapsed"`
}

// A Solver evaluates one design at a time. Its error is a *Failure where the design could not be done; any other
// error means that no design can be.
type Solver interface {
	Solve(ctx context.Context, job Job) (Outputs, error)
	// AsWritten gives, for each name of a number that is written for the solver, the value that it reads: after formatting.
	AsWritten(value func(name string) bench.Value) map[string]float64
	// Written gives the texts in which the inputs enter: two designs with the same texts are the same evaluation.
	Written(value func(name string) bench.Value) []string
}

// A Row is one evaluation on its way from inputs to values.
type Row struct {
	Inputs []float64 // in the order of the bench's Variables
	Values []float64 // the outputs that are numbers come first
	Curves []curve.Curve
	Err    error // why it cannot be computed
}

// A Batch solver computes the outputs of rows at once: numbers into the first values, vectors and curves behind the
// curves. Numbers may be not finite; the caller looks at them.
type Batch interface {
	SolveAll(n int, rows func(row int) *Row)
}

// A Differentiator is a solver that knows the exact derivatives of what it gives.
type Differentiator interface {
	// Differentiate returns what the solver gives for a row of inputs, by name, with the derivatives by the variables wrt.
	Differentiate(inputs []float64, wrt []int) (map[string]formula.Dual, error)
}

// A Failure says why an evaluation has no values, and shows the end of what the solver printed.
type Failure struct {
	State  core.State
	Reason string
	Tail   string
	Steps  []StepTime
}

func (f *Failure) Error() string { return f.Reason }

// Failed makes a failure of state Failed.
func Failed(format string, args ...any) *Failure {
	return &Failure{State: core.Failed, Reason: fmt.Sprintf(format, args...)}
}
