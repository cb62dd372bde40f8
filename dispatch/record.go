// Package dispatch makes many evaluations at once: slots, limits, reuse of what is known, and the journal.
package dispatch

import (
	"context"
	"iter"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

// A Key names what the solver is asked by an evaluation: the solver, and the inputs as they are written for it.
type Key [16]byte

// A Record is one evaluation of a run as it is kept. Numbers count from 1 in the order in which designs were asked.
type Record struct {
	Number  int
	Order   int // its place in the order in which evaluations were finished, from 1; the journal gives it
	State   core.State
	Design  []float64 // the inputs of the run's designs; a word by its index
	Values  []float64 // in the columns of the run; NaN for what is not known
	Key     Key
	Repeat  int     // how often the same design was evaluated before in this run: of noisy solvers and verifications
	Reused  bool    // an earlier run paid for it
	Shares  int     // the evaluation of this run that asked the solver the same, and whose answer it has; 0: none
	Seconds float64 // that the solver took
	Reason  string  // why there are no values
	Tail    string  // the end of what the solver printed, where it failed
	Curves  []curve.Curve
	Steps   []solver.StepTime
	At      time.Time // when it was finished
	// Derivatives has those that an external solver gave, by output and input.
	Derivatives map[string]map[string]float64
}

// A Journal keeps records. Append returns when they are safe; it may be called by one goroutine at a time.
type Journal interface {
	Append(records []Record) error
	// Read gives back a record that was appended, with its curves.
	Read(number int) (Record, error)
}

// A Keeper takes what it wants from the working folder of an evaluation that was committed, before that is removed. It is called by
// several goroutines.
type Keeper interface {
	Keep(record Record, folder string) error
}

// Known finds evaluations of earlier runs, by several goroutines. Only records of state OK are found.
type Known interface {
	Find(key Key) (Record, bool, error)
}

// Replay gives the records that a run has already, without their curves.
type Replay = iter.Seq2[Record, error]

// A Model is what the dispatcher needs to know of a bench and a run. A row of inputs holds the variables of the bench, a
// row of values all columns of the run.
type Model interface {
	// Moves names the inputs of a design.
	Moves() []string
	// Variables is the length of a row of inputs, Names are the columns.
	Variables() int
	Names() []string
	// Outputs is how many columns, and how many vectors and curves, come from the solver: the first ones.
	Outputs() (columns, curves int)
	// Fill fills the row of inputs of a design.
	Fill(design core.Design, row []float64)
	// Screen fills what inputs alone decide, NaN elsewhere, and notes the rows that miss a requirement by it.
	Screen(inputs, values core.Matrix, missed []bool)
	// Value is an input, or a value derived from inputs alone, of a row that was screened.
	Value(name string, inputs, values []float64) bench.Value
	// Finish computes what stands behind the outputs of the solver, which are in their places, and adds derived vectors and
	// curves. It sets the error of a row for which that cannot be done.
	Finish(inputs, values core.Matrix, curves [][]curve.Curve, errors []error)
}

// A Derivation gives the exact derivatives of the columns by the inputs of a design, of evaluations that are OK, or says of
// each why it has none. given are those that an external solver said, by output and input.
type Derivation interface {
	Of(ctx context.Context, inputs, values core.Matrix, given []map[string]map[string]float64) ([]core.Derivatives, []error)
}
