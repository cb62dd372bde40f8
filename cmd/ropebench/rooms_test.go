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
	"solver":   {"bench", "core"},
	"dispatch": {"solver", "bench", "core"},
	"study":    {"dispatch", "solver", "bench", "core"},
	"store":    {"study", "dispatch", "bench", "core"},
	"service":  {"study", "store", "dispatch", "solver", "bench", "core", "console"},
	"client":   {"bench"},
	"cli":      {"client", "bench", "demo"},
	"demo":     {"examples"},
	"console":  {},
	"scripts":  {},
	"cmd":      {"cli", "service", "console"},
	"examples": {"study", "store", "dispatch", "solver", "bench"},
	"figures":  {"study", "store", "dispatch", "solver", "bench", "core", "client"},
}

// coreOrder lists the packages of core such that each uses only those before it.
var coreOrder = []string{"core", "core/space", "core/curve", "core/formula", "core/dynamics", "core/plan", "core/optimize", "core/verdict"}

func imports(t *testing.T) map[string][]string {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "ropebench/...").Output()
	require.NoError(t, err)
	all := map[string][]string{}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		fields := strings.Fields(line)
		name := strings.TrimPrefix(fields[0], "ropebench/")
		for _, used := range fields[1:] {
			all[name] = append(all[name], used)
		}
		all[name] = append(all[name], "")
	}
	return all
}

func room(path string) string {
	room, _, _ := strings.Cut(path, "/")
	return room
}

func TestImportsPointOneWay(t *testing.T) {
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
	forbidden := []string{"os", "net", "net/http", "io/fs", "database/sql", "log", "log/slog", "os/exec", "time"}
	for name, used := range imports(t) {
		at := slices.Index(coreOrder, name)
		if room(name) != "core" {
			continue
		}
		require.GreaterOrEqual(t, at, 0, "%s has no place in the order of core", name)
		for _, path := range used {
			assert.NotContains(t, forbidden, path, "%s has no business with %s", name, path)
			if other, own := strings.CutPrefix(path, "ropebench/"); own {
				assert.Less(t, slices.Index(coreOrder, other), at, "%s must not import %s", name, other)
			}
		}
	}
}
