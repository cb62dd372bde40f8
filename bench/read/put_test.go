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
	assert.Equal(t, deck.Change{Input: "web", File: "frame.inp", Line: 3, Before: "8.0, 5", After: "8, 5", Stood: "8.0", Value: bench.Number(8)}, changes[0])
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
