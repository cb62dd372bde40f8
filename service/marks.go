package service

import (
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/core/formula"
	"ropebench/store"
)

// mostReason bounds the reason for which a point is left out.
const mostReason = 1000

func (s *Service) leaveOut(c fiber.Ctx) error {
	var order api.LeavingOut
	if err := readJSON(c, &order); err != nil {
		return err
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	r, err := s.reading(run)
	if err != nil {
		return err
	}
	if r.model.Column(order.Value) < 0 {
		var known []string
		for _, i := range r.values {
			known = append(known, r.model.Columns[i].Name)
		}
		return problem(fiber.StatusBadRequest, "%s is no value of run %d%s (known: %s)", order.Value, run.ID, formula.Suggest(order.Value, known), strings.Join(known, ", "))
	}
	record, err := s.store.Evaluation(run.ID, order.Evaluation)
	if err != nil {
		return err
	}
	design, err := designText(r.model, record.Design)
	if err != nil {
		return err
	}
	reason := strings.TrimSpace(order.Reason)
	switch {
	case len(reason) > mostReason:
		return problem(fiber.StatusBadRequest, "a reason has at most %d characters, and this one has %d", mostReason, len(reason))
	case reason == "":
		err = s.store.TakeBack(run.Bench, run.Question.Study, order.Value, design)
	default:
		err = s.store.LeaveOut(run.Bench, run.Question.Study, store.LeftOut{Value: order.Value, Design: design, Run: run.ID, Evaluation: order.Evaluation, Reason: reason})
	}
	if err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Service) listSelections(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	kept, err := s.store.Selections(run.ID)
	if err != nil {
		return err
	}
	answer := []api.Selection{}
	for _, one := range kept {
		answer = append(answer, api.Selection(one))
	}
	return c.JSON(answer)
}

// keepSelection keeps evaluations under a name.
func (s *Service) keepSelection(c fiber.Ctx) error {
	var order api.Selection
	if err := readJSON(c, &order); err != nil {
		return err
	}
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	name := strings.TrimSpace(order.Name)
	if name == "" || len(name) > 100 {
		return problem(fiber.StatusBadRequest, "a selection needs a name of at most 100 characters")
	}
	written, err := s.store.CountEvaluations(run.ID)
	if err != nil {
		return err
	}
	if len(order.Evaluations) == 0 || len(order.Evaluations) > written || slices.Min(order.Evaluations) < 1 || slices.Max(order.Evaluations) > math.MaxInt32 {
		return problem(fiber.StatusBadRequest, "a selection has at least one evaluation of the run, and no more than it has")
	}
	if err := s.store.KeepSelection(run.ID, store.Selection{Name: name, Evaluations: order.Evaluations}); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Service) dropSelection(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	if err := s.store.DropSelection(run.ID, strings.Clone(c.Query("name"))); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}
