package model_test

import (
	"context"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/verdict"
	"ropebench/model"
	"ropebench/result"
	"ropebench/solver"
	"ropebench/solver/equations"
	"ropebench/solver/formulas"
)

const beam = `bench: 1
inputs:
  width: {unit: mm, nominal: 20, range: [10, 40], ends: [guess, hard]}
  load:  {unit: N, nominal: 100, range: [50, 200]}
solver: {formulas: {sag: load/width, mass: 0.1*width}}
derived:
  double: 2*width
requirements:
  R1: {of: sag, at_most: 6, reserve: 1}
  R2: {of: mass, at_most: 3, wish: true}
  R3: {of: double, at_least: 22}
  R4: {of: "sag*mass", at_most: 9, price: 5}
studies:
  best: {kind: optimize, minimize: "mass + 0.01*load"}
  most: {kind: optimize, maximize: sag, meet: [R1]}
`

// compiled is the beam with its load held, or moved.
func compiled(t *testing.T, moves ...string) (*model.Model, bench.Study) {
	b, err := read.Read("beam.bench.yaml", []byte(beam))
	require.NoError(t, err)
	best, _ := b.Study("best")
	m, err := model.New(b, model.Scope{Moves: moves, Asked: model.Asked{best.Goals()[0].Formula}, Must: []string{"R1", "R3"}})
	require.NoError(t, err)
	return m, best
}

// values are the columns of designs, and which of them are not tried.
func values(t *testing.T, m *model.Model, designs ...core.Design) (core.Matrix, []bool) {
	inputs, values, missed := core.NewMatrix(len(designs), m.Variables()), core.NewMatrix(len(designs), len(m.Columns)), make([]bool, len(designs))
	for i, design := range designs {
		m.Fill(design, inputs.Row(i))
	}
	m.Screen(inputs, values, missed)
	s, err := formulas.New(m.Bench)
	require.NoError(t, err)
	rows := solver.Rows{Inputs: inputs, Values: values, Curves: make([][]curve.Curve, len(designs)), Errors: make([]error, len(designs))}
	require.NoError(t, s.SolveAll(t.Context(), rows))
	m.Finish(inputs, values, rows.Curves, rows.Errors)
	return values, missed
}

func TestColumnsAreLaidOut(t *testing.T) {
	t.Parallel()
	m, _ := compiled(t, "width")
	assert.Equal(t, []model.Column{{Name: "mass", Source: model.FromSolver}, {Name: "sag", Source: model.FromSolver}, {Name: "double", Source: model.FromInputs},
		{Name: "sag*mass", Source: model.Derived}, {Name: "mass + 0.01*load", Source: model.Derived}}, m.Columns, "outputs by name, what inputs decide, the rest")
	assert.Equal(t, []int{1, 0, 2, 3, 4}, m.ShownColumns(m.Bench), "shown in the order of the file")
	v, missed := values(t, m, core.Design{25}, core.Design{10.5})
	assert.Equal(t, []float64{2.5, 4, 50, 10, 3.5}, v.Row(0))
	assert.Equal(t, []bool{false, true}, missed, "R3 hangs on inputs alone")
	assert.Equal(t, map[string]bench.Value{"width": {Number: 25}, "load": {Number: 100}}, m.Values(core.Design{25}))
	assert.Equal(t, bench.Number(25), m.Value("width", []float64{25, 100}, v.Row(0)))
	assert.Equal(t, bench.Number(50), m.Value("double", []float64{25, 100}, v.Row(0)), "both can stand in a deck")
	assert.True(t, m.IsNominal(core.Design{20}))
	assert.False(t, m.IsNominal(core.Design{21}))
	held, err := model.New(m.Bench, model.Scope{Moves: []string{"width"}, Hold: map[string]bench.Value{"load": bench.Number(90)}})
	require.NoError(t, err)
	assert.False(t, held.IsNominal(core.Design{20}), "a held value is no nominal one")
}

func TestOrderOfTheFileMeansNothing(t *testing.T) {
	t.Parallel()
	swapped := strings.NewReplacer("sag: load/width, mass: 0.1*width", "mass: 0.1*width, sag: load/width",
		"  width: {unit: mm, nominal: 20, range: [10, 40], ends: [guess, hard]}\n  load:  {unit: N, nominal: 100, range: [50, 200]}\n", "  load:  {unit: N, nominal: 100, range: [50, 200]}\n  width: {unit: mm, nominal: 20, range: [10, 40], ends: [guess, hard]}\n").Replace(beam)
	require.NotEqual(t, beam, swapped)
	b, err := read.Read("beam.bench.yaml", []byte(swapped))
	require.NoError(t, err)
	other, err := model.New(b, model.Scope{Moves: []string{"width", "load"}})
	require.NoError(t, err)
	m, _ := compiled(t, "width", "load")
	assert.Equal(t, []string{"load", "width"}, m.Inputs, "designs are by name")
	assert.Equal(t, m.Inputs, other.Inputs)
	assert.Equal(t, m.Names()[:4], other.Names())
	assert.Equal(t, []int{1, 0}, m.ShownInputs(m.Bench), "and shown as the file has them")
	assert.Equal(t, []int{0, 1}, other.ShownInputs(b))
}

func TestVerdicts(t *testing.T) {
	t.Parallel()
	m, _ := compiled(t, "width")
	v, _ := values(t, m, core.Design{18})
	judged := m.Judge(v.Row(0))
	assert.Equal(t, verdict.MetWithoutReserve, judged["R1"].Verdict)
	assert.InDelta(t, 6-100.0/18, *judged["R1"].Margin, 1e-12)
	assert.Equal(t, verdict.Met, judged["R2"].Verdict)
	assert.Equal(t, verdict.Missed, judged["R4"].Verdict)
	assert.True(t, m.Feasible(v.Row(0)), "wishes and soft requirements decide nothing")
	assert.Equal(t, verdict.NotShown, m.Judge(nil)["R1"].Verdict)
	assert.Nil(t, m.Judge(nil)["R1"].Value)
	v, _ = values(t, m, core.Design{12})
	mass := v.Row(0)[m.Column("mass")]
	described := m.Describe(7, core.Design{12}, v.Row(0), &mass, m.Problem(bench.Study{}, nil, m.Design(nil)).Goal)
	assert.False(t, described.Feasible)
	assert.Equal(t, "R1 by 2.333", strings.Split(described.Misses, " mm")[0], "the reserve is not a limit")
	assert.InDelta(t, 1.2, *described.Objective, 1e-12)
	assert.Equal(t, 7, described.Evaluation)
}

func TestEnds(t *testing.T) {
	t.Parallel()
	m, _ := compiled(t, "width")
	ends := m.AtEnds(core.Design{10.02})
	require.Len(t, ends, 1)
	assert.Equal(t, result.End{Input: "width", End: "lower", Value: 10, Guess: true, Says: "width: the optimum is held by your guess of 10 mm: widen it?"}, ends[0])
	assert.Equal(t, "width is at its upper end, 40 mm, which is hard", m.AtEnds(core.Design{40})[0].Says)
	assert.Empty(t, m.AtEnds(core.Design{11}))

	b, err := read.Read("beam.bench.yaml", []byte(strings.Replace(beam, "nominal: 20, range: [10, 40]", "nominal: 20, scale: log, range: [1e-6, 40]", 1)))
	require.NoError(t, err)
	log, err := model.New(b, model.Scope{Moves: []string{"width"}, Must: []string{"R1"}})
	require.NoError(t, err)
	assert.Empty(t, log.AtEnds(core.Design{0.001}), "on a logarithmic scale that is far from the end")
	assert.Len(t, log.AtEnds(core.Design{1.01e-6}), 1)
}

// TestOneModelServesManyProblems asks two problems of one model: over all inputs, and over one with the other held.
func TestOneModelServesManyProblems(t *testing.T) {
	t.Parallel()
	m, best := compiled(t, "width", "load")
	whole := m.Problem(best, []string{"width", "load"}, m.Design(nil))
	part := m.Problem(best, []string{"width"}, core.Design{150, 20})
	assert.Len(t, whole.Space, 2)
	require.Len(t, part.Space, 1)
	assert.Equal(t, core.Objective{Value: m.Column("mass + 0.01*load")}, part.Objectives[0])
	assert.Len(t, part.Constraints, 3, "R1, R3 and R4: a wish is not to be met")
	assert.Equal(t, core.Design{150, 33}, part.Whole(core.Design{33}))
	assert.Equal(t, core.Design{33}, part.Part(core.Design{150, 33}))
	var asked []core.Design
	inner := core.EvaluatorFunc(func(d core.Design) core.Outcome {
		asked = append(asked, d)
		return core.Outcome{Values: []float64{1}}
	})
	_, err := part.Over(inner).Evaluate(t.Context(), []core.Design{{33}})
	require.NoError(t, err)
	assert.Equal(t, []core.Design{{150, 33}}, asked)
	_, differentiates := part.Over(inner).(core.Differentiator)
	assert.False(t, differentiates)
	d, differentiates := part.Over(twoSlopes{inner}).(core.Differentiator)
	require.True(t, differentiates)
	_, derivatives, err := d.Differentiate(t.Context(), []core.Design{{33}})
	require.NoError(t, err)
	assert.Equal(t, []float64{7}, derivatives[0].Row(0), "those by the inputs of the problem")
	assert.NotImplements(t, (*core.Streamer)(nil), part.Over(inner))
	for _, e := range []core.Evaluator{streaming{inner}, streamingSlopes{twoSlopes{inner}}} {
		over := part.Over(e)
		_, differentiates = e.(core.Differentiator)
		_, still := over.(core.Differentiator)
		assert.Equal(t, differentiates, still)
		asked = nil
		require.NoError(t, over.(core.Streamer).Stream().Submit(t.Context(), core.Design{44}))
		assert.Equal(t, []core.Design{{150, 44}}, asked)
	}
	_, same := whole.Over(inner).(core.EvaluatorFunc)
	assert.True(t, same, "a problem over all inputs asks as it is")
}

// streaming notes what its streams are asked.
type streaming struct{ core.EvaluatorFunc }

func (e streaming) Stream() core.Stream { return noted{evaluator: e} }

type streamingSlopes struct{ twoSlopes }

func (e streamingSlopes) Stream() core.Stream { return noted{evaluator: e} }

type noted struct {
	core.Stream
	evaluator core.Evaluator
}

func (s noted) Submit(ctx context.Context, designs ...core.Design) error {
	_, err := s.evaluator.Evaluate(ctx, designs)
	return err
}

// twoSlopes says that its value moves by 5 with the first input, by 7 with the second.
type twoSlopes struct{ core.Evaluator }

func (e twoSlopes) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := e.Evaluate(ctx, designs)
	m := core.MatrixOf([][]float64{{5, 7}})
	return outcomes, []core.Derivatives{&m}, err
}

const models = `bench: 1
inputs:
  a: {nominal: 1.5, range: [1, 2]}
  b: {nominal: 0.5, range: [0, 1]}
  rope: {nominal: S, catalog: ropes.csv}
`

// computed gives the values of a model at its nominal design, moved by da, and its derivatives.
func computed(t *testing.T, file string, da float64) (*model.Model, []float64, core.Derivatives) {
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": models + file, "ropes.csv": "name,mass\nS,0.5\nH,2\n"}))
	require.NoError(t, err)
	m, err := model.New(b, model.Scope{Moves: b.InputNames()})
	require.NoError(t, err)
	var s solver.Solver
	if b.Solver.Dynamics != nil {
		s, err = equations.New(b)
	} else {
		s, err = formulas.New(b)
	}
	require.NoError(t, err)
	inputs, values := core.NewMatrix(1, m.Variables()), core.NewMatrix(1, len(m.Columns))
	m.Fill(m.Design(map[string]bench.Value{"a": bench.Number(1.5 + da)}), inputs.Row(0))
	m.Screen(inputs, values, make([]bool, 1))
	rows := solver.Rows{Inputs: inputs, Values: values, Curves: make([][]curve.Curve, 1), Errors: make([]error, 1)}
	require.NoError(t, s.(solver.Batch).SolveAll(t.Context(), rows))
	m.Finish(inputs, values, rows.Curves, rows.Errors)
	require.NoError(t, rows.Errors[0])
	derivation, err := m.Derivation(s)
	require.NoError(t, err)
	all, errs := derivation.Of(t.Context(), inputs, values, make([]map[string]map[string]float64, 1))
	require.NoError(t, errs[0])
	return m, values.Row(0), all[0]
}

func TestDerivativesFollowTheWayOfAValue(t *testing.T) {
	t.Parallel()
	for name, file := range map[string]string{
		"formulas": `solver: {formulas: {f: a^2*b + rope.mass*a, g: sin(f)}}
derived: {only: a*b, both: g*only + a}
requirements: {R1: {of: both/a, at_most: 9}}
`,
		"curves": `solver:
  formulas:
    way: {along: {x: {from: 0, to: 2, count: 21}}, is: "a*x^2 - b*x*rope.mass"}
    flat: {along: {z: {from: 0, to: 1, count: 3}}, is: a^3}
derived: {rise: slope(way), steep: peak(rise), area: "integral(way)*a + final(flat)"}
requirements: {R1: {of: way, at_most: 9}, R2: {of: steep^2, at_most: 99}}
`,
		"equations": `solver:
  dynamics:
    time: {from: 0, to: 1 + a, count: 11}
    states: {x: {start: b, rate: a*v}, v: {start: rope.mass, rate: "-x + (x > 0.6 ? a : 0)"}}
derived: {end: final(x)*a, top: peak(v)}
requirements: {R1: {of: x, at_least: -9}}
`,
	} {
		t.Run(name, func(t *testing.T) {
			const h = 1e-5
			m, _, derivatives := computed(t, file, 0)
			_, above, _ := computed(t, file, h)
			_, below, _ := computed(t, file, -h)
			require.Equal(t, []string{"a", "b", "rope"}, m.Inputs)
			for i, column := range m.Columns {
				assert.InDelta(t, (above[i]-below[i])/(2*h), derivatives.Row(i)[0], 2e-4, column.Name)
				assert.False(t, math.IsNaN(derivatives.Row(i)[1]), column.Name)
				assert.True(t, math.IsNaN(derivatives.Row(i)[2]), "a word has no derivative")
			}
		})
	}
}

func TestDerivativesOfAnExternalSolverAreThoseThatItGives(t *testing.T) {
	t.Parallel()
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": `bench: 1
inputs: {a: {nominal: 2, range: [1, 3]}}
solver: {steps: [{run: ["true"]}]}
outputs:
  sag: {file: out.json, pointer: /sag, gradient: {file: out.json, pointer: /gradient}}
  heat: {file: out.json, pointer: /heat}
derived: {twice: 2*sag, warm: heat + sag}
`}))
	require.NoError(t, err)
	m, err := model.New(b, model.Scope{Moves: []string{"a"}})
	require.NoError(t, err)
	d, err := m.Derivation(nil)
	require.NoError(t, err)
	inputs, values := core.MatrixOf([][]float64{{2}, {2}}), core.MatrixOf([][]float64{{1, 4, 8, 5}, {1, 4, 8, 5}})
	all, errs := d.Of(t.Context(), inputs, values, []map[string]map[string]float64{{"sag": {"a": 3}}, nil})
	require.NoError(t, errs[0])
	assert.Equal(t, []float64{3}, all[0].Row(m.Column("sag")))
	assert.Equal(t, []float64{6}, all[0].Row(m.Column("twice")))
	assert.True(t, math.IsNaN(all[0].Row(m.Column("warm"))[0]), "it hangs on heat, of which nothing is known")
	assert.ErrorIs(t, errs[1], model.ErrNoDerivatives)
	assert.Nil(t, all[1])
}

func TestWhereDerivativesAreNotKnown(t *testing.T) {
	t.Parallel()
	m, err := model.New(&bench.Bench{Inputs: []bench.Input{{Name: "a"}}}, model.Scope{Moves: []string{"a"}})
	require.NoError(t, err)
	_, err = m.Derivation(nil)
	assert.ErrorIs(t, err, model.ErrNoDerivatives, "an external solver that says nothing of them")
	_, err = model.New(m.Bench, model.Scope{Moves: []string{"b"}})
	assert.ErrorContains(t, err, "b is no input")
}
