package read

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/deck"
)

const lift = `bench: 1
inputs:
  load: {nominal: 3}
solver:
  files: [mesh.dat, tools]
  steps:
    - fill: lift.deck
    - run: [./tools/solve.sh, lift.deck]
      stdin: answers.txt
outputs:
  sag: {file: out.json, pointer: /sag}
`

func TestLoadKeepsEveryNamedFile(t *testing.T) {
	t.Parallel()
	path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": lift, "mesh.dat": "m", "tools/solve.sh": "#!/bin/sh", "tools/deep/more.dat": "d",
		"lift.deck": "load = @[load]\n", "answers.txt": "y", "unrelated.txt": "u"})
	require.NoError(t, os.Chmod(filepath.Join(filepath.Dir(path), "tools/solve.sh"), 0o755))
	_, content, err := Load(path)
	require.NoError(t, err)
	assert.Len(t, content.Files, 6)
	assert.True(t, content.Files["tools/solve.sh"].Executable)
	assert.NotContains(t, content.Files, "unrelated.txt")
	again, err := Parse(content)
	require.NoError(t, err)
	assert.Equal(t, "load", again.Inputs[0].Name)
}

func TestMissingAndOutsideFilesAreNamed(t *testing.T) {
	t.Parallel()
	_, _, err := Load(filepath.Join(t.TempDir(), "none.bench.yaml"))
	assert.ErrorContains(t, err, "there is no file")
	path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": lift, "lift.deck": "", "answers.txt": "", "tools/solve.sh": ""})
	_, _, err = Load(path)
	assert.ErrorContains(t, err, "lift.bench.yaml:5: the file mesh.dat is missing")
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(filepath.Dir(path), "mesh.dat")))
	_, _, err = Load(path)
	assert.ErrorContains(t, err, "mesh.dat cannot be used")
}

func TestSlotsThatNameNothing(t *testing.T) {
	t.Parallel()
	path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": lift, "mesh.dat": "", "tools/solve.sh": "", "answers.txt": "", "lift.deck": "a\nb @[laod]\n@[load:%q] @[load:%-8s] @[sag]\n"})
	_, _, err := Load(path)
	assert.ErrorContains(t, err, "lift.deck:2: @[laod] is no input, nor derived from inputs alone; did you mean load?")
	assert.ErrorContains(t, err, `lift.deck:3: the format "%q" of load is not one for a value`)
	assert.ErrorContains(t, err, `lift.deck:3: the format %-8s does not fit @[load], which is "3"`)
	assert.ErrorContains(t, err, "lift.deck:3: @[sag] is no input")
}

const law = `bench: 1
inputs: {k: {nominal: 2}}
solver:
  formulas:
    load: {along: {s: {from: m.csv, column: x}}, is: k*s}
    grid: {along: {u: {from: 0, to: 1, count: 5}}, is: k*u^2}
    flat: {along: {u: {from: 0, to: 1, count: 3}}, is: k}
`

func TestFormulasAlongColumnsAndNumbers(t *testing.T) {
	t.Parallel()
	path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": law, "m.csv": "# made up\nx;y\n0;1\n0.5;2\n2;3\n"})
	b, content, err := Load(path)
	require.NoError(t, err)
	assert.Contains(t, content.Files, "m.csv")
	assert.Equal(t, []float64{0, 0.5, 2}, b.Solver.Formulas[0].Along.Values)
	assert.Equal(t, []float64{0, 0.25, 0.5, 0.75, 1}, b.Solver.Formulas[1].Along.Values)
	for from, c := range map[string][2]string{
		"column: x":                {"column: z", `m.csv has no column "z"; it has x, y`},
		", column: x":              {"", "needs the file and its column"},
		"from: 0, to: 1, count: 5": {"from: 0, to: 1", "needs from, to and count"},
		"count: 5":                 {"count: 1", "from 2 to 1e9"},
		"along: {u: {from: 0, to: 1, count: 5}}, ": {"along: {k: {from: 0, to: 1, count: 5}}, ", "k is already a name"},
		"is: k*u^2":        {"is: k*v^2", "names v, which is no input"},
		"{s: {from: m.csv": {"{s: {from: n.csv", "the file n.csv is missing"},
	} {
		path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": strings.Replace(law, from, c[0], 1), "m.csv": "x;y\n0;1\n"})
		_, _, err := Load(path)
		assert.ErrorContains(t, err, c[1], from)
	}
}

func TestNames(t *testing.T) {
	t.Parallel()
	name, err := bench.Name("/some/where/zipline.bench.yaml")
	require.NoError(t, err)
	assert.Equal(t, "zipline", name)
	_, err = bench.Name("zipline.yaml")
	assert.ErrorContains(t, err, "must end in .bench.yaml")
	_, err = bench.Name("zip line.bench.yaml")
	assert.ErrorContains(t, err, "rename the file")
}

func TestDecksAreFilledByteForByte(t *testing.T) {
	t.Parallel()
	value := func(name string) bench.Value {
		return bench.Number(map[string]float64{"a": 0.1, "b": 12345.678, "n": 3}[name])
	}
	for text, want := range map[string]string{
		"no blank\r\n\xff\x00":    "no blank\r\n\xff\x00",
		"x=@[a];":                 "x=0.1;",
		"@[b:%10.3e]|":            " 1.235e+04|",
		"@[n:%4d]@[n]":            "   33",
		"mail@@[a] and @@[":       "mail@[a] and @[",
		"@[ a ]":                  "0.1",
		"%d %s @[b:%-12.2f]< 5 %": "%d %s 12345.68    < 5 %",
	} {
		deck, problems := deck.Parse("d", []byte(text))
		require.Empty(t, problems, text)
		filled, err := deck.Fill(value)
		require.NoError(t, err)
		assert.Equal(t, want, string(filled), text)
	}
	_, problems := deck.Parse("d", []byte("line\n@[open"))
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].String(), "d:2: @[ begins a blank")
}

func FuzzDeck(f *testing.F) {
	f.Add([]byte("x = @[a] @@[ @[b:%8.3f]"))
	f.Fuzz(func(t *testing.T, text []byte) {
		deck, problems := deck.Parse("d", text)
		if len(problems) == 0 {
			if _, err := deck.Fill(func(string) bench.Value { return bench.Number(1) }); err != nil {
				assert.ErrorContains(t, err, "does not fit into")
			}
		}
	})
}

// TestKeysNamesAndFilesAreSaidAtOnce, and what follows from a mistake is not said again.
func TestKeysNamesAndFilesAreSaidAtOnce(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	file := filepath.Join(folder, "a.bench.yaml")
	require.NoError(t, os.WriteFile(file, []byte(`bench: 1
inputs:
  span: {nominal: 3, rnge: [1, 5]}
  rod: {nominal: 2, range: [1, 5]}
solver:
  steps:
    - fill: none.tpl
    - run: [solve]
outputs:
  mass: {file: out.json, pionter: /mass}
derived:
  twice: 2*mass + span
  wrong: 2*mas
requirements:
  R1: {of: twice, at_most: 4, resrve: 1}
studies:
  best: {kind: optimize, minimize: twice, vary: [span, rod], hold: {rood: 3}, meet: [R1]}
`), 0o600))
	_, _, err := Load(file)
	var problems bench.Problems
	require.ErrorAs(t, err, &problems)
	var said []string
	for _, p := range problems {
		said = append(said, fmt.Sprintf("%d %.30s", p.Line, p.Message))
	}
	assert.Equal(t, []string{"3 span has no key \"rnge\"; did yo", "7 the file none.tpl is missing i", "10 mass has no key \"pionter\"; did", "13 wrong: the formula \"2*mas\" nam", "15 R1 has no key \"resrve\"; did yo", "17 best: hold names rood, which i"}, said)
}
