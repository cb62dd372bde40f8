package steps

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/solver"
)

const keyBench = `bench: 1
title: Sheave
inputs:
  load: {unit: N, nominal: 3, range: [1, 9]}
  web:  {nominal: 8}
  pad:  {nominal: soft, values: [soft, hard]}
solver:
  files: [mesh.dat]
  steps:
    - fill: lift.deck
    - fill: frame.inp
      put: {web: {after: "ELSET=WEB", line: 1, field: 1}}
    - run: [sag, "-p=@[pad]"]
      limit: 10s
      env: {MODE: fine}
      accept: [0]
  retry: 1
  at_once: 2
outputs:
  sag:  {unit: mm, file: out.json, pointer: /sag}
  heat: {file: run.log, match: 'HEAT (\S+)', which: first}
derived: {more: sag*2}
requirements:
  R1: {of: sag, at_most: 5}
studies:
  look: {kind: sample, points: 5}
`

// keyFiles are the files of the bench, with the program that it starts.
func keyFiles() map[string]string {
	return map[string]string{"lift.bench.yaml": keyBench, "lift.deck": "load @[load]\n", "frame.inp": benchtest.Frame, "mesh.dat": "1 2 3\n"}
}

// solverWith prepares the bench with some files changed, whose program stands in a folder of its own.
func solverWith(t *testing.T, programs string, change map[string]func(string) string) *Solver {
	files := keyFiles()
	for name, how := range change {
		changed := how(files[name])
		require.NotEqual(t, files[name], changed, name)
		files[name] = changed
	}
	b, content, err := read.Load(benchtest.Folder(t, files))
	require.NoError(t, err)
	s, err := New(b, content, programs)
	require.NoError(t, err)
	return s
}

func replaced(from, to string) func(string) string {
	return func(text string) string { return strings.Replace(text, from, to, 1) }
}

// TestTheKeyIsWhatTheSolverReads holds that the key changes with everything on which an answer can depend, and with
// nothing else: too little would give wrong answers, too much asks the solver again.
func TestTheKeyIsWhatTheSolverReads(t *testing.T) {
	t.Parallel()
	programs := t.TempDir()
	program := filepath.Join(programs, "sag")
	require.NoError(t, os.WriteFile(program, []byte("#!/bin/sh\n"), 0o755))
	key := func(change map[string]func(string) string) solver.Key {
		key, err := solverWith(t, programs, change).Key()
		require.NoError(t, err)
		return key
	}
	own := key(nil)
	assert.Equal(t, own, key(nil))
	const bench = "lift.bench.yaml"
	for what, change := range map[string]map[string]func(string) string{
		"the text of a deck":           {"lift.deck": replaced("load @", "LOAD @")},
		"the deck that is put into":    {"frame.inp": replaced("12.0", "13.0")},
		"a file":                       {"mesh.dat": replaced("3", "4")},
		"the place of a number":        {bench: replaced("line: 1, field: 1", "line: 1, field: 2")},
		"an argument":                  {bench: replaced("-p=", "-q=")},
		"the environment":              {bench: replaced("MODE: fine", "MODE: coarse")},
		"what counts as a good end":    {bench: replaced("accept: [0]", "accept: [0, 1]")},
		"where an output stands":       {bench: replaced("/sag}", "/sog}")},
		"which match":                  {bench: replaced("which: first", "which: 2")},
		"the pattern":                  {bench: replaced("HEAT ", "heat ")},
		"an output more":               {bench: replaced("outputs:\n", "outputs:\n  cost: {file: out.json, pointer: /cost}\n")},
		"a step more":                  {bench: replaced("    - run: [sag", "    - run: [sag]\n    - run: [sag")},
		"two steps in the other order": {bench: replaced("    - fill: lift.deck\n    - fill: frame.inp\n      put: {web: {after: \"ELSET=WEB\", line: 1, field: 1}}\n", "    - fill: frame.inp\n      put: {web: {after: \"ELSET=WEB\", line: 1, field: 1}}\n    - fill: lift.deck\n")},
	} {
		assert.NotEqual(t, own, key(change), "%s is another solver", what)
	}
	for what, change := range map[string]map[string]func(string) string{
		"the title":             {bench: replaced("title: Sheave", "title: Pulley")},
		"a label":               {bench: replaced("{unit: mm,", "{label: Sag, unit: cm,")},
		"a nominal and a range": {bench: replaced("nominal: 3, range: [1, 9]", "nominal: 4, range: [1, 8]")},
		"the limit of time":     {bench: replaced("limit: 10s", "limit: 20s")},
		"retry and at_once":     {bench: replaced("retry: 1\n  at_once: 2", "retry: 2\n  at_once: 1")},
		"a derived value":       {bench: replaced("sag*2", "sag*3")},
		"a requirement":         {bench: replaced("at_most: 5", "at_most: 6")},
		"a study":               {bench: replaced("points: 5", "points: 6")},
		"outputs in the other order": {bench: func(text string) string {
			return strings.Replace(strings.Replace(text, "  sag:  {unit: mm, file: out.json, pointer: /sag}\n", "", 1), "derived:", "  sag:  {unit: mm, file: out.json, pointer: /sag}\nderived:", 1)
		}},
	} {
		assert.Equal(t, own, key(change), "%s is the same solver", what)
	}
	require.NoError(t, os.Chtimes(program, time.Time{}, time.Unix(1e9, 0)))
	assert.NotEqual(t, own, key(nil), "a program that was built anew is another solver")
}

func TestFilesThatOnlyTheBenchReadsAreNoPartOfTheKey(t *testing.T) {
	t.Parallel()
	files := map[string]string{"lift.bench.yaml": "bench: 1\ninputs: {load: {nominal: 3}, rope: {nominal: S12, catalog: ropes.csv}}\nsolver: {files: [data], steps: [{run: [\"true\"]}]}\n" +
		"outputs: {track: {file: t.csv, curve: {x: x, y: y}}}\nrequirements: {R1: {of: track, under: limit.csv}}\n",
		"limit.csv": "0,1\n1,1\n", "ropes.csv": benchtest.Ropes, "data/a.txt": "1\n"}
	made := func() *Solver {
		b, content, err := read.Load(benchtest.Folder(t, files))
		require.NoError(t, err)
		s, err := New(b, content, os.Getenv("PATH"))
		require.NoError(t, err)
		return s
	}
	own, err := made().Key()
	require.NoError(t, err)
	files["limit.csv"] = "0,2\n1,2\n"
	files["ropes.csv"] = strings.Replace(benchtest.Ropes, "6.5", "7.5", 1)
	same, err := made().Key()
	require.NoError(t, err)
	assert.Equal(t, own, same)
	folder := t.TempDir()
	require.NoError(t, made().copyFiles(folder))
	assert.NoFileExists(t, filepath.Join(folder, "limit.csv"))
	assert.FileExists(t, filepath.Join(folder, "data", "a.txt"))
	files["data/a.txt"] = "2\n"
	other, err := made().Key()
	require.NoError(t, err)
	assert.NotEqual(t, own, other)
}
