package steps

import (
	"bytes"
	"context"
	"fmt"
	"maps"

	"ropebench/bench"
	"ropebench/solver"
)

// Ready is what stands in the working folder of an evaluation before its first program is started: decks with their blanks and places filled, workbooks with the values of the
// design, and the files that the steps read.
func (s *Solver) Ready(ctx context.Context, lookup solver.Lookup) (map[string]bench.File, error) {
	files := map[string]bench.File{}
	for path, file := range s.content.Files {
		if s.reads(path) && !s.fills(path) {
			files[path] = file
		}
	}
	for _, step := range s.steps {
		if step.fill == nil {
			continue
		}
		text, err := step.deck.Fill(lookup)
		if err != nil {
			return nil, fmt.Errorf("fill %s, %w", step.fill.To, err)
		}
		files[bench.ContentPath(step.fill.To)] = bench.File{Text: text}
	}
	books, err := s.readyBooks(ctx, lookup)
	for path, text := range books {
		files[path] = bench.File{Text: text}
	}
	return files, err
}

// Standing are the decks of the bench whose places are filled, and which have no blanks, with the numbers of a design at those places: by their
// paths in the bench. A deck from which several are made is left out. Workbooks whose cells hold other values are among them.
func (s *Solver) Standing(ctx context.Context, lookup solver.Lookup) (map[string][]byte, error) {
	made, files := map[string]int{}, map[string][]byte{}
	for _, step := range s.steps {
		if step.fill == nil {
			continue
		}
		path := bench.ContentPath(step.fill.From)
		made[path]++
		if len(step.fill.Put) == 0 || bytes.Contains(s.content.Files[path].Text, []byte("@[")) {
			continue
		}
		text, err := step.deck.Fill(lookup)
		if err != nil {
			return nil, fmt.Errorf("fill %s, %w", path, err)
		}
		files[path] = text
	}
	for path, count := range made {
		if count > 1 {
			delete(files, path)
		}
	}
	books, err := s.standingBooks(ctx, lookup)
	maps.Copy(files, books)
	return files, err
}
