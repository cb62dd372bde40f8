package cli

import (
	"context"
	"encoding/csv"
	"fmt"
	"maps"
	"slices"

	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
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
			return a.cellsAsCSV(r.Cells)
		}
		a.view(b).cells(r)
		return nil
	})
	c.Example = "  ropebench cells 8\n  ropebench cells 8 --csv > cells.csv"
	c.Flags().BoolVar(&table, "csv", false, "write a table with all inputs and values of every best design, in all digits")
	return c
}

// cellsAsCSV writes a row for each cell; what has no feasible design has its state, and no best.
func (a *App) cellsAsCSV(cells []result.Cell) error {
	over := slices.Sorted(maps.Keys(cells[0].At))
	inputs, values := map[string]bool{}, map[string]bool{}
	for _, cell := range cells {
		if cell.Best == nil {
			continue
		}
		for name := range cell.Best.Inputs {
			inputs[name] = !slices.Contains(over, name)
		}
		for name := range cell.Best.Values {
			values[name] = true
		}
	}
	maps.DeleteFunc(inputs, func(_ string, shown bool) bool { return !shown })
	others, results := slices.Sorted(maps.Keys(inputs)), slices.Sorted(maps.Keys(values))
	w := csv.NewWriter(a.Out)
	rows := [][]string{append(append(append(slices.Clone(over), "state", "objective"), others...), results...)}
	for _, cell := range cells {
		var row []string
		for _, name := range over {
			row = append(row, cell.At[name].String())
		}
		row = append(row, cell.State)
		if cell.Best == nil || cell.State != "finished" {
			rows = append(rows, append(row, make([]string, 1+len(others)+len(results))...))
			continue
		}
		objective := ""
		if cell.Best.Objective != nil {
			objective = plain.Exact(*cell.Best.Objective)
		}
		row = append(row, objective)
		for _, name := range others {
			row = append(row, cell.Best.Inputs[name].String())
		}
		for _, name := range results {
			row = append(row, plain.Exact(cell.Best.Values[name]))
		}
		rows = append(rows, row)
	}
	return w.WriteAll(rows)
}
