// Package study turns a study of a bench into calls of core methods over an evaluator, and leads the life of a run.
package study

import (
	"math"
	"slices"
	"sync"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/core/space"
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
// then the rest.
type Model struct {
	Layout
	Bench        *bench.Bench
	Space        space.Space
	Requirements []Target // all of the bench, in its order
	Objective    *optimize.Objective

	row     []float64 // nominal or held value of every input
	varied  []int     // index of each varied input in a row of inputs
	onInput int       // columns that inputs alone decide
	before  sync.Pool // machines of the program over inputs
	after   sync.Pool // machines of the program over inputs, outputs and what inputs decide
	screens []Target  // requirements on inputs alone that the run must meet
	index   map[string]int
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
	for _, out := range b.Outputs {
		if out.Curve != nil {
			m.Curves = append(m.Curves, out.Name)
		}
	}
	return m, m.compile(s)
}

// compile lays out the columns and makes the two programs.
func (m *Model) compile(s bench.Study) error {
	b := m.Bench
	for _, f := range b.Solver.Formulas {
		m.column(f.Name)
	}
	for _, out := range b.Outputs {
		if out.Curve == nil {
			m.column(out.Name)
		}
	}
	m.Outputs = len(m.Columns)
	before, after := m.definitions(s)
	for _, d := range before {
		m.column(d.Name)
	}
	m.onInput = len(before)
	for _, d := range after {
		m.column(d.Name)
	}
	variables := make([]string, 0, len(b.Inputs)+m.Outputs+m.onInput)
	for _, in := range b.Inputs {
		variables = append(variables, in.Name)
	}
	first, err := formula.Compile(variables, before)
	if err != nil {
		return err
	}
	second, err := formula.Compile(append(variables, m.Columns[:m.Outputs+m.onInput]...), after)
	if err != nil {
		return err
	}
	m.before.New = func() any { return first.NewMachine() }
	m.after.New = func() any { return second.NewMachine() }
	m.targets(s)
	return nil
}

func (m *Model) column(name string) {
	m.index[name] = len(m.Columns)
	m.Columns = append(m.Columns, name)
}

// definitions lists the formulas to be computed: those of inputs alone, and the others. A formula that is no plain
// name of a column is known by its text.
func (m *Model) definitions(s bench.Study) (before, after []formula.Definition) {
	b := m.Bench
	only := b.InputsOnly()
	defined := map[string]bool{}
	for _, name := range m.Columns {
		defined[name] = true
	}
	add := func(name string, expression formula.Expression) {
		if defined[name] {
			return
		}
		defined[name] = true
		onInputs := !slices.ContainsFunc(expression.Names, func(n string) bool { return !only[n] })
		if onInputs {
			before = append(before, formula.Definition{Name: name, Expression: expression})
		} else {
			after = append(after, formula.Definition{Name: name, Expression: expression})
		}
	}
	for _, d := range b.Derived {
		add(d.Name, d.Formula)
	}
	for _, q := range b.Requirements {
		add(q.Of.Text, q.Of)
	}
	if s.Objective != nil {
		add(s.Objective.Formula.Text, s.Objective.Formula)
	}
	return before, after
}

func (m *Model) targets(s bench.Study) {
	met := m.Bench.MetBy(s)
	for _, q := range m.Bench.Requirements {
		t := Target{Requirement: q, Column: m.index[q.Of.Text], OnInput: m.Bench.OnInputs(q)}
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
func (m *Model) Widths() (inputs, values, outputs int) {
	return len(m.row), len(m.Columns), m.Outputs
}

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
func (m *Model) Finish(n int, inputs, values func(row int) []float64) {
	known := m.Outputs + m.onInput
	if known == len(m.Columns) {
		return
	}
	variables := make([]float64, len(m.row)+known)
	machine := m.after.Get().(*formula.Machine)
	machine.Eval(n, func(i int) []float64 {
		copy(variables, inputs(i))
		copy(variables[len(m.row):], values(i))
		return variables
	}, func(i int) []float64 { return values(i)[known:] })
	m.after.Put(machine)
}

// Name implements dispatch.Model.
func (m *Model) Name(column int) string { return m.Columns[column] }
