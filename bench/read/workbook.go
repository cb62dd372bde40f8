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
		for _, mistake := range checkBook(b, w, file.Text) {
			wrong("%s", mistake)
		}
	}
	return problems
}

// checkBook looks at the cells that are set and read and at what they depend on, and says what is to calculate them: LibreOffice where it is
// installed, otherwise the bench, where all their formulas are of those that were tested.
func checkBook(b *bench.Bench, w *bench.Workbook, text []byte) (mistakes []string) {
	office := workbook.FindOffice()
	if workbook.OfficeOnly(w.File) {
		switch {
		case w.By == workbook.ByBuiltIn:
			return []string{"only LibreOffice reads it: leave by out, or save it as .xlsx"}
		case office != nil:
			return []string{office.Error()}
		}
		w.By = workbook.ByOffice
		return nil
	}
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
	cells := b.CellsOf(w.File)
	for _, a := range cells {
		if err := book.HasSheet(a.Sheet); err != nil {
			mistakes = append(mistakes, "cell: "+err.Error())
		}
	}
	if len(mistakes) > 0 {
		return mistakes
	}
	if trouble := book.Trouble(cells); trouble != "" {
		return []string{trouble}
	}
	if w.Volatile, err = book.Volatile(cells); err != nil {
		return []string{err.Error()}
	}
	if w.Volatile != "" && !b.Solver.Noisy {
		mistakes = append(mistakes, w.Volatile+", whose value changes by itself: put a number in its place, or say noisy: true under solver")
	}
	switch {
	case w.By == workbook.ByBuiltIn || w.By == "" && office != nil:
		if untested := book.Untested(cells, setToWords(b, w)); untested != "" {
			remedy := "leave by out, and LibreOffice calculates it"
			if office != nil {
				remedy = office.Error()
			}
			mistakes = append(mistakes, fmt.Sprintf("the built-in calculation is not for this workbook: %s; %s", untested, remedy))
		}
		w.By = workbook.ByBuiltIn
	case w.By == workbook.ByOffice && office != nil:
		mistakes = append(mistakes, office.Error())
	default:
		w.By = workbook.ByOffice
	}
	return mistakes
}

// setToWords lists the cells that get words.
func setToWords(b *bench.Bench, w *bench.Workbook) (cells []workbook.Address) {
	for _, set := range w.Set {
		if in, isInput := b.Input(set.Input); isInput && in.Nominal.Word != "" {
			cells = append(cells, set.Cell)
		}
	}
	return cells
}
