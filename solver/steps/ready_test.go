package steps_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/solver/steps"
)

const readied = `bench: 1
inputs:
  plate: {nominal: 8, range: [5, 12]}
  pad:   {nominal: organic, values: [organic, ceramic]}
solver:
  files: [mesh, notes.txt]
  steps:
    - fill: {from: brake.tpl, to: case/brake.deck}
    - fill: frame.inp
      put: {plate: {lines: 2, field: 1}}
    - fill: {from: twice.inp, to: one.inp}
      put: {plate: {lines: 1, field: 1}}
    - fill: {from: twice.inp, to: two.inp}
      put: {plate: {lines: 1, field: 1}}
    - run: [true]
outputs: {x: {file: out, match: 'X (\S+)'}}
`

func TestWhatTheSolverReadsIsReady(t *testing.T) {
	t.Parallel()
	b, content, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": readied, "mesh/a.dat": "1 2", "notes.txt": "n", "brake.tpl": "plate = @[plate]\npad = @[pad]\n",
		"frame.inp": "** @home\n 8.0 , 5\n", "twice.inp": "8.0 1\n"}))
	require.NoError(t, err)
	s, err := steps.New(b, content, "/bin:/usr/bin")
	require.NoError(t, err)
	lookup := func(name string) bench.Value {
		return map[string]bench.Value{"plate": bench.Number(6.25), "pad": {Word: "ceramic"}}[name]
	}
	files, err := s.Ready(t.Context(), lookup)
	require.NoError(t, err)
	texts := map[string]string{}
	for path, file := range files {
		texts[path] = string(file.Text)
	}
	assert.Equal(t, map[string]string{"mesh/a.dat": "1 2", "notes.txt": "n", "case/brake.deck": "plate = 6.25\npad = ceramic\n", "frame.inp": "** @home\n 6.25 , 5\n", "one.inp": "6.25 1\n", "two.inp": "6.25 1\n"}, texts,
		"neither the bench file nor decks with blanks")
	standing, err := s.Standing(t.Context(), lookup)
	require.NoError(t, err)
	require.Len(t, standing, 1, "a deck with blanks is none, nor one from which two are made")
	assert.Equal(t, "** @home\n 6.25 , 5\n", string(standing["frame.inp"]))
}
