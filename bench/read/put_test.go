package read

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/deck"
)

const putBench = `bench: 1
inputs: {web: {nominal: 8, range: [4, 12]}, x: {nominal: 0.5}}
solver:
  steps:
    - fill: frame.inp
      put:
        web: {after: "ELSET=WEB", line: 1, field: 1}
        x: [{lines: 7, field: 2}, {lines: [8, 9], columns: [7, 16], format: "%10.3f"}]
    - run: [true]
outputs: {sag: {file: out, pointer: /sag}}
`

func TestPutInABenchFile(t *testing.T) {
	t.Parallel()
	path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": putBench, "frame.inp": benchtest.Frame})
	b, content, err := Load(path)
	require.NoError(t, err)
	assert.Len(t, b.Solver.Steps[0].Fill.Put, 3)
	changes, err := deck.ChangesOf(b, content)
	require.NoError(t, err)
	require.Len(t, changes, 4)
	assert.Equal(t, deck.Change{Input: "web", File: "frame.inp", Line: 3, Before: "8.0, 5", After: "8.0, 5", Stood: "8.0", Value: bench.Number(8)}, changes[0])
	for from, says := range map[string]string{
		"field: 1}":              "needs its place in the line: field or columns",
		"after: \"ELSET=WEB\", ": "needs its line",
		"{lines: 7, field: 2}":   "line counts below",
		"\"%10.3f\"":             "is not one for a value",
		"lines: [8, 9]":          "upside down: write [8, 9]",
		"        web:":           "@[wep] is no input",
	} {
		to := map[string]string{"field: 1}": "}", "after: \"ELSET=WEB\", ": "", "{lines: 7, field: 2}": "{lines: 7, line: 1, field: 2}", "\"%10.3f\"": "\"%q\"",
			"lines: [8, 9]": "lines: [9, 8]", "        web:": "        wep:"}[from]
		path := benchtest.Folder(t, map[string]string{"lift.bench.yaml": strings.Replace(putBench, from, to, 1), "frame.inp": benchtest.Frame})
		_, _, err := Load(path)
		assert.ErrorContains(t, err, says)
	}
	path = benchtest.Folder(t, map[string]string{"lift.bench.yaml": putBench, "frame.inp": "** edited\r\n" + benchtest.Frame})
	_, _, err = Load(path)
	assert.ErrorContains(t, err, "was the file changed since?", "a deck that was edited is not filled at the wrong place")
}

// TestPlacesAreTriedAtTheEndsOfTheRange: all that does not fit is said at once.
func TestPlacesAreTriedAtTheEndsOfTheRange(t *testing.T) {
	t.Parallel()
	files := map[string]bench.File{"a.bench.yaml": {Text: []byte(`bench: 1
inputs:
  span: {nominal: 3, range: [1, 123456]}
  rod: {nominal: 5, values: [5, 77777]}
  load: {nominal: 1, range: [0, 2]}
solver:
  steps:
    - fill: {from: a.tpl, to: a.dat}
    - fill: b.dat
      put: {"-span/2": {lines: 1, columns: [4, 8]}, load: {lines: 1, columns: [9, 13]}}
    - run: [solve, a.dat]
`)}, "a.tpl": {Text: []byte("@[span:%4d]@[rod:%3d]@[load:%6.2f]\n")}, "b.dat": {Text: []byte("GW -1.50 1.00\n")}}
	_, err := Parse(bench.Content{File: "a.bench.yaml", Files: files})
	var problems bench.Problems
	require.ErrorAs(t, err, &problems)
	var said []string
	for _, p := range problems {
		said = append(said, p.String())
	}
	assert.Equal(t, []string{
		"a.tpl:1: with span at its upper end: span = 123456 does not fit into 4 columns: use a shorter format, or narrow its range",
		"a.tpl:1: with rod at 77777: rod = 77777 does not fit into 3 columns: use a shorter format, or narrow its range",
		"b.dat:1: with span at its upper end: -span/2 = -61728 does not fit into 5 columns: use a shorter format, or narrow its range",
		"b.dat:1: with load at 1.2360679774997898: load = 1.2360679774997898 does not fit into 4 columns: use a shorter format, or narrow its range",
	}, said)
}

func TestFormulasInDecksNameInputs(t *testing.T) {
	t.Parallel()
	for deck, says := range map[string]string{
		"@[2*spam]": "the formula 2*spam names spam, which is no input, nor derived from inputs alone; did you mean span?",
		"@[2*pad]":  "the formula 2*pad names pad, which is a word",
		"@[span*]":  "neither a name nor a formula of inputs",
		"@[span/2]": "",
	} {
		files := map[string]bench.File{"a.bench.yaml": {Text: []byte("bench: 1\ninputs: {span: {nominal: 3}, pad: {nominal: soft, values: [soft, hard]}}\nsolver: {steps: [{fill: a.dat}, {run: [x]}]}\n")}, "a.dat": {Text: []byte(deck)}}
		b, err := Parse(bench.Content{File: "a.bench.yaml", Files: files})
		if says == "" {
			require.NoError(t, err)
			assert.True(t, b.Solver.Written["span"], "it enters")
			continue
		}
		assert.ErrorContains(t, err, says)
	}
}

// TestWhatIsNoNumberAtTheNominalIsAMistake, since the solver would read it; at an end of a range such designs fail.
func TestWhatIsNoNumberAtTheNominalIsAMistake(t *testing.T) {
	t.Parallel()
	for nominal, mistake := range map[string]string{"3": "a.dat:1: at the nominal: depth is not a finite number", "4": ""} {
		text := "bench: 1\ninputs: {span: {nominal: " + nominal + ", range: [1, 9]}}\nderived: {depth: {formula: sqrt(span-3.5)}}\nsolver: {steps: [{fill: a.dat}, {run: [x]}]}\n"
		_, err := Parse(bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(text)}, "a.dat": {Text: []byte("@[depth]")}}})
		if mistake == "" {
			assert.NoError(t, err)
			continue
		}
		assert.EqualError(t, err, mistake)
	}
}
