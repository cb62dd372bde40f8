package cases_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/solver"
	"ropebench/solver/cases"
	"ropebench/solver/equations"
)

const swung = `bench: 1
inputs:
  length: {nominal: 2, range: [1, 5]}
  load:   {nominal: 3}
  wind:   {nominal: 1}
solver:
  dynamics:
    time: {from: 0, to: 1, count: 3}
    states: {sway: {start: 0, rate: wind*length + load}}
    signals: {pull: load*length}
cases:
  calm:  {load: 4}
  windy: {load: 7, wind: 10}
`

// covered is the bench with the solver of one case, and that of all.
func covered(t *testing.T) (*bench.Bench, *equations.Solver, solver.Solver) {
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": swung}))
	require.NoError(t, err)
	one, err := equations.New(b.OneCase)
	require.NoError(t, err)
	return b, one, cases.New(b, one)
}

func TestEveryRowHasTheCurvesOfAllCases(t *testing.T) {
	t.Parallel()
	b, _, all := covered(t)
	inputs := core.MatrixOf([][]float64{b.NominalRow(), b.NominalRow()})
	inputs.Row(1)[0], inputs.Row(1)[2] = 5, 2
	rows := solver.Rows{Inputs: inputs, Values: core.NewMatrix(2, 0), Curves: make([][]curve.Curve, 2), Errors: make([]error, 2)}
	require.NoError(t, all.(solver.Batch).SolveAll(t.Context(), rows))
	last := func(row, k int) float64 { return rows.Curves[row][k].Y[2] }
	// by name: pull.calm, pull.windy, sway.calm, sway.windy
	for row, wanted := range [][]float64{{8, 14, 2 + 4, 20 + 7}, {20, 35, 10 + 4, 50 + 7}} {
		for k, value := range wanted {
			assert.InDelta(t, value, last(row, k), 1e-6, "row %d, curve %d", row, k)
		}
	}
	duals, err := all.(solver.Differentiator).Differentiate(t.Context(), b.NominalRow(), []int{0, 2})
	require.NoError(t, err)
	at := func(name string, direction int) float64 {
		if slope := duals[name].SampleDerivatives[direction]; slope != nil {
			return slope.Y[2]
		}
		return 0
	}
	assert.InDelta(t, 1, at("sway.calm", 0), 1e-6)
	assert.InDelta(t, 10, at("sway.windy", 0), 1e-6)
	assert.InDelta(t, 2, at("sway.calm", 1), 1e-6, "calm does not give wind")
	assert.Zero(t, at("sway.windy", 1), "windy does: there the input does not enter")
}

// What is the same question for the solver is one, and a case more is another solver.
func TestTheKeyAndTheQuestionAreThoseOfAllCases(t *testing.T) {
	t.Parallel()
	b, one, all := covered(t)
	key, err := all.Key()
	require.NoError(t, err)
	alone, err := one.Key()
	require.NoError(t, err)
	assert.NotEqual(t, alone, key)
	question := func(change func(row []float64)) string {
		row := b.NominalRow()
		change(row)
		return string(all.Question(nil, row, func(name string) bench.Value { value, _ := b.ValueIn(row, name); return value }))
	}
	asked := question(func([]float64) {})
	assert.Equal(t, asked, question(func(row []float64) { row[1] = 99 }), "every case gives load")
	assert.NotEqual(t, asked, question(func(row []float64) { row[2] = 99 }), "one does not give wind")
	assert.NotEqual(t, asked, question(func(row []float64) { row[0] = 3 }))
}

// A program is one that answers with what it is asked, and gives up on heavy loads.
type program struct{ closed int }

func (*program) Key() (solver.Key, error) { return solver.Key{1}, nil }
func (*program) Question(question []byte, _ []float64, lookup solver.Lookup) []byte {
	return fmt.Appendf(question, "%g;", lookup("load").Number)
}
func (p *program) Open(context.Context, solver.Worker) (solver.Session, error) { return p, nil }
func (*program) NeedsFolder() bool                                             { return false }
func (p *program) Close() error                                                { p.closed++; return nil }
func (*program) AsWritten(lookup solver.Lookup) map[string]float64 {
	return map[string]float64{"load": math.Round(lookup("load").Number), "length": math.Round(lookup("length").Number)}
}
func (*program) Solve(_ context.Context, job solver.Job) (solver.Outputs, error) {
	load := job.Lookup("load").Number
	switch {
	case load > 8:
		return solver.Outputs{}, &solver.Failure{State: core.Failed, Reason: "the rope snaps", Steps: []solver.StepTime{{Name: "run"}}}
	case load < 0:
		return solver.Outputs{}, errors.New("the licence is gone")
	}
	return solver.Outputs{Curves: []curve.Curve{{Y: []float64{load}}, {Y: []float64{job.Lookup("length").Number}}}, Steps: []solver.StepTime{{Name: "run"}},
		Derivatives: map[string]map[string]float64{"pull": {"load": 2, "length": 3}}}, nil
}

func TestProgramsAreAskedCaseByCase(t *testing.T) {
	t.Parallel()
	b, _, _ := covered(t)
	p := &program{}
	all := cases.New(b, p)
	session, err := all.(solver.Opener).Open(t.Context(), solver.Worker{})
	require.NoError(t, err)
	lookup := func(name string) bench.Value { return map[string]bench.Value{"length": bench.Number(2.4)}[name] }
	outputs, err := session.Solve(t.Context(), solver.Job{Lookup: lookup})
	require.NoError(t, err)
	var first []float64
	for _, c := range outputs.Curves {
		first = append(first, c.Y[0])
	}
	assert.Equal(t, []float64{4, 7, 2.4, 2.4}, first)
	assert.Equal(t, []solver.StepTime{{Name: "calm: run"}, {Name: "windy: run"}}, outputs.Steps)
	assert.Equal(t, map[string]map[string]float64{"pull.calm": {"load": 0, "length": 3}, "pull.windy": {"load": 0, "wind": 0, "length": 3}}, outputs.Derivatives, "what a case gives does not enter")
	assert.Equal(t, map[string]float64{"length": 2}, all.(solver.Writer).AsWritten(lookup), "load is written as the cases say")
	assert.Equal(t, "4;7;", string(all.Question(nil, b.NominalRow(), lookup)))
	assert.False(t, solver.IsNoisy(all))

	b.Cases[1].Values["load"] = bench.Number(9)
	_, err = session.Solve(t.Context(), solver.Job{Lookup: lookup})
	var failure *solver.Failure
	require.ErrorAs(t, err, &failure)
	assert.Equal(t, "in case windy: the rope snaps", failure.Reason)
	assert.Equal(t, []solver.StepTime{{Name: "calm: run"}, {Name: "windy: run"}}, failure.Steps)
	b.Cases[1].Values["load"] = bench.Number(-1)
	_, err = session.Solve(t.Context(), solver.Job{Lookup: lookup})
	assert.EqualError(t, err, "in case windy: the licence is gone", "no design can be asked any more")
	require.NoError(t, session.Close())
	assert.Equal(t, 1, p.closed)
	assert.Equal(t, formula.Curve, b.Shapes["pull.windy"])
}
