package main

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mayImport says which rooms a room may use, as docs/architecture.md draws them.
var mayImport = map[string][]string{
	"core":     {},
	"bench":    {"core"},
	"result":   {"bench", "core"},
	"api":      {"result", "bench"},
	"model":    {"solver", "result", "bench", "core"},
	"solver":   {"bench", "core"},
	"dispatch": {"solver", "bench", "core"},
	"explore":  {"model", "result", "bench", "core"},
	"study":    {"explore", "model", "dispatch", "solver", "result", "bench", "core"},
	"store":    {"study", "dispatch", "solver", "result", "bench", "core"},
	"service":  {"api", "report", "explore", "study", "store", "model", "dispatch", "solver", "result", "bench", "core"},
	"report":   {"result", "bench", "core"},
	"client":   {"api"},
	"cli":      {"client", "api", "result", "bench", "demo"},
	"demo":     {"examples"},
	"console":  {},
	"scripts":  {},
	"cmd":      {"cli", "service", "console"},
	"examples": {},
	"figures":  {"study", "store", "dispatch", "solver", "bench", "core", "client", "result"},
}

// inOrder lists the packages of a room such that each uses only those before it.
var inOrder = map[string][]string{
	"core":   {"core", "core/decimal", "core/space", "core/curve", "core/formula", "core/published", "core/dynamics", "core/table", "core/budget", "core/plan", "core/surrogate", "core/sensitivity", "core/quadratic", "core/pareto", "core/optimize", "core/uncertainty", "core/robust", "core/verdict"},
	"bench":  {"bench/workbook", "bench/plain", "bench", "bench/deck", "bench/read", "bench/words", "bench/edit", "bench/requirements", "bench/results", "bench/benchtest"},
	"solver": {"solver", "solver/formulas", "solver/equations", "solver/recorded", "solver/steps", "solver/cases"},
}

func imports(t *testing.T) map[string][]string {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "ropebench/...").Output()
	require.NoError(t, err)
	all := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], "ropebench/")
		all[name] = append(all[name], fields[1:]...)
		all[name] = append(all[name], "")
	}
	return all
}

func room(path string) string {
	room, _, _ := strings.Cut(path, "/")
	return room
}

func TestImportsPointOneWay(t *testing.T) {
	t.Parallel()
	for name, used := range imports(t) {
		allowed, known := mayImport[room(name)]
		require.True(t, known, "the room of %s is not drawn: add it here and to docs/architecture.md", name)
		for _, path := range used {
			other, own := strings.CutPrefix(path, "ropebench/")
			if !own || room(other) == room(name) {
				continue
			}
			assert.Contains(t, allowed, room(other), "%s must not import %s", name, other)
		}
	}
}

func TestCoreIsComputationOnly(t *testing.T) {
	t.Parallel()
	forbidden := []string{"os", "net", "net/http", "io/fs", "database/sql", "log", "log/slog", "os/exec", "time"}
	for name, used := range imports(t) {
		if room(name) != "core" {
			continue
		}
		for _, path := range used {
			assert.NotContains(t, forbidden, path, "%s has no business with %s", name, path)
		}
	}
}

func TestPackagesOfARoomStandInOrder(t *testing.T) {
	t.Parallel()
	for name, used := range imports(t) {
		order, ordered := inOrder[room(name)]
		if !ordered {
			continue
		}
		at := slices.Index(order, name)
		require.GreaterOrEqual(t, at, 0, "%s has no place in the order of its room", name)
		for _, path := range used {
			if other, own := strings.CutPrefix(path, "ropebench/"); own && room(other) == room(name) {
				assert.Less(t, slices.Index(order, other), at, "%s must not import %s", name, other)
			}
		}
	}
}
