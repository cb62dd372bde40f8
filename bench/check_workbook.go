package bench

import (
	"fmt"
	"maps"
	"slices"

	"ropebench/bench/workbook"
	"ropebench/core/formula"
)

// checkWorkbooks opens every workbook and looks at the cells that are set, and at the names of what they get.
func (b *Bench) checkWorkbooks(content Content) Problems {
	var problems Problems
	only := b.InputsOnly()
	known := slices.Sorted(maps.Keys(only))
	for _, step := range b.Solver.Steps {
		w := step.Workbook
		if w == nil {
			continue
		}
		wrong := func(format string, args ...any) {
			problems = append(problems, Problem{w.File, 1, fmt.Sprintf(format, args...)})
		}
		file, kept := content.Files[ContentPath(w.File)]
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
