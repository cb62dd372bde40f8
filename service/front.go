package service

import (
	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/result"
	"ropebench/study"
)

// getFront takes the front of a run again, with other objectives or requirements.
func (s *Service) getFront(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	again, err := s.runs.Front(run.ID, study.FrontQuestion{Minimize: given(c, "minimize"), Maximize: given(c, "maximize"), Meet: given(c, "meet")})
	if err != nil {
		return err
	}
	answer := api.Front{Front: again.Front, Tradeoff: again.Tradeoff, Growth: again.Growth}
	if answer.Front == nil {
		answer.Front = []*result.Design{}
	}
	if answer.Growth == nil {
		answer.Growth = []result.Growth{}
	}
	return c.JSON(answer)
}

func (s *Service) getConvergence(c fiber.Ctx) error {
	run, err := s.namedRun(c)
	if err != nil {
		return err
	}
	convergence, err := s.runs.Convergence(run.ID)
	if err != nil {
		return err
	}
	return c.JSON(convergence)
}

// given are the values of a query parameter that may be given again and again; nil where it is not given, and empty where it is given without
// a value.
func given(c fiber.Ctx, name string) []string {
	values := c.RequestCtx().QueryArgs().PeekMulti(name)
	if len(values) == 0 {
		return nil
	}
	all := []string{}
	for _, value := range values {
		if len(value) > 0 {
			all = append(all, string(value))
		}
	}
	return all
}
