package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"os"
	"path/filepath"
	"slices"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/result"
)

const sameAgain = 1e-12 // relative: by what values of a repeated verification may differ; a solver that computes the same is exact

// A repeated verification is beside the one that was written down.
type repeated struct {
	Holds       bool       `json:"holds"`
	Differences []string   `json:"differences"`
	Now         api.Result `json:"now"`
}

// repeat makes a verification again that `verify --json` has written, on a bench file that may be elsewhere, and says whether it holds.
func (a *App) repeat(ctx context.Context, written, file string) error {
	then, err := readVerification(written)
	if err != nil {
		return err
	}
	s, b, err := a.registered(ctx, file, "")
	if err != nil {
		return err
	}
	defer s.close()
	run, err := s.Start(ctx, b.Name, api.Order{Study: "verify", Design: then.Best.Inputs, Repeats: max(1, len(then.Repeats.Evaluations))})
	if err != nil {
		return err
	}
	if run, err = a.follow(ctx, s, b, run); err != nil {
		return err
	}
	now, err := s.Result(ctx, run.ID)
	if err != nil {
		return err
	}
	differences := different(then, now, run.LastFailure)
	if a.json {
		if err := a.machine(repeated{Holds: len(differences) == 0, Differences: append([]string{}, differences...), Now: now}); err != nil {
			return err
		}
	} else {
		a.view(b).repeated(filepath.Base(written), then, now, differences)
	}
	switch {
	case len(differences) > 0:
		return exitErrorOf{code: exitError, said: !a.json, text: fmt.Sprintf("the verification of %s does not hold: %s", written, differences[0])}
	case !now.Best.Feasible:
		return exitErrorOf{code: exitMissed, said: true}
	}
	return nil
}

const mostWritten = 64 << 20 // bytes of a verification that is read

// readVerification reads what `verify --json` has written.
func readVerification(path string) (r api.Result, err error) {
	root, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return r, err
	}
	defer root.Close()
	text, err := plain.ReadFile(root.OpenFile, filepath.Base(path), mostWritten)
	if err != nil {
		return r, fmt.Errorf("%s cannot be read: %w", path, err)
	}
	if err := json.Unmarshal(text, &r); err != nil {
		return r, wrongUse("%s is no verification: %s; `ropebench verify DESIGN --json > FILE` writes one", path, err)
	}
	if r.Best == nil || r.Repeats == nil || r.Provenance == nil {
		return r, wrongUse("%s is no verification with values: `ropebench verify DESIGN --json > FILE` writes one", path)
	}
	return r, nil
}

// different says what a repeated verification has otherwise: files and programs where values differ, too, since these are the likely cause.
func different(then, now api.Result, failure string) []string {
	if now.Best == nil {
		return append([]string{"the design gave no values: " + failure}, causesOf(then.Provenance, now.Provenance)...)
	}
	var values []string
	for _, name := range slices.Sorted(maps.Keys(then.Best.Values)) {
		was := then.Best.Values[name]
		is, known := now.Best.Values[name]
		switch {
		case !known:
			values = append(values, name+" is not a value of this bench")
		case math.Abs(is-was) > sameAgain*math.Max(math.Abs(was), math.Abs(is)):
			values = append(values, fmt.Sprintf("%s is %s, and was %s", name, plain.Exact(is), plain.Exact(was)))
		}
	}
	for _, id := range slices.Sorted(maps.Keys(then.Best.Requirements)) {
		was, is := then.Best.Requirements[id].Verdict, now.Best.Requirements[id].Verdict
		if was != is {
			values = append(values, fmt.Sprintf("%s is %s, and was %s", id, verdictWords(string(is)), verdictWords(string(was))))
		}
	}
	if len(values) == 0 {
		return nil
	}
	return append(values, causesOf(then.Provenance, now.Provenance)...)
}

// causesOf says which files of the bench, and which programs by what they say, are others.
func causesOf(then, now *result.Provenance) (causes []string) {
	if now == nil {
		return nil
	}
	for _, path := range slices.Sorted(maps.Keys(then.Files)) {
		if now.Files[path] != then.Files[path] {
			causes = append(causes, path+" is not the file that it was")
		}
	}
	if len(then.Programs) != len(now.Programs) {
		return append(causes, "the steps start other programs")
	}
	for i, was := range then.Programs {
		if is := now.Programs[i]; is.Version != was.Version {
			causes = append(causes, fmt.Sprintf("%s is %q, and was %q", filepath.Base(is.Path), is.Version, was.Version))
		}
	}
	return causes
}

// repeated shows whether a verification holds.
func (v view) repeated(file string, then, now api.Result, differences []string) {
	v.line("The verification of %s, of %s on %s, made again as run %d:", file, then.Provenance.At.Local().Format("2006-01-02 15:04"), then.Provenance.Machine, now.Run)
	v.line("")
	if now.Best != nil {
		v.line("%s\n", v.feasibility(now.Best))
		v.requirements(now.Best.Requirements, nil)
	}
	for _, says := range differences {
		v.line("%s", v.ochre("! "+says))
	}
	if len(differences) > 0 {
		v.line("%s", v.ochre("It does not hold."))
		return
	}
	v.line("It holds: all %s and verdicts are as they were.", plain.Count(len(then.Best.Values), "value"))
}
