package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
)

const lifted = `bench: 1
inputs:
  weight: {nominal: 900, range: [500, 1500]}
  load:   {unit: kg, nominal: 400}
  wind:   {nominal: 2}
  gust:   {nominal: 2, scatter: {normal: {mean: 2, sd: 1}}}
solver:
  formulas:
    pull:  {unit: N, formula: (load + 650)*9.81 + gust, label: Pull}
    sway:  wind*3
    cost:  2*weight
derived:
  share:  pull/weight
  spread: share.full - share.empty
requirements:
  R1: {of: share, at_most: 20}
  R2: {of: 2*pull, at_least: 1000, in: [full]}
  R3: {of: cost, at_most: 2000}
  R4: {of: pull.empty - sway, at_least: 0}
cases:
  empty: {load: 0}
  full:  {load: 800, wind: 9}
studies:
  best: {kind: optimize, minimize: pull, watch: [share, cost]}
  most: {kind: optimize, objectives: [{maximize: share}, {minimize: cost}]}
`

func TestCasesAreCovered(t *testing.T) {
	t.Parallel()
	b, _, err := Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": lifted}))
	require.NoError(t, err)
	texts := map[string]string{}
	for _, d := range append(b.Solver.Formulas, b.Derived...) {
		texts[d.Name] = d.Formula.Text
	}
	assert.Equal(t, map[string]string{
		"pull.empty": "(load.empty + 650)*9.81 + gust", "pull.full": "(load.full + 650)*9.81 + gust",
		"sway.empty": "wind*3", "sway.full": "wind.full*3", "cost": "2*weight",
		"share.empty": "pull.empty/weight", "share.full": "pull.full/weight", "spread": "share.full - share.empty",
	}, texts, "what a case does not give is as in the design")
	assert.Equal(t, []string{"weight", "load", "wind", "gust", "load.empty", "load.full", "wind.full"}, b.Variables())
	assert.Equal(t, []float64{900, 400, 2, 2, 0, 800, 9}, b.NominalRow())
	limited := map[string][]string{}
	for _, q := range b.Requirements {
		for _, one := range q.Limited() {
			limited[q.ID] = append(limited[q.ID], one.Case+": "+one.Of.Text)
		}
	}
	assert.Equal(t, map[string][]string{
		"R1": {"empty: share.empty", "full: share.full"}, "R2": {"full: 2*pull.full"}, "R3": {": cost"},
		"R4": {"empty: pull.empty - sway.empty", "full: pull.empty - sway.full"},
	}, limited)
	best, _ := b.Study("best")
	assert.Equal(t, "max(pull.empty, pull.full)", best.Goals()[0].Formula.Text)
	assert.Equal(t, []string{"share.empty", "share.full", "cost"}, best.Watch)
	most, _ := b.Study("most")
	assert.Equal(t, "min(share.empty, share.full)", most.Goals()[0].Formula.Text)
	assert.Equal(t, "cost", most.Goals()[1].Formula.Text)
	assert.Equal(t, "N", b.UnitOf("max(pull.empty, pull.full)"))
	assert.Equal(t, "N", b.Unit("pull"), "a requirement names it without a case")
	assert.Equal(t, "Pull in full", b.Label("pull.full"))
	assert.Len(t, b.OneCase.Derived, 2)
	value, known := b.ValueIn(b.NominalRow(), "load.full")
	assert.True(t, known)
	assert.Equal(t, bench.Number(800), value)
}

func TestCasesThatCannotBe(t *testing.T) {
	t.Parallel()
	for says, change := range map[string][2]string{
		"cases: empty: weight is varied":                                          {"{load: 0}", "{weight: 0}"},
		"cases: empty: gust scatters":                                             {"{load: 0}", "{gust: 0}"},
		"cases: empty: lod is no input; did you mean load?":                       {"{load: 0}", "{lod: 0}"},
		"cases: empty: pull is no input: a case gives values to inputs":           {"{load: 0}", "{pull: 0}"},
		"cases: empty gives no value":                                             {"{load: 0}", "{}"},
		"cases: empty: load needs a finite number":                                {"{load: 0}", "{load: nothing}"},
		"R2: in names ful, which is no case; did you mean full?":                  {"in: [full]", "in: [ful]"},
		"R3: cost is the same in all cases: leave in out":                         {"at_most: 2000", "at_most: 2000, in: [full]"},
		"spread: cost is the same in every case: write cost":                      {"share.full -", "cost.full -"},
		"best: pull differs from case to case: name one, as in pull.empty":        {"minimize: pull", "approach: [{of: pull, to: 3}]"},
		"best: hold: wind has a value of its own in full: change it there":        {"watch:", "hold: {wind: 3}, watch:"},
		"most: over: load has a value of its own in empty, full: change it there": {"most: {kind: optimize, objectives: [{maximize: share}, {minimize: cost}]}", "most: {kind: sweep, over: {load: [1, 2]}, each: best}"},
		"spread: the formula \"share.full - share.emty\" names share.emty":        {"share.empty", "share.emty"},
		"share is computed from itself (share <- spread <- share)":                {"share:  pull/weight", "share:  pull/weight + spread"},
		"pull.empty is a single number":                                           {"R4: {of: pull.empty", "R4: {of: peak(pull.empty)"},
		"cases needs names and their values":                                      {"cases:\n  empty: {load: 0}\n  full:  {load: 800, wind: 9}", "cases: [empty]"},
		"best: watch names share.ful, which is no value of the model":             {"[share,", "[share.ful,"},
	} {
		require.Contains(t, lifted, change[0])
		_, _, err := Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": strings.Replace(lifted, change[0], change[1], 1)}))
		assert.ErrorContains(t, err, says)
	}
}
