package read

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
)

// schema is the compiled schema of the bench file.
func schema(t *testing.T) *jsonschema.Schema {
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(bench.Schema()))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("/schema/bench.json", document))
	compiled, err := compiler.Compile("/schema/bench.json")
	require.NoError(t, err)
	return compiled
}

func fits(t *testing.T, s *jsonschema.Schema, text string) error {
	converted, err := yaml.YAMLToJSON([]byte(text))
	require.NoError(t, err)
	var value any
	require.NoError(t, json.Unmarshal(converted, &value))
	return s.Validate(value)
}

func TestEveryBenchFitsTheSchema(t *testing.T) {
	t.Parallel()
	s := schema(t)
	var files []string
	for _, pattern := range []string{"../../examples/*/*.bench.yaml", "../../figures/problems/*.bench.yaml"} {
		found, err := filepath.Glob(pattern)
		require.NoError(t, err)
		files = append(files, found...)
	}
	require.GreaterOrEqual(t, len(files), 9)
	// 1e-4 and 010 are numbers to a reader of YAML 1.2 core, as ours is, and not to the library that converts here.
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.NoError(t, fits(t, s, strings.NewReplacer("1e-8", "0.00000001", "1e-10", "0.0000000001").Replace(string(text))), file)
	}
	assert.NoError(t, fits(t, s, strings.NewReplacer("1e-4", "0.0001", "[1e-5, 1e-3]", "[0.00001, 0.001]", "010", "10").Replace(benchtest.Hoist)))
}

func TestEveryKindOfInputAndSolverFitsTheSchema(t *testing.T) {
	t.Parallel()
	s := schema(t)
	plain := strings.NewReplacer("1e-9", "0.000000001")
	scatters := []string{"{lognormal: {mean: 3, sd: 1}}", "{uniform: {lower: 1, upper: 2}}", "{triangular: {lower: 1, mode: 2, upper: 3}}", "{weibull: {shape: 2, scale: 80}}",
		"{empirical: {from: riders.csv, column: mass}, within: [1, 9]}"}
	texts := []string{winchFile, plain.Replace(swingFile)}
	for _, scatter := range scatters {
		texts = append(texts, strings.Replace(winchFile, "{normal: {mean: 80, sd: 14}, within: [45, 120]}", scatter, 1))
	}
	for _, text := range texts {
		assert.NoError(t, fits(t, s, text), text)
	}
	for from, to := range map[string]string{
		"values: [12, 5, 6, 8, 10]": "values: [12]", "catalog: ropes.csv": "catalog: 3", "{mean: 80, sd: 14}": "{mean: 80}", "{normal: {mean: 80, sd: 14}, within: [45, 120]}": "{}",
	} {
		require.Contains(t, winchFile, from)
		assert.Error(t, fits(t, s, strings.Replace(winchFile, from, to, 1)), to)
	}
	for from, to := range map[string]string{"count: 51, ": "", "start: 0, ": "", "{relative: 1e-9}": "{relative: 5}", "    signals:": "    signal:"} {
		require.Contains(t, swingFile, from)
		assert.Error(t, fits(t, s, plain.Replace(strings.Replace(swingFile, from, to, 1))), to)
	}
}

func TestWhatTheReaderRefusesTheSchemaRefuses(t *testing.T) {
	t.Parallel()
	s := schema(t)
	plain := strings.NewReplacer("1e-4", "0.0001", "[1e-5, 1e-3]", "[0.00001, 0.001]", "010", "10").Replace(benchtest.Hoist)
	for _, m := range mistakes {
		// What hangs on other parts of the file, or is no YAML, is for `ropebench check` alone.
		structural := []string{"unknown key", "reserve", "no nominal", "two limits", "no limit", "equals without within", "unknown kind", "no file", "pointer without /", "negative reserve",
			"post without an answer's file", "post to no address", "option of another step", "two steps in one", "unknown take", "table without a heading", "other version"}
		for _, name := range structural {
			if m.name == name {
				require.Contains(t, plain, m.from, m.name)
				assert.Error(t, fits(t, s, strings.Replace(plain, m.from, m.to, 1)), m.name)
			}
		}
	}
}
