package steps

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/solver"
)

var _ solver.Versioned = (*Solver)(nil)

const (
	versionLimit = 20 * time.Second
	versionFile  = ".ropebench-version" // what a program prints
)

// Versions implements solver.Versioned.
func (s *Solver) Versions(ctx context.Context, folder string) ([]solver.Version, error) {
	if err := (&session{Solver: s}).openFolder(folder); err != nil {
		return nil, err
	}
	var all []solver.Version
	for _, step := range s.bench.Solver.Steps {
		var args []string
		switch {
		case step.Run != nil:
			args = step.Run.Args
		case step.Ask != nil:
			args = step.Ask.Args
		default:
			continue
		}
		v := solver.Version{Program: args[0]}
		if found, err := programOf(args[0], folder, s.path); err == nil && !strings.HasPrefix(args[0], "./") {
			v.Program = found
		}
		if len(step.Version) > 0 {
			var err error
			if v.Says, err = s.askVersion(ctx, step, folder); err != nil {
				return nil, err
			}
		}
		all = append(all, v)
	}
	return all, nil
}

// askVersion is the first line that a program prints when it is asked what it is; or why it does not say.
func (s *Solver) askVersion(ctx context.Context, step bench.Step, folder string) (string, error) {
	run := &bench.Run{Limit: versionLimit, Accept: []int{0}, Stdout: versionFile}
	if step.Run != nil {
		run.Env = step.Run.Env
	}
	p := process{args: step.Version, run: run, folder: folder, path: s.path, id: filepath.Base(folder)}
	err := p.start(ctx)
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	var failure *solver.Failure
	if err != nil && !errors.As(err, &failure) {
		return "", err
	}
	printed, readErr := os.ReadFile(filepath.Join(folder, versionFile))
	if line := firstLine(string(printed)); readErr == nil && line != "" { // some end with a code of their own
		return line, nil
	}
	if failure == nil {
		return "it printed nothing", nil
	}
	if line := firstLine(failure.Tail); line != "" {
		return line, nil
	}
	return "it did not say: " + failure.Reason, nil
}

// firstLine is the first line that is not blank.
func firstLine(text string) string {
	for line := range strings.Lines(plain.Printable(text)) {
		if line = strings.TrimSpace(line); line != "" {
			return line
		}
	}
	return ""
}
