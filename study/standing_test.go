package study

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
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
studies:
  best: {kind: optimize, minimize: mass}
  long: {kind: optimize, minimize: mass, budget: {time: 8h}}
  look: {kind: sample}
  some: {kind: sample, points: 30, budget: {evaluations: 12}}
  later: {kind: uncertainty, points: 5, by: surrogate}
`

func asked(t *testing.T, q Question) *Asked {
	b, err := read.Read("beam.bench.yaml", []byte(beam))
	require.NoError(t, err)
	a, err := Ask(b, q)
	require.NoError(t, err)
	return a
}

// evaluated is the record of a width.
func evaluated(number int, width float64) dispatch.Record {
	if 2*width < 22 {
		return dispatch.Record{Number: number, State: core.NotTried, Design: []float64{width}, Values: []float64{0, 0, 2 * width}}
	}
	return dispatch.Record{Number: number, Design: []float64{width}, Values: []float64{0.1 * width, 100 / width, 2 * width}}
}

func TestTheBestDoesNotHangOnTheOrder(t *testing.T) {
	t.Parallel()
	records := []dispatch.Record{
		evaluated(1, 12), // misses R1
		evaluated(2, 18), // meets it without its reserve
		evaluated(3, 30), // feasible
		evaluated(4, 22), // feasible and lighter
		evaluated(5, 22), // the same again
		evaluated(6, 10), // not tried
		evaluated(7, 20), // the nominal design, on its reserve
		{Number: 8, State: core.Failed, Reason: "no licence", Design: []float64{23}},
	}
	records[4].Reused = true
	for shift := range records {
		s := newStanding(asked(t, Question{Study: "best"}))
		s.see(append(append([]dispatch.Record{}, records[shift:]...), records[:shift]...))
		parts := s.parts(result.Parts{})
		assert.Equal(t, 7, parts.Best.Evaluation)
		assert.Equal(t, 7, parts.Nominal.Evaluation)
		assert.Equal(t, "no licence", s.lastWhy)
		assert.Equal(t, result.Counts{Evaluations: 8, Reused: 1, Failed: 1, NotTried: 1, Usable: 6, Feasible: 5}, s.counts)
	}
	s := newStanding(asked(t, Question{Study: "best"}))
	s.see(records[:1])
	assert.False(t, s.parts(result.Parts{}).Best.Feasible, "the nearest, where none is feasible")
	s = newStanding(asked(t, Question{Study: "best"}))
	s.see(records[7:])
	assert.Nil(t, s.parts(result.Parts{}).Best, "what failed is no best")
	s = newStanding(asked(t, Question{Study: "look"}))
	s.see(records)
	assert.Nil(t, s.parts(result.Parts{}).Best, "a sample has none")
}

func TestFailuresAreGroupedByTheirReasons(t *testing.T) {
	t.Parallel()
	s := newStanding(asked(t, Question{Study: "best"}))
	for i, reason := range []string{"not converged after 100", "no licence", "not converged after -7.25", "not converged after 100", "no licence", "no mesh", "not converged after 9"} {
		number := 7 - i // they end in any order
		s.see([]dispatch.Record{{Number: number, State: []core.State{core.Failed, core.TimedOut}[i%2], Reason: reason, Design: []float64{20}}})
	}
	assert.Equal(t, []result.Failure{{Reason: "not converged after 9", Count: 4, Evaluation: 1}, {Reason: "no licence", Count: 2, Evaluation: 3}, {Reason: "no mesh", Count: 1, Evaluation: 2}}, s.parts(result.Parts{}).Failures.Reasons)
	assert.Equal(t, "7 of 7 evaluations failed: none has values", s.parts(result.Parts{}).Failures.Says)
	for i := range 93 {
		s.see([]dispatch.Record{evaluated(8+i, 20)})
	}
	doubted := s.parts(result.Parts{}).Failures
	assert.Equal(t, "7 of 100 evaluations failed: what is best may lie where they did", doubted.Says)
	assert.True(t, doubted.Doubt)
	for i := range 100 {
		s.see([]dispatch.Record{evaluated(101+i, 20)})
	}
	assert.Equal(t, "7 of 200 evaluations failed", s.parts(result.Parts{}).Failures.Says)
	assert.False(t, s.parts(result.Parts{}).Failures.Doubt)
	assert.Nil(t, newStanding(asked(t, Question{Study: "best"})).parts(result.Parts{}).Failures)
}

func TestItIsToldWhereEvaluationsFailed(t *testing.T) {
	t.Parallel()
	a := asked(t, Question{Study: "best"})
	s := newStanding(a)
	name, half := a.Problem.Space[0].Name, 0.0
	for number := 40; number >= 1; number-- { // they end in any order
		record := evaluated(number, float64(number))
		if number > 30 {
			record.State, record.Values, record.Reason, half = core.Failed, nil, "the rope slips", 30.5
		}
		s.see([]dispatch.Record{record})
	}
	assert.Empty(t, s.parts(result.Parts{}).Failures.Reasons[0].Where, "it is not told while the run is at work")
	s.failed.locate(a)
	assert.Contains(t, s.parts(result.Parts{}).Failures.Reasons[0].Where, fmt.Sprintf("10 of them where %s is above %v", name, half))
	assert.Contains(t, s.parts(result.Parts{}).Failures.Reasons[0].Where, "100 % of 10 designs failed")
}

func TestTheNominalDesignIsTheNominalDesign(t *testing.T) {
	t.Parallel()
	s := newStanding(asked(t, Question{Study: "best", Hold: map[string]bench.Value{"load": bench.Number(90)}}))
	s.see([]dispatch.Record{evaluated(1, 20)})
	assert.Nil(t, s.parts(result.Parts{}).Nominal, "with another load it is another design")
}

func TestOfAVerificationTheWorstIsBelieved(t *testing.T) {
	t.Parallel()
	s := newStanding(asked(t, Question{Kind: KindVerify, Study: KindVerify}))
	record := func(number int, width float64) dispatch.Record {
		r := evaluated(number, width)
		r.Design = []float64{100, width}
		return r
	}
	s.see([]dispatch.Record{record(1, 12), record(2, 22), record(3, 13), record(4, 23)})
	assert.Equal(t, 3, s.best.number, "the nominal, number 1, is no candidate")
	s.see([]dispatch.Record{{Number: 5, State: core.Failed, Design: []float64{100, 22}}})
	assert.Nil(t, s.parts(result.Parts{}).Best, "a candidate that failed once is not shown to be good")
}

func TestBudgetsOfQuestions(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		question Question
		want     int
	}{
		{Question{Study: "best"}, evaluationsOfASearch},
		{Question{Study: "best", Evaluations: 7}, 7},
		{Question{Study: "long"}, 0},
		{Question{Study: "look"}, pointsOfAnInput},
		{Question{Study: "some"}, 12},
		{Question{Study: "some", Evaluations: 40}, 40},
		{Question{Kind: KindTry, Study: KindTry}, 1},
		{Question{Kind: KindVerify, Study: KindVerify}, 2},
		{Question{Kind: KindVerify, Study: KindVerify, Repeats: 5}, 6},
	} {
		assert.Equal(t, c.want, asked(t, c.question).Budget(), "%+v", c.question)
	}
	b, err := read.Read("beam.bench.yaml", []byte(beam))
	require.NoError(t, err)
	_, err = Ask(b, Question{Study: "some", Evaluations: 40})
	require.NoError(t, err)
	some, _ := b.Study("some")
	assert.Equal(t, 30, some.Settings.(*bench.Sample).Points, "a question changes nothing of the bench")
}

func TestQuestionsThatCannotBeAsked(t *testing.T) {
	t.Parallel()
	b, err := read.Read("beam.bench.yaml", []byte(beam))
	require.NoError(t, err)
	for says, q := range map[string]Question{
		"the bench has no study bset; it has best, long, look, some, later": {Study: "bset"},
		"no input scatters that is not held":                                {Study: "later"},
		"widht is no input of this bench; did you mean width?":              {Study: "best", Hold: map[string]bench.Value{"widht": bench.Number(1)}},
		"load has no range to move in":                                      {Study: "best", Free: map[string]*bench.Range{"load": nil}},
		"varies nothing":                                                    {Study: "best", Hold: map[string]bench.Value{"width": bench.Number(20)}},
	} {
		_, err := Ask(b, q)
		assert.ErrorContains(t, err, says)
	}
	a, err := Ask(b, Question{Study: "best", Free: map[string]*bench.Range{"load": {Lower: 80, Upper: 120}}})
	require.NoError(t, err)
	assert.Equal(t, []string{"load", "width"}, a.Model.Inputs)
}

func TestDeadlines(t *testing.T) {
	t.Parallel()
	before := time.Now()
	ctx, cancel := deadline(context.Background(), bench.Budget{Time: time.Hour}, 59*time.Minute)
	defer cancel()
	after := time.Now()
	end, ok := ctx.Deadline()
	require.True(t, ok)
	assert.False(t, end.Before(before.Add(time.Minute)) || end.After(after.Add(time.Minute)), "the time used before a pause counts")
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
	t.Parallel()
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
	state, why = by(halted{Stopped, "by hand"}, context.Canceled)
	assert.Equal(t, []any{Stopped, "by hand"}, []any{state, why})
	state, why = by(nil, context.DeadlineExceeded)
	assert.Equal(t, []any{Finished, "the time of its budget is used up"}, []any{state, why})
	state, _ = by(nil, assert.AnError)
	assert.Equal(t, Broken, state)
}

func TestAMistakeOfTheProgramEndsOneRun(t *testing.T) {
	t.Parallel()
	_, err := safely(func() (string, error) { return "", context.Canceled })
	assert.ErrorIs(t, err, context.Canceled)
	_, err = safely(func() (string, error) { return fmt.Sprint(make([]float64, len(t.Name())-1000)), nil })
	assert.ErrorContains(t, err, "a mistake in Rope Bench ended the run, please report it with the log of the service: runtime error: makeslice")
}

func TestInputsThatStayedAreTold(t *testing.T) {
	t.Parallel()
	h := hunt{problem: model.Problem{Problem: optimize.Problem{Space: space.Space{{Name: "a"}, {Name: "b"}, {Name: "c"}, {Name: "d"}}}}}
	told := &result.Optimum{Unmoved: []string{"a", "b", "c"}, Idle: []string{"b"}, Holds: []result.Hold{{Input: "c"}}}
	assert.Equal(t, []string{"a"}, h.stayed(told), "what counts for nothing and what stands at its end is told by itself")
	told.Unmoved = append(told.Unmoved, "d")
	assert.Empty(t, h.stayed(told), "the start is the best design")
}
