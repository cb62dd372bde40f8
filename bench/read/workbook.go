package read

import (
	"fmt"
	"maps"
	"slices"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/core/formula"
)

// checkWorkbooks opens every workbook and looks at the cells that are set, and at the names of what they get.
func checkWorkbooks(b *bench.Bench, content bench.Content) bench.Problems {
	var problems bench.Problems
	only := b.InputsOnly()
	known := slices.Sorted(maps.Keys(only))
	for _, step := range b.Solver.Steps {
		w := step.Workbook
		if w == nil {
			continue
		}
		wrong := func(format string, args ...any) {
			problems = append(problems, bench.Problem{File: w.File, Line: 1, Message: fmt.Sprintf(format, args...)})
		}
		file, kept := content.Files[bench.ContentPath(w.File)]
		if !kept {
			continue // it is missing, which is said already
		}
		book, err := workbook.Open(file.Text)
		if err != nil {
			wrong("%s", err)
			continue
		}
		for _, set := range w.Set {
			if err := book.Settable(set.Cell); err != nil {
				wrong("set: %s", err)
			}
			if !only[set.Input] {
				wrong("set: %s is no input, nor derived from inputs alone%s", set.Input, formula.Suggest(set.Input, known))
			}
		}
		if err := book.Close(); err != nil {
			wrong("%s", err)
		}
	}
	return problems
}
