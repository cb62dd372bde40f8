package service_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
)

// TestAnOutputIsMadeByPointing: the files of the last evaluation are shown, a number has its ways with what they read now, and one of them
// becomes an output that the next evaluation reads.
func TestAnOutputIsMadeByPointing(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	file := filepath.Join(t.TempDir(), "hook.bench.yaml")
	require.NoError(t, os.WriteFile(file, []byte(`bench: 1
inputs: {load: {nominal: 3}}
solver:
  steps:
    - run: [sh, -c, "echo 'LOAD @[load] kN'; printf 'POLAR\n 0 1.5\n 1 4.5\n 2 @[load]\n'; echo '{\"mass\": 7.25, \"deep\": {\"gap\": 1}}' > out.json; head -c 9 /dev/zero > raw.bin"]
      stdout: run.log
`), 0o644))
	_, err := c.PutBench(t.Context(), "hook", file)
	require.NoError(t, err)
	status, text := b.ask(t, "GET", "/v1/benches/hook/results", "")
	assert.Equal(t, 404, status)
	assert.Contains(t, text, "make one afresh")
	try := func() api.Run {
		run, err := c.Start(t.Context(), "hook", api.Order{Study: "try", Fresh: true})
		require.NoError(t, err)
		require.Eventually(t, func() bool { r, err := c.Run(t.Context(), run.ID); return err == nil && !r.AtWork() }, time.Minute, 5*time.Millisecond)
		return run
	}
	first := try()
	left, err := c.Results(t.Context(), "hook")
	require.NoError(t, err)
	assert.Equal(t, first.ID, left.Run)
	assert.Equal(t, "out.json", left.Files[0].Path)
	log, err := c.ResultFile(t.Context(), "hook", "run.log", 1, "")
	require.NoError(t, err)
	assert.Equal(t, []api.Segment{{Text: "LOAD "}, {Text: "3", Field: 1, Value: number(3)}, {Text: " kN"}}, log.Lines[0])

	behind, err := c.ResultFile(t.Context(), "hook", "run.log", 99, "")
	require.NoError(t, err)
	assert.Empty(t, behind.Lines)
	found, err := c.ResultFile(t.Context(), "hook", "run.log", 2, "2 ")
	require.NoError(t, err)
	assert.Equal(t, 5, found.From, "the first line that contains it")
	found, err = c.ResultFile(t.Context(), "hook", "run.log", 2, "LOAD")
	require.NoError(t, err)
	assert.Empty(t, found.Lines, "it stands above only")

	ways, err := c.Ways(t.Context(), "hook", api.Spot{File: "run.log", Line: 4, Number: 2})
	require.NoError(t, err)
	assert.Equal(t, `{file: run.log, table: {after: "POLAR", field: 2}, take: peak}`, ways[0].Output)
	assert.Equal(t, 4.5, *ways[0].Value)
	assert.Equal(t, `{file: run.log, table: {after: "POLAR", field: 2}}`, ways[1].Output)
	assert.Equal(t, 3, ways[1].Samples)

	for _, out := range []api.NewOutput{
		{Spot: api.Spot{File: "run.log", Line: 1, Number: 1}, Name: "weight", Unit: "kN"},
		{Spot: api.Spot{File: "out.json", Line: 1, Number: 2}, Name: "gap"},
		{Spot: api.Spot{File: "run.log", Line: 4, Number: 2}, Name: "polar", Way: 1},
	} {
		_, err := c.AddOutput(t.Context(), "hook", out)
		require.NoError(t, err)
	}
	written, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(string(written), "\noutputs:\n  weight: {unit: \"kN\", file: run.log, match: 'LOAD\\s+(\\S+)'}\n  gap: {file: out.json, pointer: \"/deep/gap\"}\n  polar: {file: run.log, table: {after: \"POLAR\", field: 2}}\n"), string(written))
	second := try()
	detail, err := c.Evaluation(t.Context(), second.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, map[string]float64{"weight": 3, "gap": 1}, detail.Named)
	assert.Equal(t, []float64{1.5, 4.5, 3}, detail.Curves["polar"].Y)
	left, err = c.Results(t.Context(), "hook")
	require.NoError(t, err)
	assert.Equal(t, []string{"weight", "polar"}, left.Files[2].Outputs)

	for _, q := range []struct{ method, path, body, says string }{
		{"GET", "/v1/benches/hook/results/none.txt", "", "has left no file none.txt"},
		{"GET", "/v1/benches/hook/results/raw.bin", "", "is no text"},
		{"POST", "/v1/benches/hook/ways", `{"file": "run.log", "line": 99, "number": 1}`, "line 99 is asked for"},
		{"POST", "/v1/benches/hook/ways", `{"file": "run.log", "line": 2, "number": 1}`, "line 2 has 0 numbers"},
		{"POST", "/v1/benches/hook/outputs", `{"file": "run.log", "line": 1, "number": 1, "name": "weight", "way": 0}`, "weight is a name already"},
		{"POST", "/v1/benches/hook/outputs", `{"file": "run.log", "line": 1, "number": 1, "name": "w", "way": 7}`, "way 7 is asked for"},
	} {
		status, text := b.ask(t, q.method, q.path, q.body)
		assert.GreaterOrEqual(t, status, 400)
		assert.Contains(t, text, q.says)
	}
	var again api.Results
	_, text = b.ask(t, "GET", "/v1/benches/hook/results", "")
	require.NoError(t, json.Unmarshal([]byte(text), &again), fmt.Sprint(text))
}

func number(value float64) *float64 { return &value }
