// Package core holds the computation of Rope Bench: methods that ask an evaluator for the outcomes of designs. It
// knows nothing of files, networks, clocks, databases or interfaces.
package core

import (
	"context"
	"errors"
)

// A Design is one value for each varied input, in the user's units and in the order of the space it belongs to.
type Design []float64

// A State says how an evaluation ended.
type State uint8

// The ways in which an evaluation can end. Only OK has values.
const (
	OK        State = iota
	Failed          // the solver broke or returned nothing usable
	TimedOut        // the solver was ended at its wall-clock limit
	Cancelled       // the run was stopped while the solver was at work
	NotTried        // a requirement on inputs alone is missed, so the solver was not started
)

var stateNames = [...]string{"ok", "failed", "timed out", "cancelled", "not tried"}

// String gives the word that is shown to users.
func (s State) String() string { return stateNames[s] }

// An Outcome is what an evaluator says about one design.
type Outcome struct {
	State State
	// Number is that of the evaluation in its run, counted from 1; 0 where the evaluator keeps no records.
	Number int
	// Values has one number for each value that the problem names: finite ones where State is OK. For NotTried it
	// holds what the inputs alone decide, and NaN elsewhere. For the other states it is nil.
	Values []float64
	// Seconds that the solver took; 0: that is not known.
	Seconds float64
	// Repeated is true where the same design was asked before in the same run: it costs nothing and does not count.
	Repeated bool
}

// An Evaluator answers designs with outcomes, in the order in which they were asked. An error means that the run
// cannot go on (cancelled, records gone); a design that the solver could not do is an Outcome, not an error.
type Evaluator interface {
	Evaluate(ctx context.Context, designs []Design) ([]Outcome, error)
}

// Derivatives are those of the values of one outcome by the inputs of its design: a row for each value, a column for each
// input. NaN stands for a derivative that is not known, and for those by inputs that are words. Nil: none is known.
type Derivatives = *Matrix

// A Differentiator is an evaluator that knows exact derivatives. Methods find it by a type assertion.
type Differentiator interface {
	Evaluator
	// Differentiate answers designs as Evaluate does, with the derivatives of each outcome.
	Differentiate(ctx context.Context, designs []Design) ([]Outcome, []Derivatives, error)
}

// A Stream answers designs one by one, as they end, for methods that must not wait for the slowest slot. It is for one
// goroutine at a time. A run that is resumed gives the outcomes in the order in which it gave them before.
type Stream interface {
	// Submit asks for designs and does not wait. Each is known by a ticket, counted from 0 in the order of asking.
	Submit(ctx context.Context, designs ...Design) error
	// Next waits for an outcome and says whose it is. With nothing open it returns ErrNothingOpen.
	Next(ctx context.Context) (ticket int, outcome Outcome, err error)
	// Close gives up what is open, and waits until nothing of it is at work.
	Close()
}

// ErrNothingOpen is the answer of a stream that was asked for nothing more.
var ErrNothingOpen = errors.New("nothing is open")

// A Streamer is an evaluator that can be asked by streams. Methods find it by a type assertion.
type Streamer interface {
	Evaluator
	Stream() Stream
}

// An EvaluatorFunc lets a plain function of one design serve as an Evaluator.
type EvaluatorFunc func(Design) Outcome

// Evaluate answers the designs one after the other: an outcome for each, in their order.
func (f EvaluatorFunc) Evaluate(ctx context.Context, designs []Design) ([]Outcome, error) {
	outcomes := make([]Outcome, len(designs))
	for i, design := range designs {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		outcomes[i] = f(design)
	}
	return outcomes, nil
}
