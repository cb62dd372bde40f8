package service

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/study"
)

// readJSON reads the body of a request strictly.
func readJSON(c fiber.Ctx, into any) error {
	decoder := json.NewDecoder(bytes.NewReader(bytes.Clone(c.Body())))
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(into); err != nil {
		return problem(fiber.StatusBadRequest, "the body of the request cannot be read: %s", err)
	}
	return nil
}

func (s *Service) startRun(c fiber.Ctx) error {
	var o api.Order
	if err := readJSON(c, &o); err != nil {
		return err
	}
	name := strings.Clone(c.Params("bench"))
	b, revision, err := s.ordered(name, o)
	if err != nil {
		return err
	}
	q, err := s.question(name, b, o)
	if err != nil {
		return err
	}
	run, err := s.runs.Start(name, revision, q)
	if err != nil {
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	s.tell(run)
	return c.Status(fiber.StatusCreated).JSON(shownRun(run))
}

// ordered is the revision that an order is about. A bench whose files have mistakes now cannot be run: a stale model
// would be.
func (s *Service) ordered(name string, o api.Order) (*bench.Bench, int, error) {
	if o.Revision > 0 {
		b, err := s.revision(name, o.Revision)
		return b, o.Revision, err
	}
	b, saved, mistakes, err := s.refresh(name)
	if err == nil && len(mistakes) > 0 {
		err = mistakes
	}
	return b, saved.Revision, err
}

func (s *Service) question(name string, b *bench.Bench, o api.Order) (study.Question, error) {
	q := study.Question{Kind: o.Study, Study: o.Study, Evaluations: o.Evaluations, Hold: o.Hold, Free: o.Free, Fresh: o.Fresh,
		Design: o.Design, Repeats: o.Repeats, Around: o.Around, Slots: o.Slots, Of: (*study.Candidate)(o.Of), Start: o.Start, Seed: 1}
	if o.Slots < 0 {
		return q, problem(fiber.StatusBadRequest, "slots must be above 0, or left out")
	}
	if o.Around && o.Study != study.KindVerify {
		return q, problem(fiber.StatusBadRequest, "around belongs to a verification: study: verify")
	}
	if o.Keep != "" {
		if o.Study != study.KindTry && o.Study != study.KindVerify {
			return q, problem(fiber.StatusBadRequest, "keep belongs to one evaluation or a verification: study: try, or verify")
		}
		if err := emptyFolder(o.Keep); err != nil {
			return q, err
		}
		q.Keep, q.Fresh = o.Keep, true // what is known has no working folder any more
	}
	if found, ok := b.Study(o.Study); ok {
		q.Kind, q.Seed = found.Kind, found.Seed
	}
	if o.Seed != nil {
		q.Seed = *o.Seed
	}
	switch {
	case q.Kind == study.KindVerify && q.Of == nil && q.Design == nil:
		return q, problem(fiber.StatusBadRequest, "a verification needs a candidate: of, with run and evaluation, or design")
	case (q.Of != nil || q.Start != nil) && !begins(b, o.Study) && q.Kind != study.KindVerify && q.Kind != study.KindTry:
		return q, problem(fiber.StatusBadRequest, "%s has no beginning: only a search, or a study of scatter, can start at another design", o.Study)
	case q.Start != nil && (q.Kind == study.KindVerify || q.Kind == study.KindTry):
		return q, problem(fiber.StatusBadRequest, "start belongs to a search: one evaluation and a verification have a design")
	case q.Of != nil && begins(b, o.Study):
		start := q.Start
		if err := s.takeDesign(name, &q); err != nil {
			return q, err
		}
		q.Start, q.Design = q.Design, nil
		maps.Copy(q.Start, start)
		return q, nil
	case q.Of != nil:
		return q, s.takeDesign(name, &q)
	}
	return q, nil
}

// begins is true for a study that starts from a design, or is about one.
func begins(b *bench.Bench, name string) bool {
	found, is := b.Study(name)
	if !is {
		return false
	}
	_, scatters := found.Settings.(*bench.Uncertainty)
	return scatters || found.Search() != nil
}

// emptyFolder makes sure that nothing is overwritten.
func emptyFolder(path string) error {
	if !filepath.IsAbs(path) {
		return problem(fiber.StatusBadRequest, "the folder to keep files in must be an absolute path, and %q is not", path)
	}
	entries, err := os.ReadDir(path)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return problem(fiber.StatusBadRequest, "the folder %s cannot be used: %s", path, err)
	}
	if len(entries) > 0 {
		return problem(fiber.StatusConflict, "the folder %s is not empty: name another one to keep files in", path)
	}
	return nil
}

// takeDesign takes the design from the evaluation that a question is of; what the question says of a design itself comes above it.
func (s *Service) takeDesign(name string, q *study.Question) error {
	run, err := s.runs.Run(q.Of.Run)
	if err != nil {
		return err
	}
	if run.Bench != name {
		return problem(fiber.StatusBadRequest, "run %d is of the bench %s: its designs belong there, not to %s", run.ID, run.Bench, name)
	}
	if q.Of.Evaluation == 0 {
		if run.Headline == nil {
			return problem(fiber.StatusConflict, "run %d has no best design: name one of its evaluations", run.ID)
		}
		q.Of.Evaluation = run.Headline.Evaluation
	}
	record, err := s.store.Evaluation(run.ID, q.Of.Evaluation)
	if err != nil {
		return err
	}
	r, err := s.reading(run)
	if err != nil {
		return err
	}
	design := r.model.Values(record.Design)
	maps.Copy(design, q.Design)
	q.Design = design
	return nil
}

func (s *Service) listRuns(c fiber.Ctx) error {
	limit, err := number(c, "limit", 100, 1, 1000)
	if err != nil {
		return err
	}
	before, err := number(c, "before", 0, 0, 1<<31)
	if err != nil {
		return err
	}
	runs, err := s.runs.All(strings.Clone(c.Query("bench")))
	if err != nil {
		return err
	}
	answer := api.Runs{Runs: []api.Run{}}
	for _, run := range runs {
		if before > 0 && run.ID >= before {
			continue
		}
		if len(answer.Runs) == limit {
			answer.Next = answer.Runs[limit-1].ID
			break
		}
		answer.Runs = append(answer.Runs, shownRun(run))
	}
	return c.JSON(answer)
}

func runNumber(c fiber.Ctx) (int, error) {
	id, err := strconv.Atoi(c.Params("run"))
	if err != nil || id < 1 {
		return 0, problem(fiber.StatusBadRequest, "a run is named by its number, not by %q", c.Params("run"))
	}
	return id, nil
}

func (s *Service) namedRun(c fiber.Ctx) (study.Run, error) {
	id, err := runNumber(c)
	if err != nil {
		return study.Run{}, err
	}
	return s.runs.Run(id)
}

func (s *Service) getRun(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	answer := shownRun(run)
	if b, err := s.revision(run.Bench, run.Revision); err == nil {
		answer.Unreliable = study.Unreliable(run, b)
	}
	if _, saved, mistakes, err := s.refresh(run.Bench); err == nil {
		answer.Newest = saved.Revision
		if saved.Revision != run.Revision {
			if answer.Changes, err = s.changes(run.Bench, run.Revision, saved.Revision); err != nil {
				return err
			}
		}
		if len(mistakes) > 0 {
			answer.Changes = append(answer.Changes, fmt.Sprintf("the files in its folder cannot be read as they are now: %s", mistakes[0]))
		}
	}
	return c.JSON(answer)
}

func (s *Service) control(act func(id int) (study.Run, error)) fiber.Handler {
	return func(c fiber.Ctx) error {
		run, err := s.namedRun(c)
		if err != nil {
			return err
		}
		if run, err = act(run.ID); err != nil {
			return err
		}
		return c.JSON(shownRun(run))
	}
}

func (s *Service) getResult(c fiber.Ctx) error {
	id, err := runNumber(c)
	if err != nil {
		return err
	}
	run, parts, err := s.runs.Result(id)
	if err != nil {
		return err
	}
	return c.JSON(shownResult(run, parts))
}

// number reads a number of the query.
func number(c fiber.Ctx, name string, otherwise, least, most int) (int, error) {
	text := c.Query(name)
	if text == "" {
		return otherwise, nil
	}
	value, err := strconv.Atoi(text)
	if err != nil || value < least || value > most {
		return 0, problem(fiber.StatusBadRequest, "%s must be a whole number from %d to %d, not %q", name, least, most, text)
	}
	return value, nil
}

// extendRun gives a sample more points.
func (s *Service) extendRun(c fiber.Ctx) error {
	var order api.More
	if err := readJSON(c, &order); err != nil {
		return err
	}
	if order.More < 1 || order.More > bench.MaxEvaluations {
		return problem(fiber.StatusBadRequest, "more is how many points are added, at least 1")
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	run, err = s.runs.Extend(run.ID, order.More)
	var wrong study.WrongState
	switch {
	case errors.As(err, &wrong):
		return err
	case err != nil:
		return problem(fiber.StatusBadRequest, "%s", err)
	}
	return c.JSON(shownRun(run))
}
