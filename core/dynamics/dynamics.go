// Package dynamics solves models given as ordinary differential equations, with their switches located, and the
// derivatives of their solutions with respect to inputs.
package dynamics

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A State changes with time: it begins at Start, a formula of inputs, and its rate of change is a formula of time, inputs,
// states and signals.
type State struct {
	Name        string
	Start, Rate formula.Expression
}

// A System is a set of differential equations. From and To are formulas of inputs; the solution is given at Count times,
// evenly spaced, ends included. Signals are formulas of time, inputs, states and the signals before them.
type System struct {
	Inputs   []string
	From, To formula.Expression
	Count    int
	States   []State
	Signals  []formula.Definition
	Relative float64 // error of a step, relative to the size of each state
	Absolute float64 // and what is added to that
}

// Time is the name of time in formulas.
const Time = "time"

// A Model is a compiled system. Its methods may be used by several goroutines.
type Model struct {
	System
	frame    *formula.Program  // inputs -> from, to, start of each state
	motion   *formula.Program  // time, states, inputs -> rate of each state, signals
	switched *formula.Switched // the same, with modes behind the inputs and guards behind the signals
	follows  bool              // the rates or guards follow the time in other ways than straight

	mutex          sync.Mutex // guards what follows
	differentiated []*differentiated
}

// Compile checks the formulas of a system. Errors name the state or signal.
func Compile(s System) (*Model, error) {
	m := &Model{System: s}
	frame := []formula.Definition{{Name: "from", Expression: s.From}, {Name: "to", Expression: s.To}}
	variables := []string{Time}
	for _, state := range s.States {
		frame = append(frame, formula.Definition{Name: "start of " + state.Name, Expression: state.Start})
		variables = append(variables, state.Name)
	}
	var err error
	if m.frame, err = formula.Compile(s.Inputs, frame); err != nil {
		return nil, err
	}
	definitions := append([]formula.Definition{}, s.Signals...)
	for _, state := range s.States {
		definitions = append(definitions, formula.Definition{Name: "rate of " + state.Name, Expression: state.Rate})
	}
	if m.motion, err = formula.Compile(append(variables, s.Inputs...), definitions); err != nil {
		return nil, err
	}
	m.switched = m.motion.Switched()
	for k, depends := range m.switched.Program.Derivatives([]int{0}).DependOn(0) {
		m.follows = m.follows || k >= m.switched.Program.Results() && depends
	}
	return m, nil
}

// ErrNotDifferentiable is the error of Differentiate where there is a solution, and a derivative of it is not finite.
var ErrNotDifferentiable = errors.New("the equations are not differentiable")

// A Solution has a curve over time for each state and, behind them, for each signal; and where derivatives were asked
// for, the derivatives of each curve, one for each input asked.
type Solution struct {
	Curves      []curve.Curve
	Derivatives [][]curve.Derivative
	Steps       int // of the method, those that were repeated included
}

// Solve gives the solution for a row of inputs, in their order. The error says at which time it ran away, or
// is that of ctx.
func (m *Model) Solve(ctx context.Context, inputs []float64) (Solution, error) {
	return m.solve(ctx, inputs, nil)
}

// Differentiate solves the system together with the equations of its sensitivities with respect to the inputs wrt, by
// index: S' = df/dy S + df/dp, with the jump that S makes where a mode changes (W. A. Rozenvasser, Automation and Remote
// Control 28 (1967)).
func (m *Model) Differentiate(ctx context.Context, inputs []float64, wrt []int) (Solution, error) {
	return m.solve(ctx, inputs, wrt)
}

// looksAfter is how many steps are made before it is looked whether the solution is still wanted.
const looksAfter = 256

func (m *Model) solve(ctx context.Context, inputs []float64, wrt []int) (Solution, error) {
	run, err := m.begin(inputs, wrt)
	if err != nil {
		return Solution{}, err
	}
	for i := 0; run.sampled < m.Count; i++ {
		if i%looksAfter == 0 && ctx.Err() != nil {
			return Solution{}, ctx.Err()
		}
		if err := run.advance(); err != nil {
			return Solution{}, err
		}
	}
	return run.solution(), nil
}

// check refuses times that make no sense.
func checkTimes(from, to float64) error {
	if !(from < to) || to-from > 1e300 {
		return fmt.Errorf("time runs from %g to %g: the end must lie behind the beginning", from, to)
	}
	return nil
}
