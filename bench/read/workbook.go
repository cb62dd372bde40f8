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
	for _, step := range b.Solver.AllSteps() {
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
		for _, set := range w.Set {
			if !only[set.Input] {
				wrong("set: %s is no input, nor derived from inputs alone%s", set.Input, formula.Suggest(set.Input, known))
			}
		}
		if workbook.OfficeOnly(w.File) {
			w.By = workbook.ByOffice
		} else {
			for _, mistake := range checkBook(b, w, file.Text) {
				wrong("%s", mistake)
			}
		}
		if w.By == workbook.ByOffice {
			switch err := workbook.FindOffice(); {
			case err != nil && w.Why != "":
				wrong("the bench cannot calculate this workbook: %s; LibreOffice would, and %s", w.Why, err)
			case err != nil:
				wrong("%s", err)
			}
		}
	}
	return problems
}

// checkBook looks at the cells that are set, and calculates the workbook as it was saved: where the bench does not come to what
// is stored, LibreOffice is to calculate it.
func checkBook(b *bench.Bench, w *bench.Workbook, text []byte) (mistakes []string) {
	book, err := workbook.Open(text)
	if err != nil {
		return []string{err.Error()}
	}
	defer book.Close() // it was only read
	for _, set := range w.Set {
		for _, err := range []error{book.Settable(set.Cell), book.InArray(set.Cell)} {
			if err != nil {
				mistakes = append(mistakes, "set: "+err.Error())
				break
			}
		}
	}
	for _, a := range b.CellsOf(w.File) {
		if err := book.HasSheet(a.Sheet); err != nil {
			mistakes = append(mistakes, "cell: "+err.Error())
		}
	}
	if w.By != "" || len(mistakes) > 0 {
		return mistakes
	}
	if differs := book.Compare(b.CellsOf(w.File)); differs != "" {
		w.By, w.Why = workbook.ByOffice, differs
	}
	return mistakes
}
