package service

import (
	"errors"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/store"
	"ropebench/study"
)

func (s *Service) listCandidates(c fiber.Ctx) error {
	kept, err := s.store.Candidates(strings.Clone(c.Query("bench")))
	if err != nil {
		return err
	}
	answer := []api.NamedCandidate{}
	for _, one := range kept {
		answer = append(answer, named(one))
	}
	return c.JSON(answer)
}

func named(c store.Candidate) api.NamedCandidate {
	return api.NamedCandidate{Bench: c.Bench, Revision: c.Revision, Picked: c.Picked,
		Pick: api.Pick{Candidate: api.Candidate{Run: c.Run, Evaluation: c.Evaluation}, Name: c.Name, Because: c.Because}}
}

// pick names a design of a run.
func (s *Service) pick(c fiber.Ctx) error {
	var order api.Pick
	if err := readJSON(c, &order); err != nil {
		return err
	}
	saved, err := s.store.Bench(strings.Clone(c.Params("bench")))
	if err != nil {
		return err
	}
	because := strings.TrimSpace(order.Because)
	switch {
	case !bench.GoodDashName.MatchString(order.Name) || len(order.Name) > mostName:
		return problem(fiber.StatusBadRequest, "the name %q of a candidate must be a letter, then letters, digits, _ and -, at most %d in all", order.Name, mostName)
	case len(because) > mostReason:
		return problem(fiber.StatusBadRequest, "a reason has at most %d characters, and this one has %d", mostReason, len(because))
	}
	q := study.Question{Of: &study.Candidate{Run: order.Run, Evaluation: order.Evaluation}}
	if err := s.takeDesign(saved.Name, &q); err != nil {
		return err
	}
	run, err := s.runs.Run(order.Run)
	if err != nil {
		return err
	}
	record, err := s.store.Evaluation(order.Run, q.Of.Evaluation)
	if err != nil {
		return err
	}
	if record.State != core.OK {
		return problem(fiber.StatusConflict, "evaluation %d of run %d is %s: pick one that has values", record.Number, order.Run, record.State)
	}
	picked := store.Candidate{Bench: saved.Name, Name: order.Name, Run: order.Run, Evaluation: record.Number, Revision: run.Revision, Because: because, Picked: time.Now().UTC()}
	if err := s.store.Pick(picked); errors.Is(err, store.ErrNameTaken) {
		return problem(fiber.StatusConflict, "%s: withdraw it first, or take another name", err)
	} else if err != nil {
		return err
	}
	return c.JSON(named(picked))
}

const mostName = 60 // characters of the name of a candidate

func (s *Service) withdraw(c fiber.Ctx) error {
	if err := s.store.Withdraw(strings.Clone(c.Params("bench")), strings.Clone(c.Query("name")), time.Now().UTC()); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}
