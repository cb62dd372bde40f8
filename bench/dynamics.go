package bench

import (
	"ropebench/core/dynamics"
	"ropebench/core/formula"
)

// Dynamics is a solver given as ordinary differential equations: its states and signals are curves over time.
type Dynamics struct {
	From, To formula.Expression // of inputs
	Count    int                // of samples
	TimeUnit string
	States   []State
	Signals  []Derived // in the order in which they can be computed
	Relative float64   // accuracy of a step, relative to the size of a state
	Absolute float64   // and what is added to that
}

// A State changes with time, from a start that inputs decide.
type State struct {
	Name, Label, Unit string
	Start, Rate       formula.Expression
}

// System is what core/dynamics solves.
func (b *Bench) System() dynamics.System {
	d := b.Solver.Dynamics
	s := dynamics.System{Inputs: b.Variables(), From: d.From, To: d.To, Count: d.Count, Relative: d.Relative, Absolute: d.Absolute}
	for _, state := range d.States {
		s.States = append(s.States, dynamics.State{Name: state.Name, Start: state.Start, Rate: state.Rate})
	}
	for _, signal := range d.Signals {
		s.Signals = append(s.Signals, formula.Definition{Name: signal.Name, Expression: signal.Formula})
	}
	return s
}
