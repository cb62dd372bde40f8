package model

import (
	"fmt"
	"maps"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
)

// A Model is a bench compiled for the evaluations of one run: the inputs of a design, the layout of what comes back, and the
// programs that compute it.
type Model struct {
	Layout
	Bench    *bench.Bench
	Programs *Programs
	Targets  []Target // all requirements of the bench, in its order, each once for every case in which it holds

	row     []float64 // nominal or held value of every input, and what choices carry: in the order of the variables
	moved   []int     // index of each input of a design in the row
	screens []Target  // requirements on inputs alone that a design must meet to be tried
	goal    core.Goal // all requirements
}

// A Target is a requirement with the column that it limits, in one case.
type Target struct {
	bench.Requirement
	Case     string // "": there are none, or it is the same in all
	Column   int
	OnInputs bool
}

// Called is the id of the requirement, with the case.
func (t Target) Called() string {
	if t.Case == "" {
		return t.ID
	}
	return t.ID + " in " + t.Case
}

// Constraint is the target as methods see it.
func (t Target) Constraint() core.Constraint {
	return core.Constraint{Value: t.Column, Limit: t.Limit, Price: t.Price, Equal: t.Kind == "equals"}
}

// A Scope says which inputs a design has, and what else is computed.
type Scope struct {
	Moves []string               // inputs of a design
	Hold  map[string]bench.Value // values of others that are not nominal
	Asked Asked                  // formulas beside those that the bench names
	// Matched are points of measurements, computed for every evaluation and shown with none.
	Matched Asked
	// Must names the requirements on inputs alone without which a design is not tried.
	Must []string
}

// New compiles a bench. The error says what the scope asks that cannot be done.
func New(b *bench.Bench, scope Scope) (*Model, error) {
	l, before, after := lay(b, scope.Asked, scope.Matched)
	m := &Model{Layout: l, Bench: b, row: b.NominalRow()}
	m.Held = map[string]bench.Value{}
	m.Inputs = slices.Sorted(slices.Values(scope.Moves))
	for i, in := range b.Inputs {
		if value, held := scope.Hold[in.Name]; held {
			number, err := in.NumberOf(value)
			if err != nil {
				return nil, err
			}
			m.row[i] = number
		}
		if !slices.Contains(m.Inputs, in.Name) {
			m.Held[in.Name] = in.ValueOf(m.row[i])
		}
	}
	b.FillColumns(m.row)
	for _, name := range m.Inputs {
		i := slices.IndexFunc(b.Inputs, func(in bench.Input) bool { return in.Name == name })
		if i < 0 {
			return nil, fmt.Errorf("%s is no input of this bench", name)
		}
		m.moved = append(m.moved, i)
	}
	var err error
	if m.Programs, err = compile(b, &m.Layout, before, after); err != nil {
		return nil, err
	}
	only := b.InputsOnly()
	for _, q := range b.Requirements {
		for _, one := range q.Limited() {
			if one.Of.Statistics != nil {
				continue // one evaluation does not tell
			}
			t := Target{Requirement: q, Case: one.Case, Column: m.Column(limitedBy(b, q, one.Of)), OnInputs: one.Of.NamesOnly(only)}
			m.Targets = append(m.Targets, t)
			if t.OnInputs && q.Decisive() && slices.Contains(scope.Must, q.ID) {
				m.screens = append(m.screens, t)
			}
			if !t.Wish {
				m.goal.Constraints = append(m.goal.Constraints, t.Constraint())
			}
		}
	}
	return m, nil
}

// Goal is what makes a design good for the bench: all requirements but wishes.
func (m *Model) Goal() core.Goal { return m.goal }

// Design takes the inputs of a design out of a set of values, nominal or held where it has none. Values that the bench does
// not know are refused before.
func (m *Model) Design(values map[string]bench.Value) core.Design {
	design := make(core.Design, len(m.moved))
	for k, i := range m.moved {
		design[k] = m.row[i]
		if value, given := values[m.Inputs[k]]; given {
			if number, err := m.Bench.Inputs[i].NumberOf(value); err == nil {
				design[k] = number
			}
		}
	}
	return design
}

// Input is the k-th input of a design.
func (m *Model) Input(k int) bench.Input { return m.Bench.Inputs[m.moved[k]] }

// Shown gives the values of a design, in its order.
func (m *Model) Shown(design []float64) []bench.Value {
	values := make([]bench.Value, len(design))
	for k, number := range design {
		values[k] = m.Input(k).ValueOf(number)
	}
	return values
}

// Values gives all inputs of a design by name.
func (m *Model) Values(design []float64) map[string]bench.Value {
	values := maps.Clone(m.Held)
	for k, value := range m.Shown(design) {
		values[m.Inputs[k]] = value
	}
	return values
}

// Fill fills a row of the variables of the bench, one for each of Variables, with a design.
func (m *Model) Fill(design core.Design, row []float64) {
	copy(row, m.row)
	for k, i := range m.moved {
		row[i] = design[k]
	}
	m.Bench.FillColumns(row)
}

// Variables is how many a row of inputs has.
func (m *Model) Variables() int { return len(m.row) }

// Outputs is how many columns, and how many vectors and curves, come from the solver: the first ones.
func (m *Model) Outputs() (columns, curves int) {
	return m.from(FromSolver)
}

// Names lists the columns.
func (m *Model) Names() []string { return names(m.Columns) }

// Moves lists the inputs of a design.
func (m *Model) Moves() []string { return m.Inputs }

// Screen fills what inputs alone decide, NaN elsewhere, and notes which of the rows miss a requirement by it. inputs has
// the variables of the bench, values the columns; both and missed have a row for each evaluation.
func (m *Model) Screen(inputs, values core.Matrix, missed []bool) {
	m.Programs.Screen(inputs, values)
	for i := range inputs.Rows {
		missed[i] = slices.ContainsFunc(m.screens, func(t Target) bool { return !(t.Limit.Margin(values.Row(i)[t.Column]) >= 0) })
	}
}

// Finish computes what stands behind the outputs of the solver: inputs, values, curves and errors have a row for each
// evaluation, of which errors has nil where all is well.
func (m *Model) Finish(inputs, values core.Matrix, curves [][]curve.Curve, errors []error) {
	m.Programs.Finish(inputs, values, curves, errors)
}

// Value is an input, or a value derived from inputs alone, of a row that was screened.
func (m *Model) Value(name string, inputs, values []float64) bench.Value {
	return m.Programs.Value(name, inputs, values)
}
