package main

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A reader follows a document: it types the commands, writes the files that are shown, and compares what is shown of the outputs.
type reader struct {
	t      *testing.T
	desk   desk
	bench  string // the bench file that is written
	last   string // the output of the last command
	spoken []string
}

// inline is a command within a sentence.
var inline = regexp.MustCompile("`(ropebench [^`]+)`")

// forOthers are commands that a document only names: with a placeholder, or that stay.
var forOthers = regexp.MustCompile(`\b[A-Z]{3,}\b|serve|demo|completion|--hold springs|\.\.\.`)

// types runs a command line, split as a shell would, in the folder of the bench. Verdicts are answers, too.
func (r *reader) types(line string) {
	r.t.Helper()
	line = strings.TrimSpace(strings.SplitN(line, "   #", 2)[0])
	r.spoken = append(r.spoken, line)
	var args []string
	for _, field := range regexp.MustCompile(`"[^"]*"|\S+`).FindAllString(strings.TrimPrefix(line, "ropebench "), -1) {
		args = append(args, strings.Trim(field, `"`))
	}
	command := r.desk.command()
	after := []string{}
	if at := strings.Index(" "+strings.Join(args, " ")+" ", " -- "); at >= 0 { // what stands behind it is for the program
		for i, argument := range args {
			if argument == "--" {
				args, after = args[:i], slices.Clone(args[i:])
				break
			}
		}
	}
	command.Args = append(append(command.Args[:1:1], append(args, "--data", r.desk.data)...), after...)
	command.Dir = filepath.Dir(r.bench)
	out, err := command.CombinedOutput()
	if code := command.ProcessState.ExitCode(); code != 0 && code != 3 {
		require.NoError(r.t, err, "%s\n%s", line, out)
	}
	r.last = string(out)
}

// sees compares what a document shows with the output of the last command: each line stands in it, whatever its blanks.
func (r *reader) sees(shown []string) {
	plain := func(text string) string { return strings.Join(strings.Fields(text), " ") }
	var lines []string
	for line := range strings.Lines(r.last) {
		lines = append(lines, plain(line))
	}
	for _, line := range shown {
		if line = plain(line); line != "" && !strings.HasPrefix(line, "─") {
			assert.Contains(r.t, lines, line, "after %s", r.spoken[len(r.spoken)-1])
		}
	}
}

// section replaces a section of the bench file, or adds it; what is shown of a new file must stand in it.
func (r *reader) writes(block string) {
	text, err := os.ReadFile(r.bench)
	require.NoError(r.t, err)
	if strings.Contains(string(text), strings.TrimSpace(strings.SplitN(block, "\n\n", 2)[0])) {
		return // as `new` has written it
	}
	for _, part := range regexp.MustCompile(`(?m)^\w+:`).FindAllStringIndex(block, -1) {
		end := len(block)
		if next := regexp.MustCompile(`(?m)^\w+:`).FindStringIndex(block[part[1]:]); next != nil {
			end = part[1] + next[0]
		}
		key, section := block[part[0]:part[1]], strings.TrimRight(block[part[0]:end], "\n")+"\n"
		old := regexp.MustCompile(`(?m)^` + key + `.*\n(?:[ #].*\n|\n)*`)
		if old.Match(text) {
			text = old.ReplaceAllLiteral(text, []byte(section+"\n"))
		} else {
			text = append(text, section...)
		}
	}
	require.NoError(r.t, os.WriteFile(r.bench, text, 0o644))
}

// follows reads a document from its beginning to its end.
func (r *reader) follows(document string) {
	text, err := os.ReadFile(document)
	require.NoError(r.t, err)
	for i, part := range strings.Split(string(text), "```") {
		kind, block, _ := strings.Cut(part, "\n")
		switch {
		case i%2 == 0:
			for _, found := range inline.FindAllStringSubmatch(part, -1) {
				if !forOthers.MatchString(found[1]) {
					r.types(strings.Join(strings.Fields(found[1]), " "))
				}
			}
		case kind == "yaml":
			r.writes(block)
		case kind == "":
			var shown []string
			for line := range strings.Lines(block) {
				command, typed := strings.CutPrefix(strings.TrimPrefix(line, "$ "), "ropebench ")
				switch {
				case typed:
					r.types("ropebench " + strings.TrimSpace(command))
				case regexp.MustCompile(`^(mkdir|cp|ccx|make) `).MatchString(line):
				default:
					shown = append(shown, line)
				}
			}
			r.sees(shown)
		}
	}
}

// TestTheGuideDoesWhatItSays types every command of the guide, writes the bench file as it is shown, and compares the outputs.
func TestTheGuideDoesWhatItSays(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	folder := t.TempDir()
	deck, err := os.ReadFile("../../examples/sheave-bracket/bracket.inp")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "bracket.inp"), deck, 0o644))
	r := &reader{t: t, desk: d, bench: filepath.Join(folder, "plate.bench.yaml")}
	r.follows("../../docs/guide/1-model.md")
	assert.Greater(t, len(r.spoken), 10, "%s", strings.Join(r.spoken, "\n"))
}

// TestTheGuideOfExploringDoesWhatItSays types it on the demo.
func TestTheGuideOfExploringDoesWhatItSays(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(d.file), "measured.csv"), []byte("springs,pad_force\n2,3\n"), 0o644))
	r := &reader{t: t, desk: d, bench: d.file}
	r.follows("../../docs/guide/2-explore.md")
	assert.Greater(t, len(r.spoken), 10, "%s", strings.Join(r.spoken, "\n"))
	for _, figure := range []string{"overview.svg", "cost.png", "peak.svg", "rollback.svg"} {
		assert.FileExists(t, filepath.Join(filepath.Dir(d.file), figure))
	}
}

// followed is a reader who has followed a guide on the demo.
func followed(t *testing.T, guide string) *reader {
	d := newDesk(t)
	r := &reader{t: t, desk: d, bench: d.file}
	r.follows("../../docs/guide/" + guide)
	return r
}

// TestTheGuideOfImprovingDoesWhatItSays types it on the demo.
func TestTheGuideOfImprovingDoesWhatItSays(t *testing.T) {
	t.Parallel()
	r := followed(t, "3-improve.md")
	assert.Greater(t, len(r.spoken), 9, "%s", strings.Join(r.spoken, "\n"))
}

// TestTheGuideOfDecidingDoesWhatItSays types it on the demo.
func TestTheGuideOfDecidingDoesWhatItSays(t *testing.T) {
	t.Parallel()
	r := followed(t, "4-decide.md")
	assert.Greater(t, len(r.spoken), 9, "%s", strings.Join(r.spoken, "\n"))
}

// TestTheGuideOfProvingDoesWhatItSays types it on the demo.
func TestTheGuideOfProvingDoesWhatItSays(t *testing.T) {
	t.Parallel()
	r := followed(t, "5-prove.md")
	assert.Len(t, r.spoken, 6, "%s", strings.Join(r.spoken, "\n"))
	assert.Contains(t, r.last, "The report is report.html")
}

// TestTheReadmeDoesWhatItSays types the commands of the first study.
func TestTheReadmeDoesWhatItSays(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	text, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	_, study, _ := strings.Cut(string(text), "1. Copy")
	study, _, _ = strings.Cut(study, "\n## More")
	r := &reader{t: t, desk: d, bench: d.file}
	for _, found := range inline.FindAllStringSubmatch(study, -1) {
		if !forOthers.MatchString(found[1]) {
			r.types(found[1])
			if strings.Contains(found[1], " table ") {
				assert.Greater(t, strings.Count(r.last, "\n"), 10, "it shows evaluations")
			}
			if strings.Contains(found[1], " verify ") {
				assert.Contains(t, r.last, "every requirement is met")
			}
		}
	}
	assert.GreaterOrEqual(t, len(r.spoken), 8, "%s", strings.Join(r.spoken, "\n"))
}
