package published

import (
	"context"
	"encoding/binary"
	"math"
	"slices"
	"strconv"

	"ropebench/core"
	"ropebench/core/formula"
)

// A Model answers a smooth problem, and counts what it is asked.
type Model struct {
	Asked, Derived int  // different designs, and derivatives
	Digits         int  // significant ones of every value; 0: all
	Screens        bool // a design that misses a constraint is not tried, as where inputs alone decide them
	NotTried       int

	problem        Smooth
	goal           core.Goal
	values, slopes *formula.Machine
	inputs, count  int // count: of values
	seen           map[string]bool
	objectives     []float64 // of the designs asked, NaN where a limit is missed
	costs          []int     // what had been asked until then, derivatives included
}

// Model compiles the formulas of a problem.
func (s Smooth) Model() (*Model, error) {
	program, err := s.Program()
	if err != nil {
		return nil, err
	}
	wrt := make([]int, len(s.Start))
	for j := range wrt {
		wrt[j] = j
	}
	return &Model{problem: s, goal: s.Goal(), values: program.NewMachine(), slopes: program.Derivatives(wrt).NewMachine(), inputs: len(s.Start),
		count: 1 + len(s.AtLeast0) + len(s.Equal0), seen: map[string]bool{}}, nil
}

func (m *Model) valuesOf(x core.Design) []float64 {
	in, out := core.MatrixOf([][]float64{x}), core.NewMatrix(1, m.count)
	m.values.Eval(in, out)
	return out.Row(0)
}

// Evaluate implements core.Evaluator.
func (m *Model) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, x := range designs {
		key := make([]byte, 0, 8*len(x))
		for _, u := range x {
			key = binary.LittleEndian.AppendUint64(key, math.Float64bits(u))
		}
		outcomes[i] = m.outcome(x)
		outcomes[i].Repeated = m.seen[string(key)]
		if !m.seen[string(key)] {
			m.seen[string(key)] = true
			m.note(outcomes[i])
		}
	}
	return outcomes, nil
}

func (m *Model) outcome(x core.Design) core.Outcome {
	values := m.valuesOf(x)
	if slices.ContainsFunc(values, func(v float64) bool { return math.IsNaN(v) || math.IsInf(v, 0) }) {
		return core.Outcome{State: core.Failed}
	}
	if m.Screens && !m.goal.Feasible(values) {
		values[0] = math.NaN()
		return core.Outcome{State: core.NotTried, Values: values}
	}
	if m.Digits > 0 {
		for k := range values {
			values[k], _ = strconv.ParseFloat(strconv.FormatFloat(values[k], 'e', m.Digits-1, 64), 64)
		}
	}
	return core.Outcome{Values: values}
}

func (m *Model) note(o core.Outcome) {
	m.Asked++
	if o.State == core.NotTried {
		m.NotTried++
	}
	objective := math.NaN()
	if o.State == core.OK && m.goal.Feasible(o.Values) {
		objective = o.Values[0]
	}
	m.objectives, m.costs = append(m.objectives, objective), append(m.costs, m.Asked+m.Derived)
}

// ToSuccess is what was asked, derivatives included, until the best known value was reached, relative where it is larger than 1; 0:
// it never was.
func (m *Model) ToSuccess(tolerance float64) int {
	for i, objective := range m.objectives {
		if m.problem.Reached(objective, tolerance) {
			return m.costs[i]
		}
	}
	return 0
}

// Differentiated knows the derivatives, too.
type Differentiated struct{ *Model }

// Differentiate implements core.Differentiator.
func (m Differentiated) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := m.Evaluate(ctx, designs)
	derivatives := make([]core.Derivatives, len(designs))
	for i, x := range designs {
		m.Derived++
		derivatives[i] = m.derivativesOf(x)
	}
	return outcomes, derivatives, err
}

func (m *Model) derivativesOf(x core.Design) core.Derivatives {
	in, out := core.MatrixOf([][]float64{x}), core.NewMatrix(1, m.count*(1+m.inputs))
	m.slopes.Eval(in, out)
	d := core.NewMatrix(m.count, m.inputs)
	for k := range m.count {
		copy(d.Row(k), out.Row(0)[m.count+k*m.inputs:])
	}
	return &d
}

// Ahead knows the constraints without asking, as where they are formulas of inputs.
type Ahead struct{ *Model }

// Decided says that all but the objective is decided by inputs alone.
func (m Ahead) Decided() []bool {
	decided := make([]bool, m.count)
	for k := 1; k < m.count; k++ {
		decided[k] = true
	}
	return decided
}

// Look gives the constraints, and with derivatives their slopes.
func (m Ahead) Look(x core.Design, derivatives bool) ([]float64, core.Derivatives) {
	values := m.valuesOf(x)
	values[0] = math.NaN()
	if !derivatives {
		return values, nil
	}
	return values, m.derivativesOf(x)
}
