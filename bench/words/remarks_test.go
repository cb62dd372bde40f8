package words_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/bench/words"
)

func TestInputsThatEnterNothingAreNamed(t *testing.T) {
	t.Parallel()
	path := benchtest.Folder(t, map[string]string{"lift.deck": "@[load]\n", "ropes.csv": "name,mass\na,1\nb,2\n", "lift.bench.yaml": `bench: 1
inputs:
  load:  {nominal: 3, range: [1, 5]}
  count: {nominal: 3, range: [1, 5]}
  rope:  {nominal: a, catalog: ropes.csv}
  limit: {nominal: 3, range: [1, 5]}
  lost:  {nominal: 3, range: [1, 5]}
  held:  {nominal: 3}
solver:
  steps:
    - fill: lift.deck
    - run: [sh, "-n=@[count]"]
outputs: {sag: {file: out.json, pointer: /sag}}
derived: {mass: rope.mass}
requirements: {R1: {of: "sag - limit", at_most: 0}}
`})
	b, _, err := read.Load(path)
	require.NoError(t, err)
	assert.Equal(t, []string{"lost may move and enters nothing: no deck, argument or formula names it, so that evaluations are spent on it in vain; put it where it belongs, or remove its range"}, words.Remarks(b))
}
