package steps

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/solver"
)

const versionedBench = `bench: 1
inputs: {a: {nominal: 1, range: [0, 2]}}
solver:
  files: [tool]
  steps:
    - run: [./tool, "@[a]"]
      version: [./tool, --version]
    - run: [sh, -c, "echo @[a] > o.txt"]
      version: [sh, -c, "echo; echo sh of $FLAVOUR; exit 9"]
      env: {FLAVOUR: the test}
    - run: [sh, -c, "true"]
      version: [sh, -c, "echo nobody knows >&2; exit 3"]
    - run: [sh, -c, "true"]
      version: [sh, -c, "true"]
    - run: [sh, -c, "true"]
    - run: [sh, -c, "true"]
      version: [no-such-program, --version]
outputs: {o: {file: o.txt, match: '(\S+)'}}
`

func TestProgramsSayWhatTheyAre(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "a.bench.yaml"), []byte(versionedBench), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "tool"), []byte("#!/bin/sh\necho \"tool 2.1\nof 2026\"\n"), 0o755))
	b, content, err := read.Load(filepath.Join(folder, "a.bench.yaml"))
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	all, err := s.Versions(t.Context(), filepath.Join(folder, "work"))
	require.NoError(t, err)
	sh, err := exec.LookPath("sh")
	require.NoError(t, err)
	assert.Equal(t, []solver.Version{{Program: "./tool", Says: "tool 2.1"}, {Program: sh, Says: "sh of the test"}, {Program: sh, Says: "nobody knows"}, {Program: sh, Says: "it printed nothing"}, {Program: sh},
		{Program: sh, Says: "it did not say: the program no-such-program is not found on the PATH: install it, or give its path in the run step"}}, all)

	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = s.Versions(gone, filepath.Join(folder, "again"))
	require.ErrorIs(t, err, context.Canceled)

	before, err := s.Key()
	require.NoError(t, err)
	other := *b
	other.Solver.Steps = append([]bench.Step{}, b.Solver.Steps...)
	other.Solver.Steps[0].Version = nil
	silent, err := New(&other, content, os.Getenv("PATH"))
	require.NoError(t, err)
	after, err := silent.Key()
	require.NoError(t, err)
	assert.Equal(t, before, after, "how a program is asked what it is changes no answer")
}
