package cli

import (
	"context"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/result"
)

func (a *App) verifyCommand() *cobra.Command {
	var evaluation, repeats int
	var keep, again string
	var around bool
	c := &cobra.Command{
		Use: "verify RUN[:EVALUATION]|CANDIDATE", Short: "Evaluate a design afresh on the real solver, and give its verdicts", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if again != "" {
				return a.repeat(c.Context(), again, args[0])
			}
			if evaluation < 0 || repeats < 0 || c.Flags().Changed("repeats") && repeats == 0 {
				return wrongUse("--evaluation must not be negative, --repeats must be above 0")
			}
			folder, err := folderToKeep(keep)
			if err != nil {
				return err
			}
			if evaluation > 0 {
				args[0] = fmt.Sprintf("%s:%d", args[0], evaluation)
			}
			err = a.withDesign(c.Context(), args[0], func(s *session, run api.Run, d design) error {
				return a.verify(c.Context(), s, run, api.Order{Study: "verify", Of: &d.Candidate, Repeats: repeats, Around: around, Keep: folder})
			})
			a.sayKept(folder)
			return err
		},
	}
	c.Example = "  ropebench verify 4\n  ropebench verify light --around\n  ropebench verify 4:17 --repeats 3\n  ropebench verify light --json > light.json\n  ropebench verify --repeat light.json zipline.bench.yaml"
	c.Long = "Verifies the best design of a run, one of its evaluations, or a candidate, on the bench as it is now. Nothing known is\nused for the candidate. Of several evaluations the worst is believed. The verification names the files of the bench, the programs of\nits steps with the versions that they say (version: in a step), machine and time.\n\n" +
		"With --repeat, the argument is a bench file: whoever has it, and the programs, makes a verification of somebody else again, and sees whether\nvalues (to 1e-12) and verdicts come out as they did."
	c.Flags().StringVar(&again, "repeat", "", "make the verification of this file again, which --json has written, on a bench file, and say whether it holds")
	c.Flags().IntVar(&evaluation, "evaluation", 0, "the evaluation to verify; by default the best one")
	c.Flags().IntVar(&repeats, "repeats", 0, "evaluate it so many times; by default once, and five times where the solver is noisy")
	c.Flags().BoolVar(&around, "around", false, "evaluate its neighbours, too: which margin is lost first, and at what change of which input")
	keepFlag(c, &keep)
	return c
}

// verify evaluates a candidate on the bench as it is now.
func (a *App) verify(ctx context.Context, s *session, of api.Run, o api.Order) error {
	b, err := s.Bench(ctx, of.Bench)
	if err != nil {
		return err
	}
	run, err := s.Start(ctx, b.Name, o)
	if err != nil {
		return err
	}
	if run, err = a.follow(ctx, s, b, run); err != nil {
		return err
	}
	r, err := a.result(ctx, s, run, func(r found) { a.view(b).verification(r, of) })
	if err != nil {
		return err
	}
	switch {
	case run.State == "broken":
		return fmt.Errorf("the verification is broken: %s", run.Reason)
	case r.Best == nil:
		return exitErrorOf{code: exitNothing, text: "the candidate gave no values: " + run.LastFailure}
	case !r.Best.Feasible:
		return exitErrorOf{code: exitMissed, said: true}
	}
	return nil
}

// verification shows before and after, margins and verdicts.
func (v view) verification(run found, of api.Run) {
	origin := ""
	if run.Question.Of != nil {
		origin = fmt.Sprintf("run %d, evaluation %d", run.Question.Of.Run, run.Question.Of.Evaluation)
	}
	v.line("Verification  run %d: candidate of %s; %s, on revision %d", run.ID, origin, run.Reason, run.Revision)
	if of.Unreliable != "" {
		v.line("%s", v.ochre(fmt.Sprintf("! its values in run %d are %s", of.ID, of.Unreliable)))
	}
	if of.Revision != run.Revision {
		v.line("%s", v.ochre(fmt.Sprintf("! it was found on revision %d; the bench has changed since", of.Revision)))
	}
	if len(of.Question.Besides) > 0 {
		v.line("%s", v.slate("it was found with "+strings.Join(of.Question.Besides, "; ")))
	}
	v.recorded(run.Recorded)
	v.line("")
	if run.Best == nil {
		return
	}
	v.line("%s\n", v.feasibility(run.Best))
	v.requirements(run.Best.Requirements, run.Nominal)
	v.values(run.Best.Values, run.Nominal)
	v.inputs(run.Best.Inputs)
	v.ends(run.AtEnds)
	v.neighbourhood(run.Neighbourhood)
	v.provenance(run.Provenance)
}

// recorded says whether fresh values are those that were recorded.
func (v view) recorded(r *result.Recorded) {
	switch {
	case r == nil:
	case r.Differs:
		v.line("%s", v.ochre("! "+r.Says))
	default:
		v.line("%s", v.slate(r.Says))
	}
}

// provenance says where values come from.
func (v view) provenance(p *result.Provenance) {
	if p == nil {
		return
	}
	v.line("")
	for _, program := range p.Programs {
		version := program.Version
		if version == "" {
			version = "its version is not asked: version: [...] in its step says how"
		}
		v.line("%s", v.slate(fmt.Sprintf("%s: %s", filepath.Base(program.Path), version)))
	}
	for _, path := range slices.Sorted(maps.Keys(p.Files)) {
		v.line("%s", v.slate(fmt.Sprintf("%s  SHA-256 %s…", path, p.Files[path][:shownOfHash])))
	}
	v.line("%s", v.slate(fmt.Sprintf("%s on %s, %s", p.Program, p.Machine, p.At.Local().Format("2006-01-02 15:04:05"))))
}

const shownOfHash = 12 // digits

// neighbourhood says how steep the candidate stands.
func (v view) neighbourhood(n *result.Neighbourhood) {
	if n == nil {
		return
	}
	v.line("\nAround it (%s)  %s.", plain.Count(len(n.Neighbours), "neighbour"), upperFirst(n.Says))
	for _, l := range n.Losses {
		says := l.Says
		if l.Seen {
			says = v.ochre(says + ": its neighbour misses it")
		}
		v.line("  %s", says)
	}
}
