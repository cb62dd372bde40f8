package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/result"
)

func TestASearchOverScatterIsShownBesideTheOneThatIgnoresIt(t *testing.T) {
	t.Parallel()
	_, r := example()
	assert.Empty(t, rendered(func(v view) { v.robust(r); v.told(nil) }))
	kept, missed := true, false
	r.Robust = &result.Robust{By: "draws", Draws: 200, Inputs: []string{"load", "speed"}, Alone: &result.WithoutScatter{Evaluation: 9, Used: 33}, Told: []result.Told{
		{Of: "expected(mass)", Unit: "kg", Value: 12.5, Alone: number(11)},
		{Of: "margin of mass that is kept with a probability of 95 %", Unit: "kg", Requirement: "R1", Limit: "at least 0", Value: 0.1, Alone: number(-2), Holds: &kept},
		{Of: "deviation(bend)", Requirement: "R2", Limit: "at most 1", Value: 3, Holds: &missed}}, Missed: []string{"R2"}}
	text := rendered(func(v view) { v.robust(r) })
	assert.Regexp(t, `expected\(mass\) +12\.5 kg +11\n`, text)
	assert.Regexp(t, `R1 margin of mass that is kept .* 0\.1 kg +-2 +at least 0 +● met`, text)
	assert.Regexp(t, `R2 deviation\(bend\) +3 +- +at most 1 +◇ missed`, text)
	assert.Contains(t, text, "The design that ignores scatter is evaluation 9; it took 33 evaluations.\n")
	assert.Contains(t, text, "Over 200 draws of load and speed, the same for every design.\n")
	app := &App{}
	r.State, r.Usable = "finished", 600
	assert.Equal(t, exitErrorOf{code: exitMissed, text: "the best design of run 7 misses R2 under scatter; give it wider ranges or a smaller scatter, or ask for less"}, app.judge(r))

	r.Robust.Alone, r.Robust.Checked, r.Robust.Told = nil, number(0.004), r.Robust.Told[2:]
	text = rendered(func(v view) { v.robust(r) })
	assert.Contains(t, text, "predicted by surrogates: the last that were computed as well were off by at most 0.4 % of the spread of a value; make a study of kind uncertainty about the design before you believe it.\n")
	assert.NotContains(t, text, "ignor")
}

// The case in which a requirement is worst stands behind its name.
func TestTheWorstCaseIsNamed(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) {
		v.requirements(map[string]result.Judgment{"R1": {Verdict: "missed", Value: number(14), Margin: number(-2), Case: "heavy"}, "R2": {Verdict: "met", Value: number(20), Margin: number(1)}}, nil)
	})
	assert.Regexp(t, `R1 Light enough, in heavy +14 kg .* -2 +◇ missed`, text)
	assert.NotContains(t, text, "in heavy\nR2")
}

func TestSearchesAreComparedByWhatTheyHadAfterAsManyEvaluations(t *testing.T) {
	t.Parallel()
	assert.Empty(t, rendered(func(v view) { v.besideConvergence(map[int]result.Convergence{3: {}}) }), "one is compared with none")
	long := result.Convergence{Objective: "mass", Unit: "kg", Evaluations: 100, Steps: []result.Improvement{{Evaluation: 2, Objective: number(20), Misses: "R1 by 2 mm"}, {Evaluation: 20, Objective: number(14), Feasible: true}, {Evaluation: 90, Objective: number(12), Feasible: true}}}
	short := result.Convergence{Objective: "mass", Unit: "kg", Evaluations: 40, Steps: []result.Improvement{{Evaluation: 30, Objective: number(13), Feasible: true}}}
	text := rendered(func(v view) { v.besideConvergence(map[int]result.Convergence{8: short, 3: long}) })
	assert.Regexp(t, `best after +run 3 +run 8\n`, text)
	assert.Regexp(t, `10 evaluations +◇ misses R1 by 2 mm +-\n`, text)
	assert.Regexp(t, `25 evaluations +14 kg +-\n`, text)
	assert.Regexp(t, `50 evaluations +14 kg +13 kg, ended\n`, text)
	assert.Regexp(t, `100 evaluations +12 kg +13 kg, ended\n`, text)
	assert.Equal(t, markFeasible, view{}.bestAfter(result.Convergence{Evaluations: 5, Steps: []result.Improvement{{Evaluation: 1, Feasible: true}}}, 3), "without an objective one is as good as another")
}
