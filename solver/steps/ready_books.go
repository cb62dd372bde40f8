package steps

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/solver"
)

// readyBooks are the workbooks of the steps with the values of a design, recalculated: by LibreOffice as it saves them. Where the bench itself calculates, a spreadsheet program
// recalculates the workbook when it opens it; what the outputs read is written beside it until then.
func (s *Solver) readyBooks(ctx context.Context, lookup solver.Lookup) (files map[string][]byte, err error) {
	folder, err := os.MkdirTemp("", "ropebench-books-")
	if err != nil {
		return nil, err
	}
	one := &session{Solver: s, folder: filepath.Join(folder, "session"), calculated: map[string]calculated{}}
	defer func() { err = errors.Join(err, one.Close(), os.RemoveAll(folder)) }()
	files = map[string][]byte{}
	job := solver.Job{ID: filepath.Base(folder), Folder: filepath.Join(folder, "work"), Keep: true, Lookup: lookup}
	for _, step := range s.steps {
		if step.book == nil {
			continue
		}
		if err := errors.Join(os.MkdirAll(one.folder, 0o700), os.MkdirAll(job.Folder, 0o700)); err != nil {
			return nil, err
		}
		if err := one.setCells(ctx, step.book, job); err != nil {
			return nil, err
		}
		path := bench.ContentPath(step.book.File)
		if files[path], err = os.ReadFile(filepath.Join(job.Folder, filepath.FromSlash(step.book.File))); err != nil {
			return nil, err
		}
		if step.book.By == workbook.ByBuiltIn {
			if files[path+".results.txt"], err = s.resultsOf(step.book.File, files[path]); err != nil {
				return nil, err
			}
		}
	}
	return files, nil
}

// resultsOf writes down what the cells that outputs read come to.
func (s *Solver) resultsOf(file string, text []byte) ([]byte, error) {
	book, err := workbook.Open(text)
	if err != nil {
		return nil, err
	}
	defer book.Close()
	says := []string{file + " is recalculated by the spreadsheet program that opens it. Its cells come to:"}
	for _, a := range s.bench.CellsOf(file) {
		numbers, err := book.Numbers(a)
		if err != nil {
			says = append(says, err.Error())
			continue
		}
		for i, number := range numbers {
			says = append(says, fmt.Sprintf("%s\t%.17g", a.At(i), number))
		}
	}
	return []byte(strings.Join(says, "\n") + "\n"), nil
}

// standingBooks are those whose cells hold something else than a design has, with its values.
func (s *Solver) standingBooks(ctx context.Context, lookup solver.Lookup) (map[string][]byte, error) {
	stale := map[string]bool{}
	for _, step := range s.steps {
		if step.book == nil {
			continue
		}
		path := bench.ContentPath(step.book.File)
		if workbook.OfficeOnly(path) {
			stale[path] = true
			continue
		}
		book, err := workbook.Open(s.content.Files[path].Text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		for _, set := range step.book.Set {
			value := lookup(set.Input)
			stale[path] = stale[path] || !book.Holds(set.Cell, value.Number, value.Word)
		}
		if err := book.Close(); err != nil {
			return nil, err
		}
	}
	if !anyOf(stale) {
		return nil, nil
	}
	all, err := s.readyBooks(ctx, lookup)
	for path := range all {
		if !stale[path] {
			delete(all, path)
		}
	}
	return all, err
}

func anyOf(which map[string]bool) bool {
	for _, is := range which {
		if is {
			return true
		}
	}
	return false
}
