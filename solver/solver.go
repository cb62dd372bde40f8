// Package solver is what every black box meets: inputs go in, outputs come out. There is one package below it for each
// kind. What a solver can do beyond the small interface is found by a type assertion.
package solver

import (
	"context"
	"crypto/sha256"
	"fmt"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A Key names what the answers of a solver depend on beside the inputs.
type Key [sha256.Size]byte

// A Lookup gives the value of an input, or of a value derived from inputs alone.
type Lookup func(name string) bench.Value

// A Solver is the black box of one revision of a bench. It is either a Batch or an Opener. It may be used by several
// goroutines.
type Solver interface {
	// Key is made from what the solver reads: not from names, labels, limits of time or the order of things.
	Key() (Key, error)
	// Question appends what a design is for the solver: two designs with the same question have the same answer. inputs
	// has the variables of the bench.
	Question(question []byte, inputs []float64, lookup Lookup) []byte
}

// Rows are evaluations on their way from inputs to values.
type Rows struct {
	Inputs core.Matrix     // the variables of the bench
	Values core.Matrix     // outputs that are numbers come first, by name
	Curves [][]curve.Curve // of each row: outputs that are vectors or curves come first, by name
	Errors []error         // of each row: why it cannot be computed
	// Repeats says of each row how often its design was asked before in this run; nil where the solver gives the same values again.
	Repeats []int
}

// A Batch computes the outputs of many rows at once: numbers into the first values, vectors and curves into the curves.
// Numbers may be not finite; the caller looks at them. Its error says that ctx is done.
type Batch interface {
	Solver
	SolveAll(ctx context.Context, rows Rows) error
}

// A Worker takes one evaluation at a time.
type Worker struct {
	Slot   int    // counted from 0
	Folder string // for what its session keeps, where the solver needs folders: made by it, and removed behind it
}

// An Opener makes one evaluation at a time for each worker, which has a session of its own for as long as the run lasts.
type Opener interface {
	Solver
	Open(ctx context.Context, worker Worker) (Session, error)
	// NeedsFolder is true where each evaluation needs a working folder.
	NeedsFolder() bool
}

// A Session answers one worker. The error of Solve is a *Failure where the design could not be done; any other error
// means that no design can be.
type Session interface {
	Solve(ctx context.Context, job Job) (Outputs, error)
	Close() error
}

// A Job is one evaluation to be made.
type Job struct {
	ID     string // carried by the processes that are started for it
	Folder string // where the working folder is to be made, if the solver needs one
	Keep   bool   // what stands in the working folder is wanted afterwards
	Lookup Lookup
}

// Outputs are what a solver returns, by name in ascending order.
type Outputs struct {
	Scalars []float64     // finite
	Curves  []curve.Curve // checked
	Steps   []StepTime
	// Derivatives has those that the solver gives itself, by output and input.
	Derivatives map[string]map[string]float64
}

// A StepTime says how long a step took.
type StepTime struct {
	Name    string
	Elapsed time.Duration
}

// A Writer formats the inputs: AsWritten gives, for each name of a number that is written for the solver, the value that
// it reads.
type Writer interface {
	AsWritten(lookup Lookup) map[string]float64
}

// A Differentiator knows the exact derivatives of what it gives.
type Differentiator interface {
	// Differentiate returns what the solver gives for a row of inputs, by name, with the derivatives by the variables wrt.
	Differentiate(ctx context.Context, inputs []float64, wrt []int) (map[string]formula.Dual, error)
}

// A Noise tells whether the same design may give other values.
type Noise interface {
	Noisy() bool
}

// IsNoisy is true for a solver that may give other values for the same design.
func IsNoisy(s Solver) bool {
	noise, tells := s.(Noise)
	return tells && noise.Noisy()
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
