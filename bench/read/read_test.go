package read

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/words"
)

func TestReadsTheWholeFormat(t *testing.T) {
	t.Parallel()
	b, err := Read("hoist.bench.yaml", []byte(benchtest.Hoist))
	require.NoError(t, err)
	assert.Equal(t, "Several lines\nof notes.\n", b.Notes)
	assert.Equal(t, []string{"drum", "turns", "rate", "share", "load"}, names(b.Inputs, func(in bench.Input) string { return in.Name }))
	assert.Equal(t, &bench.Range{Lower: 0.1, Upper: 0.5, LowerGuess: false, UpperGuess: true}, b.Inputs[0].Range)
	assert.Equal(t, 1e-4, b.Inputs[2].Nominal.Number, "1e-4 is a number")
	assert.Equal(t, &bench.Range{Lower: 40, Upper: 60, LowerGuess: true, UpperGuess: true}, b.Inputs[3].Range)
	assert.Equal(t, 10.0, b.Inputs[4].Nominal.Number, "010 is ten")
	run := b.Solver.Steps[1].Run
	assert.Equal(t, []string{"hoistsim", "case/hoist.deck", "-n=@[turns]"}, run.Args)
	assert.Equal(t, 90*time.Second, run.Limit)
	assert.Equal(t, []int{0, 3}, run.Accept)
	assert.Equal(t, 1, b.Outputs[1].Which)
	assert.Equal(t, "s", b.Outputs[2].Curve.XUnit)
	assert.Equal(t, 11.5, b.Requirements[0].Limit.Upper-b.Requirements[0].Limit.Reserve)
	assert.Equal(t, []float64{5, 7}, []float64{b.Requirements[2].Limit.Lower, b.Requirements[2].Limit.Upper})
	assert.False(t, b.Requirements[3].Decisive() || b.Requirements[4].Decisive())
	assert.True(t, b.Requirements[2].Of.NamesOnly(b.InputsOnly()))
	assert.False(t, b.Requirements[1].Of.NamesOnly(b.InputsOnly()))
	look, _ := b.Study("look")
	assert.Equal(t, []any{uint64(7), 16, "sobol"}, []any{look.Seed, look.Settings.(*bench.Sample).Points, look.Settings.(*bench.Sample).Plan})
	best, _ := b.Study("best")
	assert.Equal(t, 40, best.Settings.(*bench.Optimize).Stop.Plateau)
	assert.Equal(t, 10*time.Minute, best.Budget.Time)
	assert.Empty(t, best.Later())
	trade, _ := b.Study("trade")
	assert.Len(t, trade.Goals(), 2)
	assert.Empty(t, trade.Later())
}

func names[T any](all []T, nameOf func(T) string) []string {
	var names []string
	for _, one := range all {
		names = append(names, nameOf(one))
	}
	return names
}

// A mistake is an edit of the valid bench and what must be said about it.
var mistakes = []struct{ name, from, to, line, message string }{
	{"unknown key", "label: Drum radius", "lable: Drum radius", "7", `drum has no key "lable"; did you mean label?`},
	{"duplicate key", "unit: N, nominal: 010", "unit: N, nominal: 1, unit: N", "11", "unit stands twice"},
	{"duplicate name", "  load: {unit: N", "  drum: {nominal: 1}\n  load: {unit: N", "11", "drum stands twice, first on line 7"},
	{"wrong name", "  load: {unit", "  pay load: {unit", "11", "write pay_load"},
	{"name begins with a digit", "  load: {unit", "  2load: {unit", "11", "write x2load"},
	{"reserved name", "  load: {unit: N", "  max: {unit: N", "11", "max is a word of the formula language"},
	{"shared namespace", "  area: pi", "  drum: pi", "27", "drum is already a name, on line 7"},
	{"range upside down", "range: [0.1, 0.5]", "range: [0.5, 0.1]", "7", "upside down: write [0.1, 0.5]"},
	{"range without width", "range: [0.1, 0.5]", "range: [0.2, 0.2]", "7", "has no width"},
	{"end that depends on another input", "range: [0.1, 0.5]", "range: [0.1, turns/8]", "7", "at_most: 0}"},
	{"nominal outside", "nominal: 0.2,", "nominal: 2,", "7", "the nominal 2 is outside its range [0.1, 0.5]"},
	{"step does not divide", "step: 2}", "step: 5}", "8", "the step 5 does not divide the range [2, 20]: write [2, 17], say"},
	{"nominal off step", "nominal: 6, range", "nominal: 7, range", "8", "the nominal 7 is not on a step of 2 from 2"},
	{"nominal off a step of tenths", "nominal: 6, range: [2, 20], step: 2", "nominal: 0.25, range: [0, 0.5], step: 0.1", "8", "the nearest is 0.3"},
	{"step does not divide in tenths", "nominal: 6, range: [2, 20], step: 2", "nominal: 0.3, range: [-1, 0.35], step: 0.1", "8", "write [-1, 0.3], say"},
	{"no nominal", "{nominal: 50, range: 20%}", "{range: [1, 2]}", "10", "share has no nominal"},
	{"log range not above 0", "range: [1e-5, 1e-3]", "range: [-1, 1]", "9", "needs a range above 0"},
	{"text for a number", "nominal: 50,", "nominal: fifty,", "10", "needs a finite number, not fifty"},
	{"decimal comma", "nominal: 0.2,", "nominal: '0,2',", "7", "remove the quotes"},
	{"not finite", "nominal: 50,", "nominal: .inf,", "10", "needs a finite number, not .inf"},
	{"unknown name in a formula", "ratio: weight/load", "ratio: wieght/load", "29", "names wieght, which is no input, output or derived value; did you mean weight?"},
	{"circle", "weight: {unit: N, formula: \"mass*9.81\"}", "weight: ratio*2", "28", "is computed from itself"},
	{"bad formula", "area: pi*drum^2", "area: pi*drum**2", "27", "a power is written ^"},
	{"unquoted comma", `of: "max(mass, 3)"`, "of: max(mass, 3)", "35", `is quoted: write R5: {of: "max(mass, 3)", at_most: 20, price: 40}`},
	{"unquoted question", `minimize: "mass > 3 ? mass : 3"`, "minimize: mass > 3 ? mass : 3", "40", `is quoted: write minimize: "mass > 3 ? mass : 3"`},
	{"two limits", "at_most: 12,", "at_most: 12, at_least: 3,", "31", "R1 has 2 limits (at_most, at_least)"},
	{"no limit", "at_most: 12, ", "", "31", "R1 has no limit"},
	{"equals without within", "equals: 6, within: 1", "equals: 6", "33", "equals needs within"},
	{"between upside down", "between: [0.5, 4]", "between: [4, 0.5]", "32", "write [0.5, 4]"},
	{"negative reserve", "reserve: 0.5", "reserve: -0.5", "31", "must not be negative"},
	{"path leaves the folder", "from: hoist.tpl", "from: ../hoist.tpl", "16", "leaves the folder of the bench"},
	{"absolute path", "to: case/hoist.deck", "to: /etc/hoist.deck", "16", "leaves the folder of the bench"},
	{"shell line", "run: [hoistsim, case/hoist.deck, \"-n=@[turns]\"]", "run: [hoistsim case/hoist.deck]", "17", "not a shell line: write [hoistsim, case/hoist.deck]"},
	{"program in a folder", "run: [hoistsim,", "run: [tools/hoistsim,", "17", "write ./tools/hoistsim"},
	{"post without an answer's file", "fill: {from: hoist.tpl, to: case/hoist.deck}", "post: http://127.0.0.1:9/solve", "16", "post needs save"},
	{"post to no address", "fill: {from: hoist.tpl, to: case/hoist.deck}", "{post: 127.0.0.1:9, save: a.json}", "16", "post needs an address such as"},
	{"option of another step", "fill: {from: hoist.tpl, to: case/hoist.deck}", "{fill: hoist.tpl, limit: 3s}", "16", "limit does not belong to fill"},
	{"two steps in one", "fill: {from: hoist.tpl, to: case/hoist.deck}", "{fill: hoist.tpl, run: [a]}", "16", "exactly one of fill, run, ask, post and workbook"},
	{"nothing to ask", "fill: {from: hoist.tpl, to: case/hoist.deck}", "ask: []", "16", "ask needs an argument list: the program first, as in [python3, model.py]"},
	{"blank in a program that stays", "fill: {from: hoist.tpl, to: case/hoist.deck}", "ask: [python3, '-d=@[drum]']", "16", "the program is started once for many designs, so -d=@[drum] cannot stand among its arguments"},
	{"two programs that stay", "fill: {from: hoist.tpl, to: case/hoist.deck}", "ask: [a]\n    - ask: [b]", "17", "another step asks a program already"},
	{"stdin of a program that stays", "fill: {from: hoist.tpl, to: case/hoist.deck}", "{ask: [a], stdin: x}", "16", "stdin does not belong to ask"},
	{"answer of nobody", "mass: {unit: kg, file: result.json, pointer: /parts/0/mass}", "mass: {answer: /mass}", "23", "no step asks one: add a step such as"},
	{"answer and file", "mass: {unit: kg, file: result.json, pointer", "mass: {unit: kg, file: result.json, answer: /mass, pointer", "23", "do not go with answer"},
	{"nothing that fails", "limit: 90s", "fail_if: {file: run.log}", "18", "fail_if needs a file and a pattern"},
	{"bad pattern of a failure", "limit: 90s", "fail_if: {file: run.log, match: '('}", "18", "missing closing ) in (; characters such as"},
	{"field by name without a header", "pointer: /parts/0/mass}", "table: {after: x, field: CL}}", "23", "a field is a number from 1, not CL; with header: true it is a name of a column"},
	{"rows and until", "pointer: /parts/0/mass}", "table: {after: x, field: 1, rows: 3, until: END}}", "23", "give rows or until, not both"},
	{"curve of a table by name", "curve: {x: time, x_unit: s, y: way}}", "table: {after: x}, curve: {x: time, y: way}}", "25", "unless it has header: true"},
	{"pattern without group", `'SPEED\s+(\S+)'`, `'SPEED\s+\S+'`, "24", "has 0 groups"},
	{"bad pattern", `'SPEED\s+(\S+)'`, `'SPEED('`, "24", "the pattern cannot be read"},
	{"no file", "mass: {unit: kg, file: result.json, pointer", "mass: {unit: kg, pointer", "23", "which file it is read from"},
	{"pointer without /", "pointer: /parts", "pointer: parts", "23", "write /parts"},
	{"unknown method", "method: differential-evolution", "method: differential-evolutoin", "44", "did you mean differential-evolution?"},
	{"unknown kind", "kind: sample,", "kind: sampel,", "37", "the kind of a study is one of"},
	{"stand-in of nothing", "start: {drum: 0.3}", "using: {surrogate_of: lok}", "38", "using names lok"},
	{"stand-in of what", "start: {drum: 0.3}", "using: surrogate", "46", "{surrogate_of: look}"},
	{"stand-in with a method", "start: {drum: 0.3}", "using: {surrogate_of: look}", "", "a search on a stand-in is for one objective or none, and has its own method"},
	{"several objectives with a method for one", "{maximize: speed}]}", "{maximize: speed}], method: sqp}", "", "several objectives are searched by auto, nsga2, surrogate, epsilon-constraint, weighted-sum"},
	{"hold names nothing", "hold: {share: 48}", "hold: {shar: 48}", "38", "hold names shar, which is no input; did you mean share?"},
	{"meet names nothing", "meet: [R1, R2]", "meet: [R1, R9]", "38", "meet names R9"},
	{"bracket that is not closed", "title: Hoist", "title: [", "", "a bracket [ is not closed: add ]"},
	{"bracket that is not opened", "title: Hoist", "title: ]", "2", "a bracket ] is not opened"},
	{"tab", "title: Hoist", "title: Hoist\n\tx: 3", "3", "a line is indented with a tab"},
	{"anchor", "title: Hoist", "title: &a Hoist", "2", "anchors"},
	{"alias", "notes: |\n  Several lines\n  of notes.\n", "notes: *a\n", "3", "anchors"},
	{"tag", "title: Hoist", "title: !!str Hoist", "2", "tags"},
	{"second document", "studies:\n", "---\nstudies:\n", "", "a second document"},
	{"other version", "bench: 1", "bench: 2", "1", "reads bench: 1, not bench: 2"},
	{"name of a row in a formula", "{unit: N, nominal: 010}", "{nominal: S12, catalog: ropes.csv}", "29", "load is the name of a row of ropes.csv"},
	{"number taken for a curve", "area: pi*drum^2", "area: peak(mass)", "27", "peak is read off a vector or a curve, and mass is a single number"},
	{"objective is a curve", `minimize: "mass > 3 ? mass : 3"`, "minimize: way*2", "38", "an objective is a single number, and way*2 is a curve"},
	{"limit curve for a number", "{of: ratio, between: [0.5, 4]}", "{of: ratio, under: limit.csv}", "32", "under is asked of a curve, and ratio is a single number"},
	{"take of a number", "'SPEED\\s+(\\S+)', which: first}", "'SPEED\\s+(\\S+)', take: peak}", "24", "take reduces a curve, a table or a list"},
	{"integral of a list", "pointer: /parts/0/mass}", "pointer: /parts, take: integral}", "23", "integral is taken of a curve, and this has no x"},
	{"table without a heading", "pointer: /parts/0/mass}", "table: {field: 3}}", "23", "a table needs after"},
	{"table without a field", "pointer: /parts/0/mass}", "table: {after: x}}", "23", "a table needs field"},
	{"two ways to read", "pointer: /parts/0/mass}", "pointer: /a, table: {after: x, field: 1}}", "23", "exactly one of pointer, match, table, cell and curve"},
	{"all matches", "which: first}", "which: all}", "24", "which: all belongs to table"},
	{"unknown take", "curve: {x: time, x_unit: s, y: way}}", "curve: {x: time, x_unit: s, y: way}, take: peek}", "25", "did you mean peak?"},
}

func TestMistakesGiveLineCauseAndRemedy(t *testing.T) {
	t.Parallel()
	for _, m := range mistakes {
		t.Run(m.name, func(t *testing.T) {
			require.Contains(t, benchtest.Hoist, m.from)
			_, err := Read("hoist.bench.yaml", []byte(strings.Replace(benchtest.Hoist, m.from, m.to, 1)))
			require.Error(t, err)
			assert.ErrorContains(t, err, m.message)
			if m.line != "" {
				assert.ErrorContains(t, err, "hoist.bench.yaml:"+m.line+": ")
			}
		})
	}
}

func TestAllMistakesAtOnce(t *testing.T) {
	t.Parallel()
	text := strings.NewReplacer("range: [0.1, 0.5]", "range: [0.5, 0.1]", "at_most: 12,", "", "limit: 90s", "limit: soon").Replace(benchtest.Hoist)
	_, err := Read("hoist.bench.yaml", []byte(text))
	var problems bench.Problems
	require.ErrorAs(t, err, &problems)
	assert.Equal(t, []int{7, 18, 31}, []int{problems[0].Line, problems[1].Line, problems[2].Line})
}

func TestFilesThatAreNoBench(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct{ text, message string }{
		"empty":        {"", "the file is empty"},
		"comment only": {"# nothing\n", "the file is empty"},
		"list":         {"- a\n", "a bench file needs keys and values"},
		"no version":   {"title: x\n", "begin the file with `bench: 1`"},
		"no inputs":    {"bench: 1\n", "there are no inputs"},
		"no solver":    {"bench: 1\ninputs: {a: {nominal: 1}}\n", "there is no solver"},
		"deep, closed": {"title: " + strings.Repeat("[", 20000) + strings.Repeat("]", 20000), "more than 40 deep"},
		"deep, later":  {"notes: |\n  a\ntitle: " + strings.Repeat("{a: ", 20000), "more than 40 deep"},
		"deep":         {strings.Repeat("[", 20000), "more than 40 deep"},
		"large":        {strings.Repeat("# filler\n", 200000), "at most 1048576"},
		"not YAML":     {"a: b: c\n", "this is not YAML"},
		"binary":       {"\x00\x01\x02", ""},
	} {
		_, err := Read("x.bench.yaml", []byte(c.text))
		require.Error(t, err, name)
		assert.ErrorContains(t, err, c.message, name)
	}
}

func TestFormulasAreOrdered(t *testing.T) {
	t.Parallel()
	b, err := Read("x.bench.yaml", []byte("bench: 1\ninputs: {a: {nominal: 1}}\nsolver: {formulas: {z: y + 1, y: x*2, x: a}}\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"x", "y", "z"}, names(b.Solver.Formulas, func(d bench.Derived) string { return d.Name }))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(benchtest.Hoist))
	for _, m := range mistakes {
		f.Add([]byte(strings.Replace(benchtest.Hoist, m.from, m.to, 1)))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		b, err := Read("x.bench.yaml", text)
		if (b == nil) == (err == nil) {
			t.Fatal("either a bench or an error")
		}
		if b != nil {
			_ = words.Statement(b, "")
		}
	})
}

func TestBracketsInWordsAreNoNesting(t *testing.T) {
	t.Parallel()
	half := strings.Repeat("[0, 1) ", 60)
	for _, text := range []string{"title: in " + half, "notes: |\n  " + half + "\n\n  " + half, "# " + half + "\ntitle: a", "title: '" + half + "'", "notes: >-  # " + half + "\n   " + half} {
		_, problems := ParseTree("a.bench.yaml", []byte(text+"\nbench: 1\n"))
		assert.Empty(t, problems, text)
	}
}

func TestOnlyPlainFilesAreRead(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	pipe, device := filepath.Join(folder, "pipe.bench.yaml"), filepath.Join(folder, "device.bench.yaml")
	require.NoError(t, syscall.Mkfifo(pipe, 0o600))
	require.NoError(t, os.Symlink("/dev/zero", device))
	large := filepath.Join(folder, "large.bench.yaml")
	require.NoError(t, os.WriteFile(large, make([]byte, 2<<20), 0o600))
	for path, says := range map[string]string{pipe: "is not a plain file", device: "is not a plain file", folder: "is not a plain file", large: "has more than 1 MB"} {
		_, _, err := Load(path)
		assert.ErrorContains(t, err, says)
	}
}

func TestNumbersAreThoseThatAPersonWouldWrite(t *testing.T) {
	t.Parallel()
	b, err := Read("x.bench.yaml", []byte(`bench: 1
inputs:
  a: {nominal: 1.1, range: 20%}
  b: {nominal: 1000000000.002, range: [1000000000, 1000000000.01], step: 0.001}
solver:
  formulas:
    y: {along: {s: {from: 0, to: 0.4, count: 81}}, is: a*s}
    z: a + b
requirements:
  R1: {of: z, equals: 0.9, within: 0.3}
`))
	require.NoError(t, err)
	assert.Equal(t, []float64{0.88, 1.32}, []float64{b.Inputs[0].Range.Lower, b.Inputs[0].Range.Upper})
	require.Empty(t, readAlong(b, bench.Content{}))
	s := b.Solver.Formulas[0].Along.Values
	assert.Equal(t, []float64{0.015, 0.285, 0.4}, []float64{s[3], s[57], s[80]})
	assert.Equal(t, []float64{0.6, 1.2}, []float64{b.Requirements[0].Limit.Lower, b.Requirements[0].Limit.Upper}, "as between would have it")
}
