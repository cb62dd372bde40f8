package steps

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
)

// Whatever a step does to its working folder, that is a failure of the design, and never waited for.
func TestAStepThatSpoilsItsFolderFails(t *testing.T) {
	t.Parallel()
	next := "    - fill: {from: in.tpl, to: again.txt}\n    - run: [echo, '{\"sag\": 1}']\n      stdin: case/in.txt\n      stdout: out.json"
	for name, c := range map[string]struct{ script, extra, reason string }{
		"nothing":                   {"true", next, ""},
		"folder gone":               {"rm -rf ../$(basename \"$PWD\")", next, "no such file or directory"},
		"folder gone at the end":    {"rm -rf ../$(basename \"$PWD\")", "", "removed the working folder"},
		"folder where a deck is":    {"mkdir again.txt", next, "is a directory"},
		"pipe where a deck is":      {"mkfifo again.txt", next, "again.txt"},
		"folder where output is":    {"mkdir out.json", next, "is a directory"},
		"pipe where output is":      {"mkfifo out.json", next, "out.json"},
		"link out of the folder":    {"ln -s /etc/hostname out.json", next, "path escapes from parent"},
		"pipe for standard input":   {"rm case/in.txt; mkfifo case/in.txt", next, "is not a plain file"},
		"nothing as standard input": {"rm -r case", next, "for the standard input cannot be read"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := solve(t, prepared(t, c.script, c.extra, sagFromJSON))
			if c.reason == "" {
				require.NoError(t, err)
				return
			}
			failure := requireFailure(t, err)
			assert.Equal(t, core.Failed, failure.State)
			assert.Contains(t, failure.Reason, c.reason)
		})
	}
}

func TestAFullDiskIsNoFailureOfADesign(t *testing.T) {
	t.Parallel()
	full := &os.PathError{Op: "write", Path: "a", Err: syscall.ENOSPC}
	assert.Equal(t, error(full), spoiled("fill a", full))
	assert.NoError(t, spoiled("fill a", nil))
	_, err := os.OpenRoot(filepath.Join(t.TempDir(), "gone"))
	assert.ErrorContains(t, spoiled("fill a", err), "fill a: ")
}
