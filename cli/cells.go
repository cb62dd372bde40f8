package cli

import (
	"context"
	"encoding/csv"
	"fmt"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/result"
)

func (a *App) cellsCommand() *cobra.Command {
	table := false
	c := a.onRun("cells RUN", "Show the best design of every cell of a sweep, or write them as CSV", func(ctx context.Context, s *session, b api.Bench, run api.Run) error {
		r, err := a.found(ctx, s, run)
		switch {
		case err != nil:
			return err
		case len(r.Cells) == 0:
			return fmt.Errorf("run %d has no cells: it is of study %s, and those of kind sweep have some", run.ID, run.Question.Study)
		case a.json:
			return a.machine(r.Cells)
		case table:
			return csv.NewWriter(a.Out).WriteAll(result.TableOfCells(r.Cells))
		}
		a.view(b).cells(r)
		return nil
	})
	c.Example = "  ropebench cells 8\n  ropebench cells 8 --csv > cells.csv"
	c.Flags().BoolVar(&table, "csv", false, "write a table with all inputs and values of every best design, in all digits")
	return c
}
