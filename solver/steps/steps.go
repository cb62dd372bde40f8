// Package steps is the solver made of external programs: decks are filled, programs run one after the other in a
// working folder, and outputs are read from the files they leave.
package steps

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"ropebench/bench"
	"ropebench/solver"
)

// A Solver runs the steps of a bench. It may be used by several goroutines, each with a job of its own.
type Solver struct {
	bench   *bench.Bench
	content bench.Content
	steps   []step
	path    string // PATH of the programs
	reader  reader
}

// A step is a step of the bench with its decks parsed.
type step struct {
	name string
	fill *bench.Fill
	run  *bench.Run
	post *bench.Post
	book *bench.Workbook
	deck bench.Deck
	args []bench.Deck
}

// New prepares the steps of a bench whose files are in content. Programs are looked up on path.
func New(b *bench.Bench, content bench.Content, path string) (*Solver, error) {
	reader, err := newReader(b.Outputs, b.InputNames())
	if err != nil {
		return nil, err
	}
	s := &Solver{bench: b, content: content, path: path, reader: reader}
	for _, described := range b.Solver.Steps {
		prepared, err := prepare(described, content)
		if err != nil {
			return nil, err
		}
		s.steps = append(s.steps, prepared)
	}
	return s, nil
}

func prepare(described bench.Step, content bench.Content) (step, error) {
	if fill := described.Fill; fill != nil {
		deck, problems := fill.Deck(content.Files[bench.ContentPath(fill.From)].Text)
		if len(problems) > 0 {
			return step{}, problems
		}
		return step{name: "fill " + fill.To, fill: fill, deck: deck}, nil
	}
	if post := described.Post; post != nil {
		return step{name: "post to " + post.URL, post: post}, nil
	}
	if book := described.Workbook; book != nil {
		return step{name: "set cells of " + book.File, book: book}, nil
	}
	prepared := step{name: "run " + described.Run.Args[0], run: described.Run}
	for _, argument := range described.Run.Args {
		deck, problems := bench.ParseDeck(argument, []byte(argument))
		if len(problems) > 0 {
			return step{}, problems
		}
		prepared.args = append(prepared.args, deck)
	}
	return prepared, nil
}

// Written gives every text that is put into a deck or an argument.
func (s *Solver) Written(value func(name string) bench.Value) []string {
	var written []string
	for _, step := range s.steps {
		if step.post != nil {
			written = append(written, string(s.body(value)))
		}
		if step.book != nil {
			for _, set := range step.book.Set {
				written = append(written, value(set.Input).String())
			}
		}
		written = append(written, step.deck.Written(value)...)
		for _, argument := range step.args {
			written = append(written, argument.Written(value)...)
		}
	}
	return written
}

// AsWritten gives, for each name that is written anywhere, the value that the solver reads there.
func (s *Solver) AsWritten(value func(name string) bench.Value) map[string]float64 {
	written := map[string]float64{}
	for _, step := range s.steps {
		step.deck.AsWritten(value, written)
		for _, argument := range step.args {
			argument.AsWritten(value, written)
		}
	}
	return written
}

// Programs lists the files that the steps start, as far as they are found outside of the working folder.
func (s *Solver) Programs() []string {
	var programs []string
	for _, step := range s.steps {
		if step.run == nil || strings.HasPrefix(step.run.Args[0], "./") {
			continue
		}
		if found, err := lookUp(step.run.Args[0], s.path); err == nil {
			programs = append(programs, found)
		}
	}
	return programs
}

// Solve makes one evaluation in the working folder of the job.
func (s *Solver) Solve(ctx context.Context, job solver.Job) (solver.Outputs, error) {
	if err := s.copyFiles(job.Folder); err != nil {
		return solver.Outputs{}, err
	}
	var times []solver.StepTime
	for _, step := range s.steps {
		began := time.Now()
		err := s.do(ctx, step, job)
		times = append(times, solver.StepTime{Name: step.name, Elapsed: time.Since(began)})
		var failure *solver.Failure
		if errors.As(err, &failure) {
			failure.Steps = times
		}
		if err != nil {
			return solver.Outputs{}, err
		}
	}
	began := time.Now()
	outputs, err := s.reader.read(job.Folder)
	times = append(times, solver.StepTime{Name: "read outputs", Elapsed: time.Since(began)})
	var failure *solver.Failure
	if errors.As(err, &failure) {
		failure.Steps = times
	}
	outputs.Steps = times
	return outputs, err
}

func (s *Solver) do(ctx context.Context, step step, job solver.Job) error {
	if step.fill != nil {
		text, err := step.deck.Fill(job.Value)
		if err != nil {
			return solver.Failed("fill %s, %s", step.fill.To, err)
		}
		return writeFile(job.Folder, step.fill.To, text, 0o644)
	}
	if step.post != nil {
		return send(ctx, step.post, s.body(job.Value), job.Folder)
	}
	if step.book != nil {
		return s.setCells(step.book, job)
	}
	args := make([]string, len(step.args))
	for i, argument := range step.args {
		text, err := argument.Fill(job.Value)
		if err != nil {
			return solver.Failed("argument %d of %s, %s", i, step.run.Args[0], err)
		}
		args[i] = string(text)
	}
	p := process{args: args, run: step.run, folder: job.Folder, path: s.path, mark: job.ID}
	return p.start(ctx)
}

// copyFiles puts the files of the bench, other than the bench file itself and decks that are filled, into the folder.
func (s *Solver) copyFiles(folder string) error {
	decks := map[string]bool{s.content.File: true}
	for _, step := range s.steps {
		if step.fill != nil {
			decks[bench.ContentPath(step.fill.From)] = true
		}
	}
	for path, file := range s.content.Files {
		if decks[path] {
			continue
		}
		mode := os.FileMode(0o644)
		if file.Executable {
			mode = 0o755
		}
		if err := writeFile(folder, path, file.Text, mode); err != nil {
			return err
		}
	}
	return nil
}

// writeFile writes below folder, whatever links an earlier step may have put there.
func writeFile(folder, path string, text []byte, mode os.FileMode) error {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return err
	}
	defer root.Close()
	if parent := filepath.Dir(path); parent != "." {
		if err := root.MkdirAll(parent, 0o755); err != nil {
			return fmt.Errorf("make the folder of %s: %w", path, err)
		}
	}
	return root.WriteFile(path, text, mode)
}
