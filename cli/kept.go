package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
)

func (a *App) filesCommand() *cobra.Command {
	var into string
	c := &cobra.Command{
		Use: "files RUN [EVALUATION [FILE]]", Short: "List, show or take out the files that the solver has left in evaluations", Args: cobra.RangeArgs(1, 3),
		Long: "Of a run: the evaluations whose files were kept. Of an evaluation: its files, or one of them on stdout. Which are kept says\n" +
			"`keep` in the solver: by default those of the last 20 evaluations that failed.",
		Example: "  ropebench files 4\n  ropebench files 4 17\n  ropebench files 4 17 run.log\n  ropebench files 4 17 --into look-at-17",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := runNumber(args[0])
			if err != nil {
				return err
			}
			evaluation := 0
			if len(args) > 1 {
				if evaluation, err = strconv.Atoi(args[1]); err != nil || evaluation < 1 {
					return wrongUse("an evaluation is named by its number, not by %q", args[1])
				}
			}
			if into != "" && len(args) != 2 {
				return wrongUse("--into takes the files of one evaluation: `ropebench files RUN EVALUATION --into DIR`")
			}
			s, err := a.connect(c.Context())
			if err != nil {
				return err
			}
			defer s.close()
			switch {
			case evaluation == 0:
				return a.listKept(c.Context(), s, id)
			case into != "":
				return a.takeKept(c.Context(), s, id, evaluation, into)
			case len(args) == 3:
				return s.KeptFile(c.Context(), id, evaluation, args[2], a.Out)
			}
			return a.listKeptFiles(c.Context(), s, id, evaluation)
		},
	}
	c.Flags().StringVar(&into, "into", "", "an empty folder for the files of the evaluation")
	return c
}

func (a *App) listKept(ctx context.Context, s *session, id int) error {
	kept, err := s.Kept(ctx, id)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(kept)
	case len(kept) == 0:
		a.say("No files of run %d were kept. `keep` in the solver says which are; by default those of evaluations that failed.", id)
		return nil
	}
	t := a.view(api.Bench{}).newTable([]int{1, 2}, "evaluation", "size")
	for _, one := range kept {
		t.AppendRow(table.Row{one.Evaluation, plain.Bytes(one.Bytes)})
	}
	t.Render()
	a.say("\nList the files of one with `ropebench files %d %d`.", id, kept[0].Evaluation)
	return nil
}

func (a *App) listKeptFiles(ctx context.Context, s *session, id, evaluation int) error {
	files, err := s.KeptFiles(ctx, id, evaluation)
	switch {
	case err != nil:
		return err
	case a.json:
		return a.machine(files)
	case len(files) == 0:
		a.say("Evaluation %d of run %d has left no files.", evaluation, id)
		return nil
	}
	t := a.view(api.Bench{}).newTable([]int{2}, "file", "size")
	for _, file := range files {
		t.AppendRow(table.Row{file.Path, plain.Bytes(file.Bytes)})
	}
	t.Render()
	a.say("\nShow one with `ropebench files %d %d %s`, take all with --into DIR.", id, evaluation, files[0].Path)
	return nil
}

// takeKept writes the files of an evaluation into an empty folder.
func (a *App) takeKept(ctx context.Context, s *session, id, evaluation int, into string) error {
	files, err := s.KeptFiles(ctx, id, evaluation)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(into, 0o755); err != nil {
		return fmt.Errorf("the folder %s cannot be made: %w", into, err)
	}
	entries, err := os.ReadDir(into)
	switch {
	case err != nil:
		return fmt.Errorf("the folder %s cannot be read: %w", into, err)
	case len(entries) > 0:
		return fmt.Errorf("the folder %s is not empty: name another one", into)
	}
	root, err := os.OpenRoot(into)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, file := range files {
		if err := root.MkdirAll(filepath.Dir(file.Path), 0o755); err != nil {
			return err
		}
		target, err := root.Create(file.Path)
		if err != nil {
			return err
		}
		if err := errors.Join(s.KeptFile(ctx, id, evaluation, file.Path, target), target.Close()); err != nil {
			return err
		}
	}
	a.say("%s of evaluation %d in %s", plain.Count(len(files), "file"), evaluation, into)
	return nil
}
