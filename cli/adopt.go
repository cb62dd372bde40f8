package cli

import (
	"context"
	"maps"
	"math"
	"slices"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
)

func (a *App) adoptCommand() *cobra.Command {
	write := false
	c := &cobra.Command{
		Use: "adopt RUN[:EVALUATION]|CANDIDATE", Short: "Make a design of a run the nominal one: its numbers go into the bench file", Args: cobra.ExactArgs(1),
		Long: "Shows what would change in the bench file, and changes nothing until --write says so. Comments and layout of the file stay.\n" +
			"After that the design is evaluated once, so that the model is seen to give what was promised; with --json that is left to you.",
		Example: "  ropebench adopt 4\n  ropebench adopt 4:17 --write\n  ropebench adopt light",
		RunE: func(c *cobra.Command, args []string) error {
			return a.withDesign(c.Context(), args[0], func(s *session, run api.Run, d design) error {
				return a.adopt(c.Context(), s, run, api.Adoption{Candidate: d.Candidate, Write: write})
			})
		},
	}
	c.Flags().BoolVar(&write, "write", false, "write it into the bench file")
	return c
}

// adopt shows what an adoption changes, and what the nominal design gives once that is written.
func (a *App) adopt(ctx context.Context, s *session, run api.Run, order api.Adoption) error {
	done, err := s.Adopt(ctx, run.Bench, order)
	if err != nil {
		return err
	}
	if a.json {
		return a.machine(done)
	}
	for _, change := range done.Changes {
		a.say("%s", change)
	}
	switch {
	case len(done.Changes) == 0:
		a.say("Evaluation %d of run %d is the nominal design already.", done.Evaluation, run.ID)
		return nil
	case !done.Written:
		a.say("Nothing is written yet: `ropebench adopt %d:%d --write` does.", run.ID, done.Evaluation)
		return nil
	}
	b, err := s.Bench(ctx, run.Bench)
	if err != nil {
		return err
	}
	a.say("%s is changed, revision %d of %s.", b.File, done.Revision, b.Name)
	return a.startedAndShown(ctx, s, b, api.Order{Study: "try", Fresh: true}, func(ctx context.Context, s *session, b api.Bench, now api.Run) error {
		verdict := a.tried(ctx, s, b, now, false)
		if err := a.promiseKept(ctx, s, done.Candidate, now.ID); err != nil {
			return err
		}
		return verdict
	})
}

const promised = 1e-9 // relative: what two evaluations of a design may differ by

// promiseKept compares the nominal design, as it is evaluated now, with the evaluation that was adopted.
func (a *App) promiseKept(ctx context.Context, s *session, of api.Candidate, run int) error {
	then, err := s.Evaluation(ctx, of.Run, of.Evaluation)
	if err != nil {
		return err
	}
	now, err := s.Evaluation(ctx, run, 1)
	if err != nil {
		return err
	}
	kept := true
	for _, name := range slices.Sorted(maps.Keys(then.Named)) {
		value, known := now.Named[name]
		if was := then.Named[name]; known && math.Abs(value-was) > promised*math.Max(math.Abs(was), math.Abs(value)) {
			a.say("%s is %s now, and was %s in evaluation %d of run %d.", name, plain.Show(value), plain.Show(was), of.Evaluation, of.Run)
			kept = false
		}
	}
	if kept {
		a.say("The model gives what evaluation %d of run %d promised.", of.Evaluation, of.Run)
	}
	return nil
}
