package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
)

func (a *App) pickCommand() *cobra.Command {
	because := ""
	c := &cobra.Command{
		Use: "pick RUN[:EVALUATION] NAME", Short: "Name a design of a run, to be compared, verified and adopted", Args: cobra.ExactArgs(2),
		Long:    "Names the best design of a run, or an evaluation of it. The name stands for it in compare, try --of, verify and adopt, until it is withdrawn.",
		Example: "  ropebench pick 4 light --because \"the lightest of three seeds\"\n  ropebench pick 4:17 stiff",
	}
	c.Flags().StringVar(&because, "because", "", "why this one: it is kept with the name")
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		d, err := a.designOf(ctx, s, args[0])
		if err != nil {
			return err
		}
		picked, err := s.Pick(ctx, d.Bench, api.Pick{Candidate: d.Candidate, Name: args[1], Because: because})
		if err != nil {
			return err
		}
		if a.json {
			return a.machine(picked)
		}
		a.say("%s is evaluation %d of run %d, on revision %d of %s: `ropebench verify %s` evaluates it afresh.", picked.Name, picked.Evaluation, picked.Run, picked.Revision, picked.Bench, picked.Name)
		return nil
	})
}

func (a *App) withdrawCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "withdraw NAME", Short: "Take a candidate back: its name is free again, its evaluation stays", Args: cobra.ExactArgs(1),
		Example: "  ropebench withdraw light\n  ropebench withdraw zipline/light",
	}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		d, err := a.candidate(ctx, s, args[0])
		if err != nil {
			return err
		}
		if err := s.Withdraw(ctx, d.Bench, d.Name); err != nil {
			return err
		}
		a.say("%s of %s is withdrawn; it was evaluation %d of run %d.", d.Name, d.Bench, d.Evaluation, d.Run)
		return nil
	})
}

func (a *App) candidatesCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "candidates [BENCH]", Short: "List the designs that were picked, and why", Args: cobra.MaximumNArgs(1),
	}
	c.Example = "  ropebench candidates\n  ropebench candidates zipline"
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		all, err := s.Candidates(ctx, strings.Join(args, ""))
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(map[string]any{"candidates": all})
		case len(all) == 0:
			a.say("No design was picked yet: `ropebench pick RUN:EVALUATION NAME --because WHY` names one.")
			return nil
		}
		v := a.view(api.Bench{})
		t := v.newTable([]int{3, 4, 5}, "candidate", "bench", "revision", "run", "evaluation", "picked", "because")
		for _, one := range all {
			t.AppendRow(table.Row{one.Name, one.Bench, one.Revision, one.Run, one.Evaluation, one.Picked.Local().Format("2006-01-02 15:04"), one.Because})
		}
		t.Render()
		return nil
	})
}

// A named design is an evaluation of a run, with the name of the candidate where it was named so.
type design struct {
	api.Candidate
	Bench string
	Name  string // ""
}

// title is how the design is called in tables.
func (d design) title() string {
	if d.Name != "" {
		return d.Name
	}
	return fmt.Sprintf("%d:%d", d.Run, d.Evaluation)
}

// designOf finds the design that is meant by RUN, for its best, by RUN:EVALUATION, or by the name of a candidate.
func (a *App) designOf(ctx context.Context, s *session, text string) (d design, err error) {
	if namesACandidate(text) {
		return a.candidate(ctx, s, text)
	}
	if d.Candidate, err = readCandidate(text); err != nil {
		return d, err
	}
	run, err := s.Run(ctx, d.Run)
	if err != nil {
		return d, err
	}
	if d.Evaluation == 0 {
		if run.Headline == nil {
			return d, fmt.Errorf("run %d has no best design: name one of its evaluations, as in %d:17", run.ID, run.ID)
		}
		d.Evaluation = run.Headline.Evaluation
	}
	d.Bench = run.Bench
	return d, nil
}

// namesACandidate is true for what cannot be the number of a run.
func namesACandidate(text string) bool { return text == "" || text[0] < '0' || text[0] > '9' }

// candidate finds a candidate by its name, or by BENCH/NAME where several benches have it.
func (a *App) candidate(ctx context.Context, s *session, text string) (d design, err error) {
	bench, name, qualified := strings.Cut(text, "/")
	if !qualified {
		bench, name = "", text
	}
	all, err := s.Candidates(ctx, bench)
	if err != nil {
		return d, err
	}
	var known, in []string
	for _, one := range all {
		known = append(known, one.Name)
		if one.Name == name {
			in = append(in, one.Bench+"/"+name)
			d = design{Candidate: one.Candidate, Bench: one.Bench, Name: name}
		}
	}
	switch {
	case len(in) == 1:
		return d, nil
	case len(in) > 1:
		return d, wrongUse("several benches have a candidate %s: name it as %s", name, strings.Join(in, " or "))
	case len(known) == 0:
		return d, wrongUse("%q is no run, and no candidate was picked yet: a design is named by RUN, for its best, by RUN:EVALUATION, or by the name that `ropebench pick` gave it", text)
	}
	return d, wrongUse("there is no candidate %s; known: %s (see `ropebench candidates`)", text, strings.Join(known, ", "))
}
