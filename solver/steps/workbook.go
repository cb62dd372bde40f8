package steps

import (
	"fmt"
	"io"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/core/curve"
	"ropebench/solver"
)

// setCells writes the workbook with the values of a design into the working folder.
func (s *Solver) setCells(w *bench.Workbook, job solver.Job) error {
	book, err := workbook.Open(s.content.Files[bench.ContentPath(w.File)].Text)
	if err != nil {
		return solver.Failed("%s: %s", w.File, err)
	}
	defer book.Close()
	for _, set := range w.Set {
		value := job.Lookup(set.Input)
		if err := book.Set(set.Cell, value.Number, value.Word); err != nil {
			return solver.Failed("%s: %s", w.File, err)
		}
	}
	text, err := book.Save()
	if err != nil {
		return solver.Failed("%s cannot be written: %s", w.File, err)
	}
	return writeFile(job.Folder, w.File, text, 0o644)
}

// cells reads one cell, or several, of a workbook that the steps left.
func (f *resultFiles) cells(out bench.Output) (curve.Curve, error) {
	address, err := workbook.ParseAddress(out.Cell)
	if err != nil {
		return curve.Curve{}, err
	}
	book, err := f.book(out.File)
	if err != nil {
		return curve.Curve{}, err
	}
	numbers, err := book.Numbers(address)
	if err != nil {
		return curve.Curve{}, fmt.Errorf("in %s: %w", out.File, err)
	}
	return curve.Curve{Y: numbers}, nil
}

// book opens a workbook once.
func (f *resultFiles) book(file string) (*workbook.Book, error) {
	if book, known := f.books[file]; known {
		return book, nil
	}
	opened, err := f.open(file, maxTable)
	if err != nil {
		return nil, err
	}
	defer opened.Close()
	text, err := io.ReadAll(opened)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", file, err)
	}
	book, err := workbook.Open(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	f.books[file] = book
	return book, nil
}
