package result

import (
	"maps"
	"slices"

	"ropebench/bench/plain"
)

// TableOfCells has a row for each cell of a sweep, the header first: where it is, its state, and all inputs and values of its best design
// in all digits; what has no feasible design has its state, and no best.
func TableOfCells(cells []Cell) [][]string {
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
	rows := [][]string{slices.Concat(over, []string{"state", "objective"}, others, results)}
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
	return rows
}
