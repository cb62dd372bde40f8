package cli

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/result"
)

// aFront has so many designs, of which one is picked out.
func aFront(n, picked int) found {
	_, run := example()
	run.Tradeoff = &result.Tradeoff{Says: "designs of which none is better in all objectives", Objectives: []string{"mass", "bend"}, Count: n, Compromise: picked, Knee: true, Reference: []float64{90, 8}, Hypervolume: 1872.9}
	for k := range n {
		run.Front = append(run.Front, &result.Design{Evaluation: k + 1, Feasible: true, Values: map[string]float64{"mass": float64(10 + k), "bend": float64(12 + 2*k)},
			Inputs: map[string]bench.Value{"radius": bench.Number(0.1 + float64(k)/1000), "load": bench.Number(800), "speed": bench.Number(2)}})
	}
	return run
}

func TestAFrontIsListedWithItsEndsAndItsKnee(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) { v.front(aFront(40, 7)) })
	assert.Contains(t, text, "  Designs of which none is better in all objectives.\n")
	assert.Contains(t, text, "evaluation 7, the knee")
	for _, end := range []string{"evaluation 1 ", "evaluation 40 "} {
		assert.Contains(t, text, end)
	}
	assert.Equal(t, shownOfFront, strings.Count(text, "evaluation "))
	assert.Contains(t, text, "40 designs in all; `ropebench table 7 --only feasible` has every input.")
	assert.Contains(t, text, "hypervolume 1,873 up to mass 90 kg, bend 8")
	assert.Contains(t, text, "radius")
	assert.NotContains(t, text, "speed", "an input that is the same everywhere is left out")
	nearest := aFront(3, 2)
	nearest.Tradeoff.Knee = false
	text = rendered(func(v view) { v.front(nearest) })
	assert.Contains(t, text, "evaluation 2, nearest to all")
	assert.NotContains(t, text, "in all; ")
	assert.NotContains(t, rendered(func(v view) { v.front(aFront(1, 1)) }), "hypervolume", "one design is no front")
	_, none := example()
	assert.Empty(t, rendered(func(v view) { v.front(none) }))
}

func TestWhatIsShownOfAFrontStandsInItsOrder(t *testing.T) {
	t.Parallel()
	for n := 2; n < 60; n++ {
		for picked := 1; picked <= n; picked += 1 + n/7 {
			shown := alongFront(aFront(n, picked).Front, picked)
			name := fmt.Sprintf("%d of %d", picked, n)
			assert.Len(t, shown, min(n, shownOfFront), name)
			assert.Equal(t, []int{1, n}, []int{shown[0].Evaluation, shown[len(shown)-1].Evaluation}, name)
			seen := false
			for k, d := range shown {
				seen = seen || d.Evaluation == picked
				if k > 0 {
					assert.Greater(t, d.Evaluation, shown[k-1].Evaluation, name)
				}
			}
			assert.True(t, seen, name)
		}
	}
}

func TestCellsSayWhatIsInTheWay(t *testing.T) {
	t.Parallel()
	_, run := example()
	at := func(load float64) map[string]bench.Value { return map[string]bench.Value{"load": bench.Number(load)} }
	run.Cells = []result.Cell{
		{At: at(400), State: "finished", Used: 9, Best: run.Best},
		{At: at(800), State: "infeasible", Used: 0, Says: "R4 cannot be met, whatever the solver says"},
		{At: at(900), State: "infeasible", Used: 9, Says: "no feasible design"},
		{At: at(950), State: "failed", Used: 9},
	}
	text := rendered(func(v view) { v.cells(run) })
	assert.Regexp(t, `400 N +● +11\.8`, text)
	assert.Contains(t, text, "◇ R4 cannot be met, whatever the solver says")
	assert.Contains(t, text, "◇ no feasible design")
	assert.Regexp(t, `950 N +failed`, text)
	run.Cells = nil
	assert.Empty(t, rendered(func(v view) { v.cells(run) }))
}

func TestTheAnswerSaysWhatElseWasFound(t *testing.T) {
	t.Parallel()
	_, run := example()
	run.Search = &result.Search{Method: "auto", Chose: "SQP from the start", Remarks: []string{"the start has radius = 0.7, outside of its range"}}
	place := func(evaluation int, radius float64, feasible bool) result.Place {
		return result.Place{Evaluation: evaluation, Feasible: feasible, Objective: number(12.5), Inputs: map[string]bench.Value{"radius": bench.Number(radius), "load": bench.Number(800)}}
	}
	run.Optimum = &result.Optimum{Says: []string{"R1 holds it at mass = 12 kg."}, Places: []result.Place{place(31, 0.2, true), place(44, 0.4, false)}}
	run.Watched = []string{"R2 got worse."}
	text := rendered(func(v view) { v.answer(run) })
	for _, words := range []string{"! the start has radius = 0.7, outside of its range.\n", "  R1 holds it at mass = 12 kg.\n", "  R2 got worse.\n", "auto: SQP from the start.\n"} {
		assert.Contains(t, text, words)
	}
	assert.Regexp(t, `evaluation 31 +12\.5 +● +0\.2`, text)
	assert.Regexp(t, `evaluation 44 +12\.5 +◇ +0\.4`, text)
	assert.NotContains(t, text, "load", "what is the same at all places is left out")
	assert.Empty(t, rendered(func(v view) { v.places(nil) }))
}

func TestTargetsSeedsAndMeasurementsAreShown(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) {
		v.reached([]result.Reached{{Of: "mass", To: 12, Value: 12, Reached: true}, {Of: "bend", To: 20, Value: 18.5}})
	})
	assert.Regexp(t, `mass +12 kg +12 kg +0 +● reached`, text)
	assert.Regexp(t, `bend +20 +18\.5 +-1\.5 +◇ not reached`, text)
	text = rendered(func(v view) {
		v.spread(&result.Spread{Says: "2 searches ended at objectives from 3 to 4: do not believe one of them alone", Ends: []result.Seed{{Seed: 1, Evaluation: 9, Objective: number(3), Feasible: true, Says: "converged"}, {Seed: 2, Evaluation: 7, Objective: number(4), Says: "the budget is used up"}}})
	})
	assert.Contains(t, text, "2 searches ended at objectives from 3 to 4: do not believe one of them alone.\n")
	assert.Regexp(t, `1 +3 +9 +● +converged`, text)
	assert.Regexp(t, `2 +4 +7 +◇ +the budget is used up`, text)
	text = rendered(func(v view) {
		v.calibration(&result.Calibration{Residual: 0.1245, Freedom: 12, Says: []string{"radius is 0.2 m, give or take 0.01 m"}, Matches: []result.Matched{
			{Of: "way", File: "wet.csv", With: map[string]bench.Value{"load": bench.Number(900), "speed": bench.Number(3)}, Measured: make([]float64, 14), Outside: 2, RMS: 0.03},
		}})
	})
	assert.Contains(t, text, "The weighted sum of squares is 0.1245, with 12 degrees of freedom.\n  radius is 0.2 m, give or take 0.01 m.\n")
	assert.Regexp(t, `way +wet\.csv +load = 900, speed = 3 +12 +0\.03`, text)
	for _, draw := range []func(v view){func(v view) { v.reached(nil) }, func(v view) { v.spread(nil) }, func(v view) { v.calibration(nil) }} {
		assert.Empty(t, rendered(draw))
	}
}

func TestDesignsStandBesideEachOther(t *testing.T) {
	t.Parallel()
	one := compared{Name: "7:3", Run: 7, Study: "light", Seed: 1, Evaluation: 3, State: "ok", Evaluations: 100, Inputs: map[string]bench.Value{"radius": {Number: 0.5}, "load": {Number: 800}, "speed": {Number: 3}},
		Values: map[string]float64{"mass": 11.8}, Requirements: map[string]result.Judgment{"R1": {Verdict: "met", Value: number(11.8), Margin: number(2)}, "R2": {Verdict: "met", Value: number(10), Margin: number(0)}}}
	two := one
	two.Name, two.Run, two.Evaluation, two.Evaluations = "slim", 8, 41, 60
	two.Values = map[string]float64{"mass": 10}
	two.Inputs = map[string]bench.Value{"radius": {Number: 0.4}, "load": {Number: 900}, "speed": {Number: 3}}
	two.Requirements = map[string]result.Judgment{"R1": {Verdict: "met_without_reserve", Value: number(10), Margin: number(0.2)}, "R2": {Verdict: "missed", Value: number(10), Margin: number(-3)}}
	text := rendered(func(v view) { v.beside([]compared{one, two}, nil) })
	assert.Contains(t, text, "slim  run 8, light, seed 1, revision 0: evaluation 41 of 60\n")
	assert.Regexp(t, `mass, kg +11\.8 +10 +-15\.3 %`, text)
	assert.Regexp(t, `R1 Light enough .* 11\.8 +2 ● +10 +0\.2 ◐`, text)
	assert.Regexp(t, `radius, m +0\.5 +0\.4 +-20 %`, text)
	assert.Regexp(t, `load, N +800 +900 +\+12\.5 %`, text, "what differs is shown, though it is held")
	assert.NotRegexp(t, `(?m)^speed`, text)
	assert.Contains(t, text, "slim meets R1 without its reserve, which 7:3 keeps.")
	assert.Contains(t, text, "! slim misses R2, which 7:3 meets, by 3")
	failed := compared{Name: "7:9", Run: 7, Evaluation: 9, State: "failed", Inputs: one.Inputs, Requirements: map[string]result.Judgment{"R1": {Verdict: "not_shown"}, "R2": {Verdict: "not_shown"}}}
	text = rendered(func(v view) { v.beside([]compared{one, two, failed}, nil) })
	assert.Regexp(t, `mass, kg +11\.8 +10 +-`, text)
	assert.Contains(t, text, "7:9 has no values: its evaluation failed.")
	assert.NotContains(t, text, "%", "changes are of two")
	assert.Empty(t, percentChange(0, 3), "nothing is a share of nothing")
	assert.Equal(t, "+50 %", percentChange(-2, -1))
}

// The exit code says whether a study came to what it asks for, and no more.
func TestExitCodesAreThoseOfWhatIsAsked(t *testing.T) {
	t.Parallel()
	run := func(kind, ended string, misses, feasible bool, reached ...bool) found {
		r := found{Run: api.Run{ID: 7, State: "finished", Question: api.Question{Kind: kind}}}
		r.Best = &result.Design{Feasible: feasible}
		r.Search = &result.Search{Ended: ended, Misses: misses}
		for _, is := range reached {
			r.Reached = append(r.Reached, result.Reached{Of: "gap", Reached: is})
		}
		return r
	}
	app := &App{}
	for _, c := range []struct {
		run  found
		says string
	}{
		{run("optimize", "converged", false, true), ""},
		{run("optimize", "converged", false, false), ""}, // meet leaves out what it misses
		{run("optimize", "budget", true, false), "the best design of run 7 does not meet every requirement"},
		{run("optimize", "", false, false), "the best design of run 7 does not meet every requirement"}, // it was cut off
		{run("seek", "converged", false, false, true), ""},
		{run("seek", "plateau", true, true, false), "run 7 did not reach gap"},
		{run("seek", "", false, true), "run 7 was ended before it reached its targets"},
	} {
		err := app.judge(c.run)
		if c.says == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, c.says)
	}
}
