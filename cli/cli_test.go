package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/client"
	"ropebench/result"
)

func number(value float64) *float64 { return &value }

// shown is a bench and a finished run of it.
func example() (api.Bench, found) {
	var b api.Bench
	text := `{"name": "drum", "title": "Drum", "inputs": [
		{"name": "radius", "unit": "m", "nominal": 0.2, "range": {"lower": 0.1, "upper": 0.5}, "says": "0.1 to 0.5 m"},
		{"name": "load", "unit": "N", "nominal": 800}, {"name": "speed", "nominal": 2}],
	 "outputs": [{"name": "mass", "unit": "kg", "label": "Mass", "kind": "value"}, {"name": "way", "kind": "curve", "unit": "m"}],
	 "requirements": [{"id": "R1", "says": "Light enough", "of": "mass", "unit": "kg", "limit": "at most 12 kg", "decisive": true},
		{"id": "R2", "of": "mass", "unit": "kg", "limit": "at most 10 kg", "decisive": false}],
	 "studies": [{"name": "light", "kind": "optimize", "objective": "mass"}]}`
	if err := json.Unmarshal([]byte(text), &b); err != nil {
		panic(err)
	}
	run := found{Run: api.Run{ID: 7, Bench: "drum", Revision: 2, State: "finished", Reason: "the budget is used up", Budget: 100, Elapsed: 1.5,
		Counts:   result.Counts{Evaluations: 100, Reused: 3, Failed: 2, NotTried: 1, Usable: 97, Feasible: 40},
		Headline: &result.Headline{Evaluation: 88, Feasible: true, Objective: number(11.8)}},
		Parts: result.Parts{AtEnds: []result.End{{Input: "radius", Guess: true, Says: "radius: the optimum is held by your guess of 0.5 m: widen it?"}}}}
	run.Question.Study, run.Question.Kind, run.Question.Seed = "light", "optimize", 4
	judged := map[string]result.Judgment{"R1": {Verdict: "met_without_reserve", Value: number(11.8), Margin: number(0.2)}, "R2": {Verdict: "missed", Value: number(11.8), Margin: number(-1.8)}}
	run.Best = &result.Design{Evaluation: 88, Feasible: true, Objective: number(11.8), Inputs: map[string]bench.Value{"radius": {Number: 0.5}, "load": {Number: 800}, "speed": {Number: 3}}, Values: map[string]float64{"mass": 11.8}, Requirements: judged}
	run.Nominal = &result.Design{Objective: number(14), Values: map[string]float64{"mass": 14}, Requirements: map[string]result.Judgment{"R1": {Verdict: "missed", Value: number(14)}}}
	return b, run
}

func rendered(draw func(v view)) string {
	b, _ := example()
	var out bytes.Buffer
	draw(view{out: &out, colour: false, bench: b})
	return out.String()
}

func TestARunIsShownWithTheAnswerFirst(t *testing.T) {
	t.Parallel()
	_, run := example()
	run.Changes, run.Newest = []string{"load: nominal 800 -> 900"}, 3
	text := rendered(func(v view) { v.run(run) })
	for _, words := range []string{
		"light  run 7, revision 2, seed 4: finished - the budget is used up",
		"100 evaluations, 3 reused, 2 failed, 1 not tried, 40 feasible; 1.5 s at work",
		"The bench has changed since, and is at revision 3:\n  load: nominal 800 -> 900",
		"mass 11.8 kg (nominal 14), evaluation 88: ● every requirement is met, one wish is not",
		"R1 Light enough        14   11.8 kg   at most 12 kg      0.2   ◐ met without its reserve",
		"R2 mass                 -   11.8 kg   at most 10 kg     -1.8   ◇ missed (a wish)",
		"radius       0.2    0.5 m   +150 %",
		"speed          2        3   +50 %",
		"! radius: the optimum is held by your guess of 0.5 m: widen it?",
	} {
		assert.Contains(t, text, words)
	}
	assert.NotContains(t, text, "load  ", "a held input that is nominal is left out")
	assert.NotContains(t, text, "\x1b", "no colours on a pipe")
}

func TestWhatIsBrokenKeepsItsIndentAndColour(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("a rope ", 10) + "ends"
	assert.Equal(t, "  a rope a rope a rope a rope a rope a\n  rope a rope a rope a rope a rope ends", wrapped("  "+long, 42))
	for _, line := range strings.Split(wrapped("\x1b[38;2;1;2;3m"+long+"\x1b[0m", 42), "\n") {
		assert.True(t, strings.HasPrefix(line, "\x1b[38;2;1;2;3ma rope") || strings.HasPrefix(line, "\x1b[38;2;1;2;3mrope"), "%q", line)
		assert.True(t, strings.HasSuffix(line, "\x1b[0m"))
	}
	assert.Equal(t, long, wrapped(long, 0), "a pipe takes it whole")
}

func TestARunWithoutValuesSaysWhy(t *testing.T) {
	t.Parallel()
	_, run := example()
	run.Best = nil
	run.Failures = &result.Failures{Says: "4 of 4 evaluations failed: none has values", Doubt: true, Reasons: []result.Failure{{Reason: "no licence", Count: 3, Evaluation: 2}, {Reason: "no mesh", Count: 1, Evaluation: 5}}}
	assert.Contains(t, rendered(func(v view) { v.run(run) }), "! 4 of 4 evaluations failed: none has values.\n- 3 times, first in evaluation 2: no licence\n- 1 time, first in evaluation 5: no mesh\n")
	run.Failures.Doubt = false
	text := rendered(func(v view) { v.run(run) })
	assert.NotContains(t, text, "!")
	assert.Contains(t, text, "3 times, first in evaluation 2: no licence")
}

func TestAnInfeasibleBestIsSaidSo(t *testing.T) {
	t.Parallel()
	_, run := example()
	run.Best.Feasible, run.Best.Misses = false, "R1 by 0.3 mm"
	assert.Contains(t, rendered(func(v view) { v.run(run) }), "◇ not feasible: it misses R1 by 0.3 mm")
}

func TestAnEvaluationIsShown(t *testing.T) {
	t.Parallel()
	_, run := example()
	var p tried
	require.NoError(t, json.Unmarshal([]byte(`{"evaluation": 1, "state": "ok", "design": [0.7], "reused": true, "inputs": {"radius": 0.7, "load": 800, "speed": 2},
		"named": {"mass": 19.6}, "requirements": {"R1": {"verdict": "missed", "value": 19.6, "margin": -7.6}}, "seconds": 0.0123,
		"steps": [{"name": "run hoist", "seconds": 0.0123}], "curves": {"way": {"x": [0, 1], "y": [-1, 2]}}}`), &p))
	text := rendered(func(v view) { v.evaluation(run.Run, p) })
	for _, words := range []string{"◇ 1 requirement missed", "reused from an earlier run; --fresh asks the solver again", "run hoist: 0.0123 s", "! radius is outside of its range, 0.1 to 0.5 m",
		"mass     19.6 kg   Mass", "way           2         -1       2 m", "R1 Light enough   19.6 kg   at most 12 kg     -7.6   ◇ missed"} {
		assert.Contains(t, text, words)
	}
	p.State, p.Tail = "failed", "line one\nline two"
	text = rendered(func(v view) { v.evaluation(run.Run, p) })
	assert.Contains(t, text, "▪ failed")
	assert.Contains(t, text, "What the solver left:\n  line one\n  line two")
}

func TestChange(t *testing.T) {
	t.Parallel()
	for want, values := range map[string][2]float64{"+18 %": {10, 11.8}, "-10 %": {10, 9}, "+50 %": {-10, -5}, "as it was": {3, 3}, "": {0, 3}} {
		assert.Equal(t, want, change(bench.Number(values[0]), bench.Number(values[1])))
	}
}

func TestTheLiveLine(t *testing.T) {
	t.Parallel()
	b, run := example()
	p := &progress{view: view{out: nil, colour: false, bench: b}, began: time.Now().Add(-10 * time.Second)}
	run.Evaluations, run.Budget, run.State = 50, 100, "running"
	assert.Equal(t, "50 of 100, ● best mass 11.8 kg, 2 failed, 1 not tried, about 11s left", p.line(run.Run))
	run.Headline.Paid = 0.4
	assert.Equal(t, "50 of 100, ● best mass 11.8 kg, 0.4 kg paid beside it, 2 failed, 1 not tried, about 11s left", p.line(run.Run))
	run.Headline.Paid = 0
	run.Headline, run.Failed = &result.Headline{Misses: "R1 by 2 mm"}, 0
	assert.Equal(t, "50 of 100, ◇ misses R1 by 2 mm, 1 not tried, about 11s left", p.line(run.Run))
	run.Headline, run.Evaluations = nil, 0
	assert.Equal(t, "0 of 100, 1 not tried", p.line(run.Run))
}

func TestProgressIsQuietOnAPipe(t *testing.T) {
	t.Parallel()
	b, run := example()
	var out, people bytes.Buffer
	a := &App{Out: &people, Err: &out}
	p := a.progress(b, run.Run)
	p.show(run.Run)
	p.end()
	assert.Empty(t, out.String()+people.String())
}

func TestAssignments(t *testing.T) {
	t.Parallel()
	values, err := assignments("set", []string{"a=1.5", " b = -2e3 ", "pad=ceramic"})
	require.NoError(t, err)
	assert.Equal(t, map[string]bench.Value{"a": {Number: 1.5}, "b": {Word: "-2e3"}, "pad": {Word: "ceramic"}}, values, "the service knows which inputs are words")
	for _, wrong := range []string{"a", "a=", "=3x", " =1"} {
		_, err := assignments("set", []string{wrong})
		var exit exitErrorOf
		require.ErrorAs(t, err, &exit)
		assert.Equal(t, exitWrongUse, exit.code)
	}
}

func TestJudgeGivesTheExitCode(t *testing.T) {
	t.Parallel()
	a := &App{}
	code := func(change func(*found)) int {
		_, run := example()
		change(&run)
		err := a.judge(run)
		if err == nil {
			return exitGood
		}
		if exit, ok := err.(exitErrorOf); ok {
			return exit.code
		}
		return exitError
	}
	assert.Equal(t, exitGood, code(func(*found) {}))
	assert.Equal(t, exitMissed, code(func(r *found) { r.Best.Feasible = false }))
	assert.Equal(t, exitNothing, code(func(r *found) { r.Usable = 0 }))
	assert.Equal(t, exitError, code(func(r *found) { r.State = "broken" }))
}

func TestPointsTable(t *testing.T) {
	t.Parallel()
	p := api.Evaluations{Inputs: []string{"radius"}, Columns: []string{"mass", "inertia"}, Evaluations: []api.Evaluation{
		{Number: 1, State: "ok", Feasible: true, Design: []bench.Value{{Number: 0.25}}, Values: []*float64{number(12345.678), number(1)}},
		{Number: 2, State: "failed", Reason: "no licence", Design: []bench.Value{{Number: 0.3}}},
		{Number: 3, State: "not tried", Design: []bench.Value{{Number: 0.4}}, Values: []*float64{number(2), nil}, Missed: []string{"R1", "R2"}}}}
	names, err := chosen(p, tableOptions{query: client.EvaluationsQuery{Sort: "-inertia"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"inertia", "radius", "mass"}, names, "what sorts comes first")
	names, err = chosen(p, tableOptions{columns: []string{"mass"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"mass"}, names)
	_, err = chosen(p, tableOptions{columns: []string{"weight"}})
	assert.ErrorContains(t, err, "weight is no input or value of this run (known: radius, mass, inertia)")
	assert.Equal(t, []string{"12,346", "-", "-", "0.3"}, []string{cell(p, p.Evaluations[0], "mass"), cell(p, p.Evaluations[1], "mass"), cell(p, p.Evaluations[2], "inertia"), cell(p, p.Evaluations[1], "radius")})
	var out bytes.Buffer
	a := &App{Out: &out}
	b, run := example()
	require.NoError(t, a.showTable(b, run.Run, p, true, tableOptions{}))
	for _, words := range []string{"no.   radius     mass   inertia   why\n           m       kg\n", "● 1     0.25   12,346         1\n", "▪ 2      0.3        -         -   no licence\n", "◇ 3      0.4        2         -   not tried: misses R1, R2 (a wish)\n", "There are more"} {
		assert.Contains(t, out.String(), words)
	}
}

// TestTablesFitTheirWindow: texts are broken between words, numbers never, and columns that do not fit go below.
func TestTablesFitTheirWindow(t *testing.T) {
	t.Parallel()
	draw := func(width int, columns int) string {
		var out bytes.Buffer
		s := view{out: &out}.newTable([]int{2, 4, 5, 6}, []any{"requirement", "value", "verdict", "one", "two", "three"}[:columns]...)
		s.width = width
		s.AppendRow([]any{"R1 The rope keeps its line at every load", "0.37524 mm", "met without its reserve", 1.25, 2.25, "3,000"}[:columns])
		s.Render()
		return out.String()
	}
	for _, width := range []int{40, 60, 80, 200} {
		text := draw(width, 6)
		for line := range strings.Lines(text) {
			assert.LessOrEqual(t, utf8.RuneCountInString(strings.TrimRight(line, "\n")), width, text)
		}
		for _, word := range []string{"requirement", "0.37524 mm", "reserve", "1.25", "2.25", "3,000", "every", "three"} {
			assert.Contains(t, text, word)
		}
	}
	assert.Equal(t, 1, strings.Count(draw(200, 6), "requirement"))
	assert.Greater(t, strings.Count(draw(40, 6), "requirement"), 1, "the first column stands in each part")
	assert.NotContains(t, draw(60, 3), "\n\n", "texts that are broken are enough here")
}

func TestCommandsThatNeedNoService(t *testing.T) {
	t.Parallel()
	var out, messages bytes.Buffer
	a := &App{Version: "9.9", Out: &out, Err: &messages}
	assert.Equal(t, exitGood, a.Run(context.Background(), []string{"version"}))
	assert.Equal(t, "ropebench 9.9\n", out.String())
	out.Reset()
	assert.Equal(t, exitGood, a.Run(context.Background(), []string{"version", "--json"}))
	assert.JSONEq(t, `{"version": "9.9"}`, out.String())
	assert.Equal(t, exitWrongUse, a.Run(context.Background(), []string{"verfy", "3"}))
	assert.Contains(t, messages.String(), "did you mean verify?")
	out.Reset()
	assert.Equal(t, exitGood, a.Run(context.Background(), nil))
	assert.Contains(t, out.String(), "Begin with `ropebench demo`")
}

func TestTheLastLineOfALog(t *testing.T) {
	t.Parallel()
	assert.Equal(t, "b", lastLine("a\nb\n"))
	assert.Equal(t, "it said nothing", lastLine("\n"))
}

func TestFreedInputs(t *testing.T) {
	t.Parallel()
	ranges, err := freed([]string{"springs", "mass = 60:110"})
	require.NoError(t, err)
	assert.Equal(t, map[string]*bench.Range{"springs": nil, "mass": {Lower: 60, Upper: 110}}, ranges)
	for _, wrong := range []string{"mass=60", "mass=a:b", "mass=1:2:3"} {
		_, err := freed([]string{wrong})
		assert.ErrorContains(t, err, "--free needs a name, or name=lower:upper")
	}
}

// TestWrongUseIsSaidInWords: no message of a library, and one exit code for whatever an option cannot be.
func TestWrongUseIsSaidInWords(t *testing.T) {
	t.Parallel()
	for says, args := range map[string][]string{
		`--limit needs a whole number, not "x"; see`:                        {"runs", "--limit", "x"},
		`--seed needs a whole number that is not negative, not "-1"`:        {"run", "a", "b", "--seed", "-1"},
		"show was given 0 arguments; it is used as `ropebench show RUN`":    {"show"},
		"--csv and --json are two forms of one output":                      {"table", "1", "--csv", "--json"},
		"give a bench file, or --of RUN:EVALUATION":                         {"try"},
		`an evaluation of a run is named as in 4:17, not by "4:x"`:          {"try", "--of", "4:x"},
		`an evaluation is named by its number, not by "x"`:                  {"files", "1", "x"},
		"--into takes the files of one evaluation":                          {"files", "1", "--into", "d"},
		"a run is named by its number (see `ropebench runs`), not by \"x\"": {"follow", "x"},
	} {
		var out, messages bytes.Buffer
		a := &App{Out: &out, Err: &messages}
		assert.Equal(t, exitWrongUse, a.Run(t.Context(), args), says)
		assert.Contains(t, messages.String(), says)
		assert.Empty(t, out.String())
	}
}

func TestEveryHelpHasAnExample(t *testing.T) {
	t.Parallel()
	root := (&App{}).root()
	for _, c := range root.Commands() {
		for line := range strings.Lines(c.Example) {
			assert.True(t, strings.HasPrefix(line, "  ropebench "+c.Name()), "%s: %s", c.Name(), line)
		}
		assert.NotEmpty(t, c.Example, c.Name())
	}
}

func TestTheShellIsOfferedWhatCanStandThere(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "a.bench.yaml")
	require.NoError(t, os.WriteFile(file, []byte("bench: 1\ninputs: {x: {nominal: 1, range: [0, 2]}, load: {nominal: 3}}\nsolver: {formulas: {f: x}}\nstudies: {look: {kind: sample, points: 3}, best: {kind: optimize, minimize: f}}\n"), 0o600))
	for _, c := range []struct {
		args   []string
		offers string
	}{
		{[]string{"run", file, ""}, "look\nbest\n"},
		{[]string{"run", ""}, "bench.yaml\n:8\n"},
		{[]string{"try", file, "--set", ""}, "x=\nload=\n"},
		{[]string{"run", file, "look", "--hold", ""}, "x=\nload=\n"},
		{[]string{"show", ""}, ":4\n"},
	} {
		var out, messages bytes.Buffer
		a := &App{Out: &out, Err: &messages}
		require.Equal(t, exitGood, a.Run(t.Context(), append([]string{"__complete", "--data", t.TempDir()}, c.args...)), messages.String())
		assert.True(t, strings.HasPrefix(out.String(), c.offers), "%v: %s", c.args, out.String())
	}
}
