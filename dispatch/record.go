// Package dispatch makes many evaluations at once: slots, limits, reuse of what is known, and the journal.
package dispatch

import (
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

// A Key names what an evaluation depends on: the solver, and the inputs as they are written for it.
type Key [16]byte

// A Record is one evaluation of a run as it is kept. Numbers count from 1 in the order in which the method asked.
type Record struct {
	_       struct{} `cbor:",toarray"`
	Number  int
	State   core.State
	Design  []float64 // the varied inputs of the run; a word by its index
	Values  []float64 // in the columns of the run: solver outputs first; NaN for what is not known
	Key     Key
	Reused  bool    // taken from the records of another run
	Seconds float64 // that the solver took
	Reason  string  // why there are no values
	Tail    string  // the end of what the solver printed, where it failed
	Curves  []curve.Curve
	Steps   []solver.StepTime
	At      time.Time // when it was finished
	// Gradients has the derivatives that an external solver gave, by output and input.
	Gradients map[string]map[string]float64 `cbor:"-"` // kept beside the record
}

// A Journal keeps records. Append returns when they are safe.
type Journal interface {
	Append(records []Record) error
}

// Known finds evaluations of earlier runs. Only records of state OK are found.
type Known interface {
	Find(key Key) (Record, bool, error)
}

// Widths are the lengths of the rows of a model.
type Widths struct {
	Inputs  int
	Values  int
	Outputs int // of the values, the first ones: they come from the solver
	Curves  int // that come from the solver
}

// A Model is what the dispatcher needs to know of a bench and a study. A row of inputs holds the variables of the bench, a
// row of values all columns of the run.
type Model interface {
	Widths() Widths
	// Varied names the inputs of a design.
	Varied() []string
	// FillInputs fills the row of inputs of a design.
	FillInputs(design core.Design, row []float64)
	// Screen fills what inputs alone decide, NaN elsewhere, and reports the rows that miss a requirement by it.
	Screen(n int, inputs, values func(row int) []float64, missed []bool)
	// Value is an input, or a value derived from inputs alone, of a row that was screened.
	Value(name string, inputs, values []float64) bench.Value
	// Finish computes what follows from the outputs of the solver, which are in their places: values, and curves behind
	// those of the solver. It sets Err of a row for which that cannot be done.
	Finish(n int, rows func(row int) *solver.Row)
	// Name says what stands in a column of values, for messages.
	Name(column int) string
}
