// Package study turns a study of a bench into calls of core methods over an evaluator, and leads the life of a run.
package study

import (
	"fmt"
	"math"
	"slices"
	"sync"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/core/space"
	"ropebench/dispatch"
	"ropebench/solver"
)

// A Layout says what the numbers of a run's records mean. It is kept with the run.
type Layout struct {
	Inputs  []string           `json:"inputs"` // varied, in the order of a record's design
	Held    map[string]float64 `json:"held"`   // all other inputs
	Columns []string           `json:"columns"`
	Outputs int                `json:"outputs"` // the first of the columns come from the solver
	Curves  []string           `json:"curves,omitempty"`
}

// A Model is a bench compiled for one run: the varied inputs as a space, the formulas as programs, the requirements
// and the objective as columns of values. The columns are the outputs of the solver, then what inputs alone decide,
// then the rest. Vectors and curves stand beside the columns: those of the solver, then derived ones.
type Model struct {
	Layout
	Bench        *bench.Bench
	Space        space.Space
	Requirements []Target // all of the bench, in its order
	Objective    *optimize.Objective

	row          []float64 // nominal or held value of every input
	varied       []int     // index of each varied input in a row of inputs
	onInput      int       // columns that inputs alone decide
	solverCurves int
	before       sync.Pool   // machines of the program over inputs
	after        sync.Pool   // machines of the program over inputs, outputs and what inputs decide
	sequences    []following // what is computed instead of that program where vectors or curves take part; nil: none do
	screens      []Target    // requirements on inputs alone that the run must meet
	index        map[string]int
}

// A Target is a requirement with the column that it limits.
type Target struct {
	bench.Requirement
	Column  int
	OnInput bool
	Met     bool // this run must meet it
}

// NewModel compiles a bench for a study. hold has the values of inputs that are not varied, nominal ones excepted. For
// one evaluation and for a verification a design names every input, ranged or not.
func NewModel(b *bench.Bench, s bench.Study, hold map[string]float64) (*Model, error) {
	m := &Model{Bench: b, index: map[string]int{}}
	m.Held = map[string]float64{}
	single := s.Kind == KindTry || s.Kind == KindVerify
	for i, in := range b.Inputs {
		value, held := hold[in.Name]
		if !held {
			value = in.Nominal
		}
		m.row = append(m.row, value)
		switch {
		case single:
			m.Inputs, m.varied = append(m.Inputs, in.Name), append(m.varied, i)
		case in.Range == nil || held || s.Vary != nil && !slices.Contains(s.Vary, in.Name):
			m.Held[in.Name] = value
		default:
			m.Inputs, m.varied = append(m.Inputs, in.Name), append(m.varied, i)
			m.Space = append(m.Space, space.Input{Name: in.Name, Lower: in.Range.Lower, Upper: in.Range.Upper, Step: in.Step, Log: in.Log})
		}
	}
	return m, m.compile(s)
}

// compile lays out the columns and makes the programs.
func (m *Model) compile(s bench.Study) error {
	b := m.Bench
	for _, f := range b.Solver.Formulas {
		if b.Shapes[f.Name] == formula.Number {
			m.column(f.Name)
		} else {
			m.Curves = append(m.Curves, f.Name)
		}
	}
	for _, out := range b.Outputs {
		if out.Shape() == formula.Number {
			m.column(out.Name)
		} else {
			m.Curves = append(m.Curves, out.Name)
		}
	}
	m.Outputs, m.solverCurves = len(m.Columns), len(m.Curves)
	before, after := m.definitions(s)
	m.onInput = len(before)
	withSequences := false
	for _, d := range append(before, after...) {
		if d.column {
			m.column(d.Name)
		} else {
			m.Curves = append(m.Curves, d.Name)
		}
		withSequences = withSequences || !d.column || d.worst != nil || d.Expression.Reads()
	}
	var variables []string
	for _, in := range b.Inputs {
		variables = append(variables, in.Name)
	}
	first, err := formula.Compile(variables, definitionsOf(before))
	if err != nil {
		return err
	}
	m.before.New = func() any { return first.NewMachine() }
	if withSequences {
		m.sequences = after
	} else {
		second, err := formula.Compile(append(variables, m.Columns[:m.Outputs+m.onInput]...), definitionsOf(after))
		if err != nil {
			return err
		}
		m.after.New = func() any { return second.NewMachine() }
	}
	m.targets(s)
	return nil
}

func (m *Model) column(name string) {
	m.index[name] = len(m.Columns)
	m.Columns = append(m.Columns, name)
}

// A following is a formula that is computed behind the outputs of the solver.
type following struct {
	formula.Definition
	column bool                               // it gives a number
	worst  func(curve.Curve) (float64, error) // reduces a sequence to the number that its requirement hangs on; nil: none
}

func definitionsOf(all []following) []formula.Definition {
	definitions := make([]formula.Definition, len(all))
	for i, f := range all {
		definitions[i] = f.Definition
	}
	return definitions
}

// definitions lists the formulas to be computed: those of inputs alone, and the others. A formula that is no plain
// name of a column is known by its text.
func (m *Model) definitions(s bench.Study) (before, after []following) {
	b := m.Bench
	only := b.InputsOnly()
	defined := map[string]bool{}
	for _, name := range append(slices.Clone(m.Columns), m.Curves...) {
		defined[name] = true
	}
	add := func(f following) {
		if defined[f.Name] {
			return
		}
		defined[f.Name] = true
		if slices.ContainsFunc(f.Expression.Names, func(n string) bool { return !only[n] }) {
			after = append(after, f)
		} else {
			before = append(before, f)
		}
	}
	for _, d := range b.Derived {
		add(following{formula.Definition{Name: d.Name, Expression: d.Formula}, b.Shapes[d.Name] == formula.Number, nil})
	}
	for _, q := range b.Requirements {
		add(following{formula.Definition{Name: limited(b, q), Expression: q.Of}, true, b.Worst(q)})
	}
	if s.Objective != nil {
		add(following{formula.Definition{Name: s.Objective.Formula.Text, Expression: s.Objective.Formula}, true, nil})
	}
	return before, after
}

// limited is the name of the column that a requirement limits: a sequence is limited at its worst element.
func limited(b *bench.Bench, q bench.Requirement) string {
	if b.Worst(q) == nil {
		return q.Of.Text
	}
	return fmt.Sprintf("%s, worst for %s", q.Of.Text, q.ID)
}

func (m *Model) targets(s bench.Study) {
	met := m.Bench.MetBy(s)
	for _, q := range m.Bench.Requirements {
		t := Target{Requirement: q, Column: m.index[limited(m.Bench, q)], OnInput: m.Bench.OnInputs(q)}
		t.Met = slices.ContainsFunc(met, func(r bench.Requirement) bool { return r.ID == q.ID })
		m.Requirements = append(m.Requirements, t)
		if t.OnInput && t.Met && q.Decisive() {
			m.screens = append(m.screens, t)
		}
	}
	if s.Objective != nil {
		m.Objective = &optimize.Objective{Value: m.index[s.Objective.Formula.Text], Maximize: s.Objective.Maximize}
	}
}

// Problem is what a search method is given.
func (m *Model) Problem() optimize.Problem {
	p := optimize.Problem{Space: m.Space, Objective: m.Objective}
	for _, t := range m.Requirements {
		if t.Met {
			p.Constraints = append(p.Constraints, optimize.Constraint{Value: t.Column, Limit: t.Limit, Price: t.Price})
		}
	}
	return p
}

// Design takes the varied inputs out of a set of values, nominal where it has none.
func (m *Model) Design(values map[string]float64) core.Design {
	design := make(core.Design, len(m.varied))
	for k, i := range m.varied {
		design[k] = m.row[i]
		if value, given := values[m.Inputs[k]]; given {
			design[k] = value
		}
	}
	return design
}

// Values gives all inputs of a design by name.
func (l Layout) Values(design []float64) map[string]float64 {
	values := make(map[string]float64, len(l.Inputs)+len(l.Held))
	for name, value := range l.Held {
		values[name] = value
	}
	for i, name := range l.Inputs {
		values[name] = design[i]
	}
	return values
}

// Widths implements dispatch.Model.
func (m *Model) Widths() dispatch.Widths {
	return dispatch.Widths{Inputs: len(m.row), Values: len(m.Columns), Outputs: m.Outputs, Curves: m.solverCurves}
}

// Varied implements dispatch.Model.
func (m *Model) Varied() []string { return m.Layout.Inputs }

// FillInputs implements dispatch.Model.
func (m *Model) FillInputs(design core.Design, row []float64) {
	copy(row, m.row)
	for k, i := range m.varied {
		row[i] = design[k]
	}
}

// Screen implements dispatch.Model.
func (m *Model) Screen(n int, inputs, values func(row int) []float64, missed []bool) {
	if m.onInput > 0 {
		machine := m.before.Get().(*formula.Machine)
		machine.Eval(n, inputs, func(i int) []float64 { return values(i)[m.Outputs : m.Outputs+m.onInput] })
		m.before.Put(machine)
	}
	for i := range n {
		row := values(i)
		for c := range row {
			if c < m.Outputs || c >= m.Outputs+m.onInput {
				row[c] = math.NaN()
			}
		}
		for _, t := range m.screens {
			missed[i] = missed[i] || !(t.Limit.Margin(row[t.Column]) >= 0)
		}
	}
}

// Value implements dispatch.Model.
func (m *Model) Value(name string, inputs, values []float64) float64 {
	if column, isColumn := m.index[name]; isColumn {
		return values[column]
	}
	i := slices.IndexFunc(m.Bench.Inputs, func(in bench.Input) bool { return in.Name == name })
	return inputs[i]
}

// Finish implements dispatch.Model.
func (m *Model) Finish(n int, rows func(row int) *solver.Row) {
	known := m.Outputs + m.onInput
	switch {
	case m.sequences != nil:
		for i := range n {
			m.follow(rows(i))
		}
		return
	case known == len(m.Columns):
		return
	}
	variables := make([]float64, len(m.row)+known)
	machine := m.after.Get().(*formula.Machine)
	machine.Eval(n, func(i int) []float64 {
		copy(variables, rows(i).Inputs)
		copy(variables[len(m.row):], rows(i).Values)
		return variables
	}, func(i int) []float64 { return rows(i).Values[known:] })
	m.after.Put(machine)
}

// follow computes one row where vectors or curves take part.
func (m *Model) follow(row *solver.Row) {
	lookup := func(name string) formula.Value {
		if column, ok := m.index[name]; ok {
			return formula.Scalar(row.Values[column])
		}
		if i := slices.Index(m.Curves, name); i >= 0 && i < len(row.Curves) {
			return formula.Sequence(row.Curves[i])
		}
		return formula.Scalar(m.Value(name, row.Inputs, row.Values))
	}
	for _, f := range m.sequences {
		value, err := f.Expression.Evaluate(lookup)
		if err == nil && f.worst != nil {
			value.Number, err = f.worst(*value.Samples)
		}
		if err == nil && !f.column {
			err = value.Samples.Check()
		}
		if err != nil {
			row.Err = fmt.Errorf("%s: %w", f.Name, err)
			return
		}
		if f.column {
			row.Values[m.index[f.Name]] = value.Number
		} else {
			row.Curves = append(row.Curves, *value.Samples)
		}
	}
}

// Name implements dispatch.Model.
func (m *Model) Name(column int) string { return m.Columns[column] }
