package cli

import (
	"context"
	"path/filepath"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
)

// onService makes a command that asks the service.
func (a *App) onService(c *cobra.Command, act func(ctx context.Context, s *session, args []string) error) *cobra.Command {
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := a.connect(c.Context())
		if err != nil {
			return err
		}
		defer s.close()
		return act(c.Context(), s, args)
	}
	return c
}

func (a *App) benchesCommand() *cobra.Command {
	return a.onService(&cobra.Command{Use: "benches", Short: "List the benches that the service knows"}, func(ctx context.Context, s *session, _ []string) error {
		benches, err := s.Benches(ctx)
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(benches)
		case len(benches) == 0:
			a.say("There are no benches yet: a command on a bench file, such as `ropebench try FILE`, makes it known.")
			return nil
		}
		t := a.view(api.Bench{}).newTable([]int{2}, "bench", "revision", "title", "changed", "file")
		for _, b := range benches {
			t.AppendRow(table.Row{b.Name, b.Revision, b.Title, b.Changed.Local().Format("2 Jan 15:04"), filepath.Join(b.Folder, b.File)})
		}
		t.Render()
		return nil
	})
}

func (a *App) revisionsCommand() *cobra.Command {
	c := &cobra.Command{Use: "revisions BENCH", Short: "List the revisions of a bench, with what each has changed", Args: cobra.ExactArgs(1), Example: "  ropebench revisions zipline"}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		revisions, err := s.Revisions(ctx, args[0])
		switch {
		case err != nil:
			return err
		case a.json:
			return a.machine(revisions)
		}
		v := a.view(api.Bench{})
		for _, r := range revisions {
			v.line("revision %d  %s", r.Number, v.slate(r.Created.Local().Format("2 Jan 2006 15:04")))
			for _, change := range r.Changes {
				v.line("  %s", change)
			}
		}
		return nil
	})
}

func (a *App) moveCommand() *cobra.Command {
	c := &cobra.Command{Use: "move BENCH FILE", Short: "Say that the file of a bench is elsewhere now", Args: cobra.ExactArgs(2),
		Long: "Its revisions and runs stay with it.", Example: "  ropebench move zipline ~/projects/brake/zipline.bench.yaml"}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		path, err := filepath.Abs(args[1])
		if err != nil {
			return err
		}
		return a.changed(ctx, s, args[0], api.Change{Path: path})
	})
}

func (a *App) renameCommand() *cobra.Command {
	c := &cobra.Command{Use: "rename BENCH NAME", Short: "Give a bench another name in the service", Args: cobra.ExactArgs(2),
		Long: "Its file keeps its name: name the bench with --name in commands on the file.", Example: "  ropebench rename zipline old-zipline"}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		return a.changed(ctx, s, args[0], api.Change{Name: args[1]})
	})
}

func (a *App) changed(ctx context.Context, s *session, name string, change api.Change) error {
	b, err := s.ChangeBench(ctx, name, change)
	if err != nil {
		return err
	}
	if a.json {
		return a.machine(b.BenchSummary)
	}
	a.say("The bench %s is in %s, at revision %d.", b.Name, filepath.Join(b.Folder, b.File), b.Revision)
	return nil
}

func (a *App) removeCommand() *cobra.Command {
	var sure bool
	c := &cobra.Command{Use: "remove BENCH --with-runs", Short: "Forget a bench with its revisions, runs and evaluations", Args: cobra.ExactArgs(1),
		Long: "The files in its folder stay. What is forgotten cannot be brought back: take a revision out with `ropebench export` before.", Example: "  ropebench remove old-zipline --with-runs"}
	c = a.onService(c, func(ctx context.Context, s *session, args []string) error {
		if !sure {
			return wrongUse("this forgets the bench %s with all its runs and evaluations: say --with-runs if that is wanted", args[0])
		}
		if err := s.RemoveBench(ctx, args[0]); err != nil {
			return err
		}
		a.say("The bench %s is forgotten.", args[0])
		return nil
	})
	c.Flags().BoolVar(&sure, "with-runs", false, "its runs and evaluations are forgotten, too")
	return c
}
