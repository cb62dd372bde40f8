package service

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/bench/words"
	"ropebench/store"
)

func (s *Service) listBenches(c fiber.Ctx) error {
	benches, err := s.store.Benches()
	if err != nil {
		return err
	}
	answers := make([]api.BenchSummary, len(benches))
	for i, b := range benches {
		answers[i] = summaryOf(b)
	}
	return c.JSON(answers)
}

// putBench reads a bench file and keeps it as a new revision if it has changed.
func (s *Service) putBench(c fiber.Ctx) error {
	var body struct {
		Path string `json:"path"`
	}
	if err := readJSON(c, &body); err != nil {
		return err
	}
	name, path := strings.Clone(c.Params("bench")), filepath.Clean(body.Path)
	if !filepath.IsAbs(path) {
		return problem(fiber.StatusBadRequest, "the path of a bench file must be absolute, and %q is not", body.Path)
	}
	known, err := s.store.Bench(name)
	if err == nil && (filepath.Clean(known.Folder) != filepath.Dir(path) || known.File != filepath.Base(path)) {
		return problem(fiber.StatusConflict, "the name %s belongs to the bench in %s: give this one another name with --name", name, known.Folder)
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if err := bench.CheckName(name); err != nil {
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	b, saved, err := s.read(name, path)
	if err != nil {
		return err
	}
	return c.JSON(describe(b, saved, ""))
}

// read reads a bench file from its folder and keeps what is new.
func (s *Service) read(name, path string) (*bench.Bench, store.Bench, error) {
	b, content, err := read.Load(path)
	var mistakes bench.Problems
	if err != nil && !errors.As(err, &mistakes) {
		return nil, store.Bench{}, problem(fiber.StatusNotFound, "%s", err)
	}
	if err != nil {
		return nil, store.Bench{}, err
	}
	before, _ := s.store.Bench(name) // the zero revision if there is none
	saved, err := s.store.SaveRevision(name, filepath.Dir(path), b.Title, content)
	if err == nil && saved.Revision != before.Revision {
		s.hub.publish("bench", fiber.Map{"name": name, "revision": saved.Revision})
	}
	return b, saved, err
}

// refresh is the newest revision of a bench, after a look into its folder. Mistakes there are returned beside it.
func (s *Service) refresh(name string) (b *bench.Bench, saved store.Bench, mistakes bench.Problems, err error) {
	saved, err = s.store.Bench(name)
	if err != nil {
		return nil, saved, nil, err
	}
	b, now, err := s.read(name, filepath.Join(saved.Folder, saved.File))
	if err == nil {
		return b, now, nil, nil
	}
	var missing api.Problem
	switch {
	case errors.As(err, &mistakes):
	case errors.As(err, &missing) || errors.Is(err, fs.ErrNotExist):
		mistakes = bench.Problems{{File: saved.File, Line: 1, Message: err.Error()}}
	default:
		return nil, saved, nil, err
	}
	b, err = s.revision(name, saved.Revision)
	return b, saved, mistakes, err
}

func (s *Service) revision(name string, number int) (*bench.Bench, error) {
	content, err := s.store.Content(name, number)
	if err != nil {
		return nil, err
	}
	return read.Parse(content)
}

func (s *Service) getBench(c fiber.Ctx) error {
	name := strings.Clone(c.Params("bench"))
	if asked := c.Query("revision"); asked != "" {
		number, err := strconv.Atoi(asked)
		if err != nil {
			return problem(fiber.StatusBadRequest, "revision must be a number, not %q", asked)
		}
		b, err := s.revision(name, number)
		if err != nil {
			return err
		}
		saved, err := s.store.Bench(name)
		saved.Revision = number
		if err != nil {
			return err
		}
		return c.JSON(describe(b, saved, c.Query("study")))
	}
	b, saved, mistakes, err := s.refresh(name)
	if err != nil {
		return err
	}
	answer := describe(b, saved, c.Query("study"))
	answer.Problems = mistakes
	return c.JSON(answer)
}

func (s *Service) getChanges(c fiber.Ctx) error {
	from, fromErr := strconv.Atoi(c.Query("from"))
	to, toErr := strconv.Atoi(c.Query("to"))
	if fromErr != nil || toErr != nil {
		return problem(fiber.StatusBadRequest, "from and to must be numbers of revisions")
	}
	changes, err := s.changes(strings.Clone(c.Params("bench")), from, to)
	if err != nil {
		return err
	}
	return c.JSON(changes)
}

// changes says in words what is different between two revisions.
func (s *Service) changes(name string, from, to int) ([]string, error) {
	older, err := s.parsed(name, from)
	if err != nil {
		return nil, err
	}
	newer, err := s.parsed(name, to)
	if err != nil {
		return nil, err
	}
	return newer.since(older), nil
}

// A parsedRevision is a revision with its content and what that says.
type parsedRevision struct {
	bench   *bench.Bench
	content bench.Content
}

func (s *Service) parsed(name string, number int) (parsedRevision, error) {
	content, err := s.store.Content(name, number)
	if err != nil {
		return parsedRevision{}, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return parsedRevision{}, fmt.Errorf("revision %d: %w", number, err)
	}
	return parsedRevision{b, content}, nil
}

// since says in words what changed from an older revision to this one.
func (r parsedRevision) since(older parsedRevision) []string {
	return append([]string{}, words.Changes(older.bench, r.bench, older.content, r.content)...)
}
