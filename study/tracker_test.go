package study

import (
	"context"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/verdict"
	"ropebench/dispatch"
	"ropebench/solver"
)

const beam = `bench: 1
inputs:
  width: {unit: mm, nominal: 20, range: [10, 40], ends: [guess, hard]}
  load:  {unit: N, nominal: 100}
solver: {formulas: {sag: load/width, mass: 0.1*width}}
derived:
  double: 2*width
requirements:
  R1: {of: sag, at_most: 6, reserve: 1}
  R2: {of: mass, at_most: 3, wish: true}
  R3: {of: double, at_least: 22}
  R4: {of: "sag*mass", at_most: 9, price: 5}
studies:
  best: {kind: optimize, minimize: mass}
  most: {kind: optimize, maximize: sag, meet: [R1]}
  soon: {kind: optimize, minimize: mass, budget: {evaluations: 5, time: 1ms}}
`

func compiled(t *testing.T, name string) *Model {
	b, err := bench.Read("beam.bench.yaml", []byte(beam))
	require.NoError(t, err)
	_, m, err := Ask(b, Question{Kind: "optimize", Study: name, Seed: 1})
	require.NoError(t, err)
	return m
}

// evaluated is the record of a width, through the real dispatcher.
func evaluated(t *testing.T, m *Model, number int, width float64) dispatch.Record {
	values := make([]float64, len(m.Columns))
	inputs := make([]float64, 2)
	m.FillInputs(core.Design{width}, inputs)
	missed := make([]bool, 1)
	row := func(r []float64) func(int) []float64 { return func(int) []float64 { return r } }
	m.Screen(1, row(inputs), row(values), missed)
	record := dispatch.Record{Number: number, Design: []float64{width}, Values: values}
	if missed[0] {
		record.State = core.NotTried
		return record
	}
	values[0], values[1] = inputs[1]/width, 0.1*width
	m.Finish(1, func(int) *solver.Row { return &solver.Row{Inputs: inputs, Values: values} })
	return record
}

func TestColumnsAreLaidOut(t *testing.T) {
	m := compiled(t, "best")
	assert.Equal(t, []string{"sag", "mass", "double", "sag*mass"}, m.Columns, "outputs, what inputs decide, the rest")
	record := evaluated(t, m, 1, 25)
	assert.Equal(t, []float64{4, 2.5, 50, 10}, record.Values)
	assert.Equal(t, map[string]bench.Value{"width": {Number: 25}, "load": {Number: 100}}, m.Values(record.Design))
	inputs := []float64{25, 100}
	assert.Equal(t, []bench.Value{{Number: 25}, {Number: 50}}, []bench.Value{m.Value("width", inputs, record.Values), m.Value("double", inputs, record.Values)}, "both can stand in a deck")
	untried := evaluated(t, m, 2, 10.5)
	assert.Equal(t, core.NotTried, untried.State)
	assert.True(t, math.IsNaN(untried.Values[0]))
	assert.Equal(t, 21.0, untried.Values[2])
}

func TestVerdicts(t *testing.T) {
	m := compiled(t, "best")
	judged := m.Judge(evaluated(t, m, 1, 18).Values)
	assert.Equal(t, verdict.MetWithoutReserve, judged["R1"].Verdict)
	assert.InDelta(t, 6-100.0/18, *judged["R1"].Margin, 1e-12)
	assert.Equal(t, verdict.Met, judged["R2"].Verdict)
	assert.Equal(t, verdict.Missed, judged["R4"].Verdict)
	assert.True(t, m.Feasible(evaluated(t, m, 1, 18).Values), "wishes and soft requirements decide nothing")
	assert.Equal(t, verdict.NotShown, m.Judge(nil)["R1"].Verdict)
	assert.Nil(t, m.Judge(nil)["R1"].Value)
}

func TestTheBestDoesNotHangOnTheOrder(t *testing.T) {
	m := compiled(t, "best")
	records := []dispatch.Record{
		evaluated(t, m, 1, 12), // misses R1
		evaluated(t, m, 2, 18), // meets it without its reserve
		evaluated(t, m, 3, 30), // feasible
		evaluated(t, m, 4, 22), // feasible and lighter
		evaluated(t, m, 5, 22), // the same again
		evaluated(t, m, 6, 10), // not tried
		{Number: 7, State: core.Failed, Reason: "no licence", Design: []float64{23}},
	}
	for shift := range records {
		tr := newTracker(m, false)
		tr.see(append(append([]dispatch.Record{}, records[shift:]...), records[:shift]...))
		assert.Equal(t, 4, tr.record.Number)
		assert.Equal(t, []any{5, 4, "no licence"}, []any{tr.usable, tr.feasible, tr.lastWhy})
	}
	order := []int{}
	for _, number := range []int{4, 2, 1, 6, 7} {
		order = append(order, m.standing(records[number-1]).class)
	}
	assert.Equal(t, []int{0, 1, 2, 3, 4}, order)
	described := m.describe(newest(m, records[0]))
	assert.InDelta(t, (100.0/12-5)/6, described.Violation, 1e-12, "the reserve is part of what is missing")
	assert.Nil(t, m.describe(nil))
	assert.Nil(t, m.describe(&records[6]))
}

func newest(m *Model, records ...dispatch.Record) *dispatch.Record {
	tr := newTracker(m, false)
	tr.see(records)
	return tr.record
}

func TestSoftRequirementsMakeTheObjectiveWorse(t *testing.T) {
	m := compiled(t, "best")
	assert.InDelta(t, 2.5+5*(10-9), m.standing(evaluated(t, m, 1, 25)).objective, 1e-9)
	most := compiled(t, "most")
	assert.InDelta(t, -4, most.standing(evaluated(t, most, 1, 25)).objective, 1e-12, "a maximum, made least")
}

func TestOfAVerificationTheWorstIsBelieved(t *testing.T) {
	m := compiled(t, "best")
	tr := newTracker(m, true)
	tr.see([]dispatch.Record{evaluated(t, m, 1, 12), evaluated(t, m, 2, 22), evaluated(t, m, 3, 24), evaluated(t, m, 4, 23)})
	assert.Equal(t, 3, tr.record.Number, "the nominal, number 1, is no candidate")
	tr.see([]dispatch.Record{{Number: 5, State: core.Failed}})
	assert.Nil(t, m.describe(tr.record), "a candidate that failed once is not shown to be good")
}

func TestEnds(t *testing.T) {
	m := compiled(t, "best")
	ends := m.AtEnds([]float64{10.02})
	require.Len(t, ends, 1)
	assert.Equal(t, End{"width", "lower", 10, true, "width: the optimum is held by your guess of 10 mm: widen it?"}, ends[0])
	assert.Equal(t, "width is at its upper end, 40 mm, which is hard", m.AtEnds([]float64{40})[0].Says)
	assert.Empty(t, m.AtEnds([]float64{11}))
}

func TestKeysHangOnTheSolverOnly(t *testing.T) {
	read := func(text string) *bench.Bench {
		b, err := bench.Read("beam.bench.yaml", []byte(text))
		require.NoError(t, err)
		return b
	}
	key := formulaKey(read(beam))
	other := func(from, to string) [32]byte {
		return formulaKey(read(replaced(t, beam, from, to)))
	}
	assert.Equal(t, key, other("at_most: 6", "at_most: 5"))
	assert.Equal(t, key, other("range: [10, 40]", "range: [10, 50]"))
	assert.NotEqual(t, key, other("sag: load/width", "sag: 2*load/width"))
	assert.NotEqual(t, key, other("  load:  {unit: N, nominal: 100}", "  load:  {unit: N, nominal: 100}\n  more: {nominal: 1}"))
}

func replaced(t *testing.T, text, from, to string) string {
	require.Contains(t, text, from)
	return strings.Replace(text, from, to, 1)
}

func TestDeadlines(t *testing.T) {
	ctx, cancel := deadline(context.Background(), bench.Budget{Time: time.Hour}, 59*time.Minute)
	defer cancel()
	end, ok := ctx.Deadline()
	require.True(t, ok)
	assert.WithinDuration(t, time.Now().Add(time.Minute), end, time.Second, "the time used before a pause counts")
	soon := time.Now().Add(time.Second)
	ctx, cancel = deadline(context.Background(), bench.Budget{Time: time.Hour, Until: soon}, 0)
	defer cancel()
	end, _ = ctx.Deadline()
	assert.Equal(t, soon, end)
	ctx, cancel = deadline(context.Background(), bench.Budget{}, 0)
	defer cancel()
	_, ok = ctx.Deadline()
	assert.False(t, ok)
}

func TestConclusions(t *testing.T) {
	by := func(cause, err error) (State, string) {
		ctx, cancel := context.WithCancelCause(context.Background())
		if cause != nil {
			cancel(cause)
		}
		defer cancel(nil)
		return conclude(ctx, "well", err)
	}
	state, why := by(nil, nil)
	assert.Equal(t, []any{Finished, "well"}, []any{state, why})
	state, why = by(errHand{Stopped, "by hand"}, context.Canceled)
	assert.Equal(t, []any{Stopped, "by hand"}, []any{state, why})
	state, why = by(nil, context.DeadlineExceeded)
	assert.Equal(t, []any{Finished, "the time of its budget is used up"}, []any{state, why})
	state, _ = by(nil, assert.AnError)
	assert.Equal(t, Broken, state)
}
