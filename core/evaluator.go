// Package core holds the computation of Rope Bench: methods that ask an evaluator for the outcomes of designs. It
// knows nothing of files, networks, clocks, databases or interfaces.
package core

import "context"

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
	// Values has one number for each value that the problem names: finite ones where State is OK. For NotTried it
	// holds what the inputs alone decide, and NaN elsewhere. For the other states it is nil.
	Values []float64
	// Repeated is true where the same design was asked before in the same run: it costs nothing and does not count.
	Repeated bool
}

// An Evaluator answers designs with outcomes, in the order in which they were asked. An error means that the run
// cannot go on (cancelled, records gone); a design that the solver could not do is an Outcome, not an error.
type Evaluator interface {
	Evaluate(ctx context.Context, designs []Design) ([]Outcome, error)
}

// EvaluatorFunc lets a plain function of one design serve as an Evaluator.
type EvaluatorFunc func(Design) Outcome

// Evaluate answers the designs one after the other.
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
