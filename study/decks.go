package study

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/solver"
	"ropebench/solver/steps"
)

// Decks are the files that the solver of a revision reads for a design, ready to be run: decks filled, the others as they are; in a folder for each
// case where there are cases. The error says that
// the solver has no decks, or cannot write a value.
func (r *Runs) Decks(ctx context.Context, benchName string, revision int, values map[string]bench.Value) (bench.Content, error) {
	content, err := r.records.Content(benchName, revision)
	if err != nil {
		return bench.Content{}, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return bench.Content{}, err
	}
	if len(b.Solver.Steps) == 0 {
		return bench.Content{}, fmt.Errorf("the solver of %s is no program: it has no decks that could be filled", benchName)
	}
	ready := bench.Content{Files: map[string]bench.File{}}
	enter := func(folder string, values map[string]bench.Value) error {
		return withDecks(b, content, r.engine.Path, values, func(s *steps.Solver, lookup solver.Lookup) error {
			files, err := s.Ready(ctx, lookup)
			for name, file := range files {
				ready.Files[path.Join(folder, name)] = file
			}
			return err
		})
	}
	if b.OneCase == nil {
		return ready, enter("", values)
	}
	for _, in := range b.Cases {
		given := maps.Clone(values)
		maps.Copy(given, in.Values)
		if err := enter(in.Name, given); err != nil {
			return ready, err
		}
	}
	return ready, nil
}

// StandingDecks are the decks of a bench in which the numbers of its inputs stand at places, as a design would have them there, by their paths.
func (r *Runs) StandingDecks(ctx context.Context, b *bench.Bench, content bench.Content, values map[string]bench.Value) (decks map[string][]byte, err error) {
	if len(b.Solver.Steps) == 0 {
		return nil, nil
	}
	err = withDecks(b, content, r.engine.Path, values, func(s *steps.Solver, lookup solver.Lookup) (err error) {
		decks, err = s.Standing(ctx, lookup)
		return err
	})
	return decks, err
}

// withDecks does something with the steps of a bench at a design.
func withDecks(b *bench.Bench, content bench.Content, path string, values map[string]bench.Value, do func(*steps.Solver, solver.Lookup) error) error {
	b = cmp.Or(b.OneCase, b)
	a, err := Ask(b, Question{Kind: KindTry})
	if err != nil {
		return err
	}
	if err := known(b, values); err != nil {
		return err
	}
	s, err := steps.New(b, content, path)
	if err != nil {
		return err
	}
	inputs, row := core.NewMatrix(1, a.Model.Variables()), core.NewMatrix(1, len(a.Model.Names()))
	a.Model.Fill(a.Model.Design(values), inputs.Row(0))
	a.Model.Screen(inputs, row, make([]bool, 1))
	return do(s, func(name string) bench.Value { return a.Model.Value(name, inputs.Row(0), row.Row(0)) })
}
