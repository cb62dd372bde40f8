package cli

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/result"
)

func share(total, from, to float64) result.Influence {
	first := total * 0.9
	return result.Influence{First: &first, FirstLimits: &result.Limits{from, to}, Total: &total, TotalLimits: &result.Limits{from, to}, Rank: number(-0.3), RankLimits: &result.Limits{-0.5, 0.1}}
}

func anExploration() result.Exploration {
	return result.Exploration{Evaluations: 60, Usable: 58, Feasible: 0, Inputs: []string{"radius", "speed"}, Idle: []string{"speed"}, Remarks: []string{"No usable evaluation has pad at b: nothing is known there."},
		Obstacles: result.Obstacles{Says: []string{"None of 58 designs is feasible.", "No design meets R1 and R2 together."}},
		Values: []result.Explored{
			{Name: "mass", Unit: "kg", Least: 8, Median: 11, Most: 31, Bars: []int{0, 4, 8, 1}, Advice: []string{"sample more: 58 evaluations for 2 inputs are few"},
				Sensitivity: result.Sensitivity{By: "surrogate", Says: "moved by radius 81 %", Q2: number(0.897), Unexplained: number(0.103), Surrogate: "polynomial", Ranking: []string{"radius", "speed"}, Inputs: map[string]result.Influence{"radius": share(0.81, 0.7, 0.9), "speed": share(0.002, 0, 0.01)}},
				Outliers:    []result.Outlier{{Evaluation: 17, Value: 31, Predicted: 12, Deviations: 7.1}}},
			{Name: "luck", Least: -1, Median: 0, Most: 1, Bars: []int{1},
				Sensitivity: result.Sensitivity{By: "surrogate", Says: "unpredictable: Q² is 0.02", Q2: number(0.02), Unpredictable: true, Unexplained: number(0.98), Ranking: []string{"radius", "speed"}, Inputs: map[string]result.Influence{"radius": share(0.5, 0, 1), "speed": share(0.4, 0, 1)}},
				LeftOut:     []result.LeftOut{{Evaluation: 9, Reason: "the gauge was loose"}}},
		}}
}

func TestAnExplorationIsShownWithTheFirstFactFirst(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) { v.exploration(api.Run{ID: 4, Bench: "drum"}, anExploration(), true) })
	for _, words := range []string{
		"◇ None of 58 designs is feasible.\n  No design meets R1 and R2 together.",
		"mass kg       8       11     31    ▄█▁",
		"0.89",
		"radius          ████▉  81 %   ?",
		"not predicted   ▋      10 %",
		"81 % (70 to 90)",
		"! mass of evaluation 17 is 31, and the others predict 12 (7.1 deviations)",
		"leave-out 4 17 --of mass --because",
		"luck of evaluation 9 is left out: the gauge was loose",
		"mass is predicted with a Q² of 0.89 only. To try: sample more: 58 evaluations for 2 inputs are few.",
		"! No usable evaluation has pad at b",
		"Matter for nothing here: speed. Leave them as they are in the next study by --hold speed=2.",
	} {
		assert.Contains(t, text, words)
	}
	assert.Less(t, strings.Index(text, "None of 58"), strings.Index(text, "mass kg"))
	nothing := anExploration()
	nothing.Usable = 0
	assert.NotContains(t, rendered(func(v view) { v.exploration(api.Run{ID: 4, Bench: "drum"}, nothing, false) }), "mass", "no numbers of what has none")
}

func TestBarsAndSparklines(t *testing.T) {
	t.Parallel()
	assert.Equal(t, " ▁█", sparkline([]int{0, 1, 90}))
	assert.Equal(t, "███    50 %", bar(0.5, 6))
	assert.Equal(t, 11, utf8.RuneCountInString(bar(0.987, 6)), "the percentages stand below each other")
	for q2, want := range map[float64]string{0.5: "0.50", 0.999: "0.9990", 0.9999999: "0.99999", 1: "1", 0.9549: "0.954"} {
		assert.Equal(t, want, showQ2(q2))
	}
	assert.Equal(t, "'mass/springs'", quoted("mass/springs"))
}

// What a study found is shown by the numbers that its method gives, and no others.
func TestSensitivitiesAreShownByTheirMethod(t *testing.T) {
	t.Parallel()
	effects := result.Parts{Sensitivity: map[string]result.Sensitivity{"mass": {By: "elementary-effects", Says: "over its whole range radius moves it by 20 kg on average", Lost: 3, Ranking: []string{"radius"},
		Inputs: map[string]result.Influence{"radius": {Mean: number(-20), Absolute: number(20), AbsoluteLimits: &result.Limits{17, 23}, Spread: number(4)}}}},
		Rounds: &result.Rounds{Rounds: []result.Round{{Points: 30, Says: "goes on, since Q² is not 0.9 yet for mass (0.7)"}, {Points: 40, Says: "ended"}}}}
	text := rendered(func(v view) { v.sensitivities(effects) })
	assert.Contains(t, text, "round 1, 30 points: goes on, since Q² is not 0.9 yet for mass (0.7)")
	assert.Contains(t, text, "20 (17 to 23)")
	assert.Contains(t, text, "! 3 evaluations failed")
	assert.NotContains(t, text, "alone")
}

func TestPredictionsAreNotTakenForEvaluations(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) {
		v.predictions([]string{"mass"}, api.Predictions{Values: map[string][]api.Prediction{"mass": {{Mean: 12.3, Deviation: 0.25}}}})
	})
	assert.Contains(t, text, "12.3 kg            0.5")
	assert.Contains(t, text, "not computed")
}

// What is wrong is said before a service is started.
func TestCommandsOfExploringRefuseWhatIsWrong(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"extend", "4"}, "--points says how many"},
		{[]string{"extend", "x", "--points", "3"}, "a run is named by its number"},
		{[]string{"leave-out", "4", "17", "--because", "x"}, "--of names the value"},
		{[]string{"leave-out", "4", "17", "--of", "mass"}, "give a reason by --because, or --back"},
		{[]string{"leave-out", "4", "17", "--of", "mass", "--because", "x", "--back"}, "give a reason by --because, or --back"},
		{[]string{"leave-out", "4", "0", "--of", "mass", "--back"}, "an evaluation is named by its number"},
		{[]string{"plot", "4", "--kind", "histogram", "--out", "a.gif"}, "ends in .svg, .png or .csv"},
		{[]string{"plot", "4", "--out", "a.svg"}, "--kind says what is drawn"},
		{[]string{"predict", "4", "--set", "radius"}, "--set needs name=value"},
	} {
		var out, errs bytes.Buffer
		a := &App{Out: &out, Err: &errs, Serve: nil}
		code := a.Run(t.Context(), append(c.args, "--data", t.TempDir()))
		assert.Equal(t, exitWrongUse, code, "%v: %s", c.args, errs.String())
		assert.Contains(t, errs.String(), c.says)
	}
	assert.Equal(t, "zipline", benchArgument("there/zipline.bench.yaml"))
	var b api.Bench
	require.NoError(t, json.Unmarshal([]byte(`{"inputs": [{"name": "pad", "nominal": "organic"}]}`), &b))
	assert.Equal(t, "organic", view{bench: b}.nominal("pad"))
	assert.Equal(t, bench.Value{Word: "organic"}, b.Inputs[0].Nominal)
}
