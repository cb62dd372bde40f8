package steps

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/core/curve"
	"ropebench/solver"
)

// calculated is what LibreOffice has calculated of a workbook, and the file that it left with that.
type calculated struct {
	book   string      // the file that it has open
	left   os.FileInfo // nil: it was not written, since nothing reads it
	values map[workbook.Address][]any
}

// setCells writes the workbook with the values of a design into the working folder.
func (s *session) setCells(ctx context.Context, w *bench.Workbook, job solver.Job) error {
	if w.By == workbook.ByOffice {
		return s.setByOffice(ctx, w, job)
	}
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

// setByOffice lets LibreOffice set the cells, calculate, and write the workbook.
func (s *session) setByOffice(ctx context.Context, w *bench.Workbook, job solver.Job) error {
	o, err := s.useOffice(job)
	if err != nil {
		return err
	}
	original := filepath.Join("books", filepath.FromSlash(w.File))
	if _, err := os.Stat(filepath.Join(o.folder, original)); errors.Is(err, os.ErrNotExist) {
		if err := writeFile(o.folder, original, s.content.Files[bench.ContentPath(w.File)].Text, 0o600); err != nil {
			return err
		}
	}
	r := request{File: filepath.Join(o.folder, original)}
	if job.Keep || s.readsLater(w) { // writing it takes longer than calculating
		r.Save = filepath.Join(job.Folder, w.File)
	}
	for _, set := range w.Set {
		var value any = job.Lookup(set.Input).Number
		if word := job.Lookup(set.Input).Word; word != "" {
			value = word
		}
		r.Set = append(r.Set, [4]any{set.Cell.Sheet, set.Cell.Row - 1, set.Cell.Col - 1, value})
	}
	addresses := s.bench.CellsOf(w.File)
	for _, a := range addresses {
		r.Get = append(r.Get, getOf(a))
	}
	if r.Save != "" {
		if err := writeFile(job.Folder, w.File, nil, 0o644); err != nil { // so that its folder is there, and it is a plain file
			return err
		}
	}
	values, err := s.ask(ctx, r)
	if err != nil {
		return failedIn(w.File, err)
	}
	known := calculated{book: r.File, values: map[workbook.Address][]any{}}
	for i, a := range addresses {
		known.values[a] = values[i]
	}
	if r.Save != "" {
		if known.left, err = os.Lstat(r.Save); err != nil {
			return solver.Failed("%s was not written: %s", w.File, err)
		}
	}
	s.calculated[w.File] = known
	return nil
}

// readsLater is true for a workbook in whose place something else may look than the outputs that name its cells.
func (s *session) readsLater(w *bench.Workbook) bool {
	if last := s.steps[len(s.steps)-1]; last.book != w {
		return true
	}
	return slices.ContainsFunc(s.bench.Outputs, func(o bench.Output) bool { return o.File == w.File && o.Cell == "" })
}

// writeBooks writes the workbooks that LibreOffice has calculated and not written, so that they can be looked at where an evaluation has
// failed.
func (s *session) writeBooks(ctx context.Context, job solver.Job) error {
	for file, known := range s.calculated {
		if known.left != nil || s.office == nil {
			continue
		}
		if err := writeFile(job.Folder, file, nil, 0o644); err != nil {
			return err
		}
		if _, err := s.ask(ctx, request{File: known.book, Get: [][5]any{}, Save: filepath.Join(job.Folder, file)}); err != nil {
			return failedIn(file, err)
		}
	}
	return nil
}

// useOffice is LibreOffice at work for this session.
func (s *session) useOffice(job solver.Job) (*office, error) {
	if s.office != nil {
		return s.office, nil
	}
	var err error
	if s.office, err = startOffice(s.path, filepath.Join(s.folder, "libreoffice"), job.ID+"-office"); err != nil {
		return nil, solver.Failed("%s", err)
	}
	return s.office, nil
}

// ask asks the office. One that does not answer is ended; the next evaluation gets another.
func (s *session) ask(ctx context.Context, r request) ([][]any, error) {
	values, err := s.office.ask(ctx, r)
	if err != nil && s.office.ended {
		err = errors.Join(err, s.office.close())
		s.office = nil
	}
	return values, err
}

// byOffice gives the numbers of cells of a workbook that LibreOffice calculates: what it has left, or where a later step has
// changed that, what it finds there.
func (s *session) byOffice(ctx context.Context, job solver.Job, file string, a workbook.Address) (numbers []float64, asked bool, err error) {
	if !s.bench.ByOffice(file) {
		return nil, false, nil
	}
	path := filepath.Join(job.Folder, file)
	known, was := s.calculated[file]
	if was && known.left == nil {
		numbers, err := numbersOf(a, known.values[a])
		return numbers, true, err
	}
	if now, err := os.Lstat(path); was && err == nil && os.SameFile(now, known.left) && now.ModTime().Equal(known.left.ModTime()) && now.Size() == known.left.Size() {
		numbers, err := numbersOf(a, known.values[a])
		return numbers, true, err
	}
	if _, err := s.useOffice(job); err != nil {
		return nil, true, err
	}
	values, err := s.ask(ctx, request{File: path, Get: [][5]any{getOf(a)}, Once: true})
	if err != nil {
		return nil, true, failedIn(file, err)
	}
	numbers, err = numbersOf(a, values[0])
	return numbers, true, err
}

// failedIn names the workbook at which a failure happened.
func failedIn(file string, err error) error {
	var failure *solver.Failure
	if errors.As(err, &failure) {
		failure.Reason = file + ": " + failure.Reason
	}
	return err
}

// cells reads one cell, or several, of a workbook that the steps left.
func (f *resultFiles) cells(out bench.Output) (curve.Curve, error) {
	address, err := workbook.ParseAddress(out.Cell)
	if err != nil {
		return curve.Curve{}, err
	}
	if numbers, asked, err := f.byOffice(out.File, address); asked {
		if err != nil {
			return curve.Curve{}, fmt.Errorf("in %s: %w", out.File, err)
		}
		return curve.Curve{Y: numbers}, nil
	}
	book, err := f.book(out.File)
	if err != nil {
		return curve.Curve{}, err
	}
	if differs := f.differs(book, out.File, address); differs != "" {
		return curve.Curve{}, fmt.Errorf("in %s: %s", out.File, differs)
	}
	numbers, err := book.Numbers(address)
	if err != nil {
		return curve.Curve{}, fmt.Errorf("in %s: %w", out.File, err)
	}
	return curve.Curve{Y: numbers}, nil
}

// differs says why the bench does not calculate cells of a workbook that a step has made otherwise than by setting cells; ""
// where it does.
func (f *resultFiles) differs(book *workbook.Book, file string, a workbook.Address) string {
	if f.has(file) {
		return "" // it was compared as it was saved
	}
	if differs := book.Compare([]workbook.Address{a}); differs != "" {
		return differs + ": add a step workbook: " + file + " with by: libreoffice, or let the program that writes it store what it calculates"
	}
	return ""
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
