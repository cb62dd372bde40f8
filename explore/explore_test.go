package explore

import (
	"context"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/plan"
	"ropebench/model"
	"ropebench/result"
)

const hoist = `bench: 1
inputs:
  load:  {unit: kN, nominal: 5, range: [1, 9]}
  drum:  {unit: m, nominal: 0.3, range: [0.1, 0.5]}
  paint: {nominal: 1, range: [0, 2]}
  pad:   {nominal: a, values: [a, b, c]}
solver:
  formulas:
    torque: load*drum
    speed: 10/drum
requirements:
  R1: {of: torque, at_most: 0.3}
  R2: {of: load, at_least: 4}
  R3: {of: speed, at_most: 30}
  W1: {of: torque, at_most: 0.1, wish: true}
studies:
  look: {kind: sample, points: 60}
`

// subject evaluates a sample of the bench; fails says which designs fail, for which reason.
func subject(t *testing.T, text string, n int, fails func(values map[string]float64) string) Subject {
	b, err := read.Parse(bench.Content{File: "hoist.bench.yaml", Files: map[string]bench.File{"hoist.bench.yaml": {Text: []byte(text)}}})
	require.NoError(t, err)
	study, _ := b.Study("look")
	var varies []string
	for _, in := range b.VariedBy(study) {
		varies = append(varies, in.Name)
	}
	m, err := model.New(b, model.Scope{Moves: varies})
	require.NoError(t, err)
	s := Subject{Model: m, Problem: m.Problem(study, varies, m.Design(nil)), Seed: 1}
	points, err := plan.All(t.Context(), plan.LatinHypercube, plan.NewRand(1), n, s.Problem.Space.Levels())
	require.NoError(t, err)
	for i, point := range points {
		design := s.Problem.Space.Design(point)
		values := map[string]float64{}
		for k, in := range s.Problem.Space {
			values[in.Name] = design[k]
		}
		e := Evaluation{Number: i + 1, Design: design}
		if e.Reason = fails(values); e.Reason != "" {
			e.State = core.Failed
		} else {
			e.Values = make([]float64, len(m.Columns))
			for k, column := range m.Columns {
				e.Values[k] = map[string]float64{"torque": values["load"] * values["drum"], "speed": 10 / values["drum"], "load": values["load"]}[column.Name]
			}
		}
		s.Evaluations = append(s.Evaluations, e)
	}
	return s
}

func never(map[string]float64) string { return "" }

func TestWhatStandsInTheWayIsSaid(t *testing.T) {
	t.Parallel()
	x := New(subject(t, hoist, 60, never))
	o := x.Obstacles()
	assert.Equal(t, "None of 60 designs is feasible.", o.Says[0])
	met := map[string]int{}
	for _, m := range o.Requirements {
		met[m.ID] = m.Met
	}
	assert.Positive(t, met["R1"])
	assert.Positive(t, met["R2"])
	require.NotEmpty(t, o.Pairs)
	var said []string
	for _, pair := range o.Pairs {
		said = append(said, pair.Says)
	}
	assert.Contains(t, said, "No design meets R1 and R3 together: a larger drum helps R3 and harms R1.")
	assert.NotContains(t, o.Says, "W1", "a wish stands in nobody's way")
}

// A requirement that holds in several cases is met where all of them meet it, and counted once.
func TestObstaclesInCases(t *testing.T) {
	t.Parallel()
	text := "bench: 1\ninputs: {drum: {nominal: 2, range: [1, 9]}, load: {nominal: 1}}\nsolver: {formulas: {torque: load*drum, speed: 10/drum}}\nrequirements:\n  R1: {of: torque, at_most: 12}\n  R2: {of: torque, at_least: 4, in: [light]}\ncases: {light: {load: 1}, heavy: {load: 4}}\n"
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": text}))
	require.NoError(t, err)
	m, err := model.New(b, model.Scope{Moves: []string{"drum"}})
	require.NoError(t, err)
	s := Subject{Model: m, Problem: m.Problem(bench.Study{Settings: &bench.Sample{}}, []string{"drum"}, m.Design(nil))}
	for i := range 16 {
		drum := 1 + float64(i)/2
		e := Evaluation{Number: i + 1, Design: core.Design{drum}, Values: make([]float64, len(m.Columns))}
		for k, column := range m.Columns {
			e.Values[k] = map[string]float64{"torque.light": drum, "torque.heavy": 4 * drum, "speed": 10 / drum}[column.Name]
		}
		s.Evaluations = append(s.Evaluations, e)
	}
	x := New(s)
	o := x.Obstacles()
	require.Len(t, o.Requirements, 2)
	assert.Equal(t, 5, o.Requirements[0].Met, "up to 3: four times that is 12")
	assert.Equal(t, 10, o.Requirements[1].Met, "from 4 on")
	require.Len(t, o.Pairs, 1)
	assert.Equal(t, "No design meets R1 and R2 together: a larger drum helps R2 and harms R1.", o.Pairs[0].Says)
	assert.Contains(t, o.Says, "Evaluation 6 comes nearest to all of them: its worst is R1 in heavy, missed by 2.")
	judged := m.Judge(s.Evaluations[9].Values)
	assert.Equal(t, result.Judgment{Verdict: "missed", Value: judged["R1"].Value, Margin: judged["R1"].Margin, Case: "heavy"}, judged["R1"])
	assert.InDelta(t, -10, *judged["R1"].Margin, 1e-12)
	assert.Equal(t, []string{"R1"}, m.Missed(s.Evaluations[9].Values), "once, though two cases miss it")
	assert.Equal(t, []model.Bound{{ID: "R1", At: 12, Upper: true}}, m.BoundsOn("torque.heavy"))
	assert.Len(t, m.BoundsOn("torque.light"), 2)
}

func TestNobodyMeetsARequirement(t *testing.T) {
	t.Parallel()
	x := New(subject(t, hoist, 40, never))
	for i := range x.Evaluations {
		x.Evaluations[i].Values[x.Model.Column("speed")] += 100
	}
	o := x.Obstacles()
	for _, m := range o.Requirements {
		if m.ID == "R3" {
			require.NotNil(t, m.Nearest)
			assert.InDelta(t, -90, m.Nearest.Margin, 1)
			assert.Contains(t, o.Says, x.saysOf(m, 40))
		}
	}
}

// Failures are told by their reasons, with where they lie; those that lie all over the space are said to.
func TestFailuresSayWhereTheyLie(t *testing.T) {
	t.Parallel()
	i := 0
	x := New(subject(t, hoist, 120, func(values map[string]float64) string {
		i++
		switch {
		case values["drum"] < 0.18:
			return "the rope jumps at 17.3 s"
		case values["pad"] == 2 && values["load"] > 4:
			return "the pad burns"
		case i%15 == 0:
			return "licence lost"
		}
		return ""
	}))
	regions := map[string]result.FailureRegion{}
	for _, region := range x.Obstacles().Failures {
		regions[region.Reason] = region
	}
	assert.Contains(t, regions["the rope jumps at 17.3 s"].Says, "where drum is below 0.18")
	assert.Contains(t, regions["the pad burns"].Says, "where pad is c")
	assert.Contains(t, regions["licence lost"].Says, "all over the space")
}

func TestAnExplorationSaysWhatMatters(t *testing.T) {
	t.Parallel()
	x := New(subject(t, hoist, 80, never))
	found, err := x.Explore(t.Context(), nil)
	require.NoError(t, err)
	values := map[string]result.Explored{}
	for _, v := range found.Values {
		values[v.Name] = v
		sum := 0
		for _, n := range v.Bars {
			sum += n
		}
		assert.Equal(t, 80, sum, v.Name)
	}
	torque := values["torque"].Sensitivity
	assert.Greater(t, *torque.Q2, 0.99)
	assert.Equal(t, []string{"load", "drum"}, torque.Ranking[:2])
	assert.Contains(t, torque.Says, "moved by load")
	assert.Equal(t, []string{"paint", "pad"}, found.Idle, "they are in no formula")
	assert.Equal(t, []string{"load", "drum", "paint", "pad"}, found.Inputs)
	_, err = x.Explore(t.Context(), []string{"torq"})
	assert.ErrorContains(t, err, "torq is no value of this run")
}

// A value that does not move, one that no surface predicts, and one with too few evaluations are said to be that.
func TestWhatIsNotPredictedIsNotDecorated(t *testing.T) {
	t.Parallel()
	s := subject(t, hoist, 60, never)
	r := plan.NewRand(5)
	for i := range s.Evaluations {
		s.Evaluations[i].Values[s.Model.Column("torque")] = r.NormFloat64()
		s.Evaluations[i].Values[s.Model.Column("speed")] = 7
	}
	x := New(s)
	noise, err := x.Sensitivity(t.Context(), "torque")
	require.NoError(t, err)
	assert.Contains(t, noise.Says, "unpredictable: Q² is")
	assert.True(t, noise.Unpredictable)
	for _, i := range noise.Inputs {
		assert.Greater(t, i.TotalLimits[1], 0.7, "nothing is known of what moves it")
	}
	still, err := x.Sensitivity(t.Context(), "speed")
	require.NoError(t, err)
	assert.Contains(t, still.Says, "it is 7 everywhere")
	s.Evaluations = s.Evaluations[:5]
	few, err := New(s).Sensitivity(t.Context(), "torque")
	require.NoError(t, err)
	assert.Contains(t, few.Says, "needs at least 8 usable evaluations, and there are 5")
}

// An evaluation that is left out takes no part, and the reason is shown; one that does not fit is pointed out.
func TestOutliersAreShownAndLeftOut(t *testing.T) {
	t.Parallel()
	s := subject(t, hoist, 60, never)
	s.Evaluations[20].Values[s.Model.Column("torque")] += 6
	found, err := New(s).Explore(t.Context(), []string{"torque"})
	require.NoError(t, err)
	require.NotEmpty(t, found.Values[0].Outliers)
	assert.Equal(t, 21, found.Values[0].Outliers[0].Evaluation)
	s.LeftOut = map[string]map[int]string{"torque": {21: "the gauge was loose"}}
	found, err = New(s).Explore(t.Context(), []string{"torque", "speed"})
	require.NoError(t, err)
	assert.Empty(t, found.Values[0].Outliers)
	assert.Equal(t, []result.LeftOut{{Evaluation: 21, Reason: "the gauge was loose"}}, found.Values[0].LeftOut)
	assert.Equal(t, []int{59, 60}, []int{found.Values[0].Sensitivity.Used, found.Values[1].Sensitivity.Used})
}

func TestRemarksSayWhatNotToBelieve(t *testing.T) {
	t.Parallel()
	s := subject(t, hoist, 40, func(values map[string]float64) string {
		if values["pad"] == 1 {
			return "breaks"
		}
		return ""
	})
	at := func(name string) int {
		for k, in := range s.Problem.Space {
			if in.Name == name {
				return k
			}
		}
		return -1
	}
	for i, e := range s.Evaluations {
		s.Evaluations[i].Design[at("paint")] = e.Design[at("load")] / 10
	}
	again := s.Evaluations[0]
	for i := range s.Evaluations {
		if again.Values == nil {
			again = s.Evaluations[i]
		}
	}
	again.Number, again.Values = 41, append([]float64(nil), again.Values...)
	again.Values[s.Model.Column("torque")] += 0.5
	s.Evaluations = append(s.Evaluations, again)
	x := New(s)
	remarks := x.remarks()
	require.Len(t, remarks, 3)
	assert.Equal(t, "No usable evaluation has pad at b: nothing is known there.", remarks[0])
	assert.Contains(t, remarks[1], "load and paint move together")
	assert.Contains(t, remarks[2], "torque differs by 0.3536")
}

// A surface is fitted once, and what was cancelled can be asked again.
func TestFitsAreMadeOnce(t *testing.T) {
	t.Parallel()
	x := New(subject(t, hoist, 30, never))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err := x.Surface(ctx, "torque")
	require.ErrorIs(t, err, context.Canceled)
	first, _, err := x.Surface(t.Context(), "torque")
	require.NoError(t, err)
	second, _, err := x.Surface(t.Context(), "torque")
	require.NoError(t, err)
	assert.Same(t, first, second)
	read := 0
	fitted, err := x.Curve(t.Context(), "swing", func(number int) (curve.Curve, error) {
		read++
		d := x.Evaluations[number-1].Design
		return curve.Curve{X: []float64{0, 1, 2}, Y: []float64{d[0], d[0] + d[1], d[1]}}, nil
	})
	require.NoError(t, err)
	assert.Equal(t, 30, read)
	assert.Greater(t, fitted.Q2, 0.99)
}

func TestIdleInputsAreThoseOfWhichItIsKnown(t *testing.T) {
	t.Parallel()
	at := func(from, to float64) result.Influence {
		total := from
		return result.Influence{Total: &total, TotalLimits: &result.Limits{from, to}}
	}
	q2 := 0.9
	all := map[string]result.Sensitivity{"f": {By: "surrogate", Q2: &q2, Inputs: map[string]result.Influence{"a": at(0, 0.01), "b": at(0, 0.2), "c": at(0.5, 0.6)}}}
	assert.Equal(t, []string{"a"}, idle([]string{"a", "b", "c", "d"}, all))
	all["g"] = result.Sensitivity{By: "surrogate", Q2: &q2, Inputs: map[string]result.Influence{"a": at(0.3, 0.4), "b": at(0, 0.01)}}
	assert.Empty(t, idle([]string{"a", "b"}, all))
}

// A value that is the same everywhere, and one whose span is no number, are told like any other.
func TestValuesWithoutASpanAreTold(t *testing.T) {
	t.Parallel()
	for name, value := range map[string]func(i int) float64{
		"constant": func(int) float64 { return 30 },
		"huge":     func(i int) float64 { return 1.5e308 * float64(i%3-1) },
		"one step": func(i int) float64 { return []float64{1, 1 + 0x1p-52}[i%2] },
	} {
		t.Run(name, func(t *testing.T) {
			x := New(subject(t, hoist, 60, never))
			for i := range x.Evaluations {
				x.Evaluations[i].Values[x.Model.Column("speed")] = value(i)
			}
			found, err := x.Explore(t.Context(), []string{"speed"})
			require.NoError(t, err)
			counted := 0
			for _, n := range found.Values[0].Bars {
				counted += n
			}
			assert.Equal(t, 60, counted)
			_, err = json.Marshal(found)
			assert.NoError(t, err)
			assert.NotEmpty(t, found.Values[0].Sensitivity.Says)
		})
	}
}
