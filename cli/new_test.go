package cli

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/read"
)

// runLocally runs a command that needs no service.
func runLocally(t *testing.T, args ...string) (code int, out, people string) {
	var stdout, stderr bytes.Buffer
	a := &App{Out: &stdout, Err: &stderr}
	code = a.Run(t.Context(), args)
	return code, stdout.String(), stderr.String()
}

func TestNewStartsABenchFile(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	deck, file := filepath.Join(folder, "plate.inp"), filepath.Join(folder, "plate.bench.yaml")
	require.NoError(t, os.WriteFile(deck, []byte("*SHELL\n8.0, 5\n"), 0o600))
	code, out, people := runLocally(t, "new", file, "--deck", deck, "--input", "web="+deck+":2:1", "--stdin", deck, "--", "ccx", "plate")
	require.Equal(t, 0, code, people)
	assert.Contains(t, out, "ropebench check")
	b, _, err := read.Load(file)
	require.NoError(t, err)
	assert.Equal(t, []string{"web"}, b.InputNames())
	assert.Equal(t, []string{"ccx", "plate"}, b.Solver.Steps[1].Run.Args)
	assert.Equal(t, "plate.inp", b.Solver.Steps[1].Run.Stdin)
	code, out, _ = runLocally(t, "check", file)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "In symbols\n  find        x\n  over        6.4 ≤ web ≤ 9.6")
	for says, args := range map[string][]string{
		"is there already":                {"new", file},
		"name must end in .bench.yaml":    {"new", filepath.Join(folder, "plate.yaml")},
		"--input needs name=deck:line":    {"new", filepath.Join(folder, "b.bench.yaml"), "--deck", deck, "--input", "web"},
		"line and field as numbers":       {"new", filepath.Join(folder, "b.bench.yaml"), "--deck", deck, "--input", "web=" + deck + ":a:b"},
		"give --stdin plate.inp in place": {"new", filepath.Join(folder, "b.bench.yaml"), "--", "ccx", "<", "plate.inp"},
		"kept in run.log":                 {"new", filepath.Join(folder, "b.bench.yaml"), "--", "ccx", ">", "out"},
		"add a step for each other one":   {"new", filepath.Join(folder, "b.bench.yaml"), "--", "ccx", "|", "tee"},
		"which is not given":              {"new", filepath.Join(folder, "b.bench.yaml"), "--input", "web=other.inp:1:1"},
		"has no number on line 1":         {"new", filepath.Join(folder, "b.bench.yaml"), "--deck", deck, "--input", "web=" + deck + ":1:1"},
		"copy it there":                   {"new", filepath.Join(t.TempDir(), "b.bench.yaml"), "--deck", deck},
		"no such file":                    {"new", filepath.Join(folder, "b.bench.yaml"), "--deck", filepath.Join(folder, "none.inp")},
	} {
		code, _, people := runLocally(t, args...)
		assert.NotEqual(t, 0, code, args)
		assert.Contains(t, people, says)
	}
}

func TestPatternsWithoutAWordArePointedOut(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "a.bench.yaml")
	text := "bench: 1\ninputs: {a: {nominal: 1}}\nsolver: {steps: [{run: [true]}]}\noutputs:\n  x: {file: run.log, match: '^(\\S+)$'}\n  y: {file: run.log, match: 'mass (\\S+)'}\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	_, out, _ := runLocally(t, "check", file)
	assert.Contains(t, out, "x: its pattern has no text that stands in every match")
	assert.NotContains(t, out, "y: its pattern")
}

func TestArchivesAreUnpackedWithinTheirFolder(t *testing.T) {
	t.Parallel()
	var text bytes.Buffer
	w := zip.NewWriter(&text)
	for _, name := range []string{"a.bench.yaml", "decks/a.inp"} {
		member, err := w.Create(name)
		require.NoError(t, err)
		_, err = member.Write([]byte(name))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	target := filepath.Join(t.TempDir(), "out")
	count, err := writeArchive(text.Bytes(), target)
	require.NoError(t, err)
	assert.Equal(t, 2, count)
	kept, err := os.ReadFile(filepath.Join(target, "decks", "a.inp"))
	require.NoError(t, err)
	assert.Equal(t, "decks/a.inp", string(kept))
	_, err = writeArchive(text.Bytes(), target)
	assert.ErrorContains(t, err, "is not empty")
	packed := filepath.Join(t.TempDir(), "out.zip")
	_, err = writeArchive(text.Bytes(), packed)
	require.NoError(t, err)
	_, err = writeArchive(text.Bytes(), packed)
	assert.ErrorContains(t, err, "cannot be made")

	var hostile bytes.Buffer
	w = zip.NewWriter(&hostile)
	_, err = w.Create("../outside")
	require.NoError(t, err)
	require.NoError(t, w.Close())
	_, err = writeArchive(hostile.Bytes(), filepath.Join(t.TempDir(), "out"))
	assert.Error(t, err, "no member leads out of the folder")
	_, err = writeArchive([]byte("no zip"), target)
	assert.ErrorContains(t, err, "cannot be read")
}

func TestDerivativesAreShownByInput(t *testing.T) {
	t.Parallel()
	var out bytes.Buffer
	v := view{out: &out, bench: api.Bench{Inputs: []api.Input{{Input: bench.Input{Name: "web", Unit: "mm"}}}, Outputs: []api.Output{{Name: "mass"}, {Name: "sway"}}}}
	many := map[string][]*float64{"mass": {number(0.25)}, "sway": {nil}}
	for _, name := range []string{"a", "b", "c", "d", "e", "f"} {
		many[name] = []*float64{number(1)}
	}
	v.derivatives(api.Derivatives{Inputs: []string{"web"}, Values: many})
	shown := out.String()
	assert.Contains(t, shown, "input   unit   mass   sway   a   b   c   d   e")
	assert.Contains(t, shown, "web     mm     0.25      -   1   1   1   1   1")
	assert.Contains(t, shown, "input   unit   f", "what does not fit stands below")
}
