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
	Inputs  []string               `json:"inputs"` // varied, in the order of a record's design
	Held    map[string]bench.Value `json:"held"`   // all other inputs
	Columns []string               `json:"columns"`
	Outputs int                    `json:"outputs"` // the first of the columns come from the solver
	Curves  []string               `json:"curves,omitempty"`
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

	variables    []string
	row          []float64 // nominal or held value of every input, and what choices carry: in the order of variables
	varied       []int     // index of each varied input in the row
	onInput      int       // columns that inputs alone decide
	solverCurves int
	before       sync.Pool   // machines of the program over inputs
	after        sync.Pool   // of *pipeline, for the program over inputs, outputs and what inputs decide
	formulas     []following // all that are computed here, in their order
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
// one evaluation and for a verification a design names every input, varied or not.
func NewModel(b *bench.Bench, s bench.Study, hold map[string]bench.Value) (*Model, error) {
	m := &Model{Bench: b, index: map[string]int{}, variables: b.Variables(), row: b.NominalRow()}
	m.Held = map[string]bench.Value{}
	single := s.Kind == KindTry || s.Kind == KindVerify
	for i, in := range b.Inputs {
		value, held := hold[in.Name]
		if held {
			number, err := in.NumberOf(value)
			if err != nil {
				return nil, err
			}
			m.row[i] = number
		}
		switch {
		case single:
			m.Inputs, m.varied = append(m.Inputs, in.Name), append(m.varied, i)
		case !in.Varied() || held || s.Vary != nil && !slices.Contains(s.Vary, in.Name):
			m.Held[in.Name] = in.ValueOf(m.row[i])
		default:
			m.Inputs, m.varied = append(m.Inputs, in.Name), append(m.varied, i)
			m.Space = append(m.Space, axis(in))
		}
	}
	b.Carry(m.row)
	return m, m.compile(s)
}

// axis is how a search sees a varied input.
func axis(in bench.Input) space.Input {
	c := in.Choices
	if c == nil {
		return space.Input{Name: in.Name, Lower: in.Range.Lower, Upper: in.Range.Upper, Step: in.Step, Log: in.Log}
	}
	values := c.Numbers
	for i := range c.Words {
		values = append(values, float64(i))
	}
	return space.Input{Name: in.Name, Values: values, Unordered: !c.Ordered()}
}

// compile lays out the columns and makes the programs.
func (m *Model) compile(s bench.Study) error {
	b := m.Bench
	for _, g := range b.Given() {
		if g.Shape == formula.Number {
			m.column(g.Name)
		} else {
			m.Curves = append(m.Curves, g.Name)
		}
	}
	m.Outputs, m.solverCurves = len(m.Columns), len(m.Curves)
	before, after := m.definitions(s)
	m.formulas = append(slices.Clone(before), after...)
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
	first, err := formula.Compile(m.variables, definitionsOf(before))
	if err != nil {
		return err
	}
	m.before.New = func() any { return first.NewMachine() }
	if withSequences {
		m.sequences = after
	} else {
		second, err := formula.Compile(append(slices.Clone(m.variables), m.Columns[:m.Outputs+m.onInput]...), definitionsOf(after))
		if err != nil {
			return err
		}
		m.after.New = func() any {
			return &pipeline{second.NewMachine(), make([]float64, formula.Lanes*second.Variables())}
		}
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
	curve  bool                               // a limit curve is behind worst, not an element
	worst  func(curve.Curve) (float64, error) // reduces a sequence to the number that its requirement hangs on; nil: none
}

// A pipeline computes what follows the outputs: a machine, and the variables of as many rows as it works on at once.
type pipeline struct {
	machine   *formula.Machine
	variables []float64
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
		add(following{formula.Definition{Name: d.Name, Expression: d.Formula}, b.Shapes[d.Name] == formula.Number, false, nil})
	}
	for _, q := range b.Requirements {
		add(following{formula.Definition{Name: limited(b, q), Expression: q.Of}, true, q.File != "", b.Worst(q)})
	}
	if s.Objective != nil {
		add(following{formula.Definition{Name: s.Objective.Formula.Text, Expression: s.Objective.Formula}, true, false, nil})
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

// Design takes the varied inputs out of a set of values, nominal where it has none. Values that the bench does not know
// are refused by Ask.
func (m *Model) Design(values map[string]bench.Value) core.Design {
	design := make(core.Design, len(m.varied))
	for k, i := range m.varied {
		design[k] = m.row[i]
		if value, given := values[m.Inputs[k]]; given {
			if number, err := m.Bench.Inputs[i].NumberOf(value); err == nil {
				design[k] = number
			}
		}
	}
	return design
}

// Shown gives the values of a design, in its order.
func (m *Model) Shown(design []float64) []bench.Value {
	values := make([]bench.Value, len(design))
	for k, number := range design {
		values[k] = m.Bench.Inputs[m.varied[k]].ValueOf(number)
	}
	return values
}

// Values gives all inputs of a design by name.
func (m *Model) Values(design []float64) map[string]bench.Value {
	values := make(map[string]bench.Value, len(m.Inputs)+len(m.Held))
	for name, value := range m.Held {
		values[name] = value
	}
	for k, value := range m.Shown(design) {
		values[m.Inputs[k]] = value
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
	m.Bench.Carry(row)
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
func (m *Model) Value(name string, inputs, values []float64) bench.Value {
	if column, isColumn := m.index[name]; isColumn {
		return bench.Number(values[column])
	}
	value, _ := m.Bench.ValueIn(inputs, name)
	return value
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
	width := len(m.row) + known
	after := m.after.Get().(*pipeline)
	after.machine.Eval(n, func(i int) []float64 {
		variables := after.variables[i%formula.Lanes*width:][:width]
		copy(variables, rows(i).Inputs)
		copy(variables[len(m.row):], rows(i).Values)
		return variables
	}, func(i int) []float64 { return rows(i).Values[known:] })
	m.after.Put(after)
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
		return formula.Scalar(m.Value(name, row.Inputs, row.Values).Number)
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
