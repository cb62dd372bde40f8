package cli

import (
	"maps"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/bench"
)

// assignments reads flags such as --set spring_rate=1.4.
func assignments(flag string, texts []string) (map[string]bench.Value, error) {
	values := map[string]bench.Value{}
	for _, text := range texts {
		name, value, ok := strings.Cut(text, "=")
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		if !ok || name == "" || value == "" {
			return nil, wrongUse("--%s needs name=value, not %q", flag, text)
		}
		values[name] = bench.ParseValue(value)
	}
	return values, nil
}

// freed reads flags such as --free rider_mass=60:110, or --free springs for its own range.
func freed(texts []string) (map[string]*bench.Range, error) {
	ranges := map[string]*bench.Range{}
	for _, text := range texts {
		name, ends, hasRange := strings.Cut(text, "=")
		ranges[strings.TrimSpace(name)] = nil
		if !hasRange {
			continue
		}
		low, high, two := strings.Cut(ends, ":")
		lower, lowErr := strconv.ParseFloat(strings.TrimSpace(low), 64)
		upper, highErr := strconv.ParseFloat(strings.TrimSpace(high), 64)
		if !two || lowErr != nil || highErr != nil {
			return nil, wrongUse("--free needs a name, or name=lower:upper, not %q", text)
		}
		ranges[strings.TrimSpace(name)] = &bench.Range{Lower: lower, Upper: upper}
	}
	return ranges, nil
}

func sortedNames[T any](values map[string]T) []string { return slices.Sorted(maps.Keys(values)) }

// runNumber reads the argument that names a run.
func runNumber(text string) (int, error) {
	id, err := strconv.Atoi(text)
	if err != nil || id < 1 {
		return 0, wrongUse("a run is named by its number (see `ropebench runs`), not by %q", text)
	}
	return id, nil
}

// evaluationNumber reads the argument that names an evaluation.
func evaluationNumber(text string) (int, error) {
	number, err := strconv.Atoi(text)
	if err != nil || number < 1 {
		return 0, wrongUse("an evaluation is named by its number (see `ropebench table RUN`), not by %q", text)
	}
	return number, nil
}

// benchFlag adds --name to a command that takes a bench file.
func benchFlag(c *cobra.Command, name *string) {
	c.Flags().StringVar(name, "name", "", "name of the bench in the service; by default the stem of its file")
}

// benchName is the name under which the service knows a file.
func benchName(file, given string) (name, path string, err error) {
	if path, err = filepath.Abs(file); err != nil {
		return "", "", err
	}
	if given != "" {
		return given, path, nil
	}
	name, err = bench.Name(path)
	return name, path, err
}
