package service

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/store"
	"ropebench/study"
)

func problem(status int, format string, args ...any) error {
	return api.Problem{Title: http.StatusText(status), Status: status, Detail: fmt.Sprintf(format, args...)}
}

// asProblem finds the status that fits an error.
func asProblem(err error) api.Problem {
	var ready api.Problem
	var mistakes bench.Problems
	var state study.WrongState
	var question study.BadQuestion
	var fiberError *fiber.Error
	switch {
	case errors.As(err, &ready):
		return ready
	case errors.As(err, &mistakes):
		return api.Problem{Title: "Mistakes in the bench", Status: http.StatusUnprocessableEntity, Detail: err.Error(), Problems: mistakes}
	case errors.Is(err, store.ErrNotFound):
		return api.Problem{Title: "Not found", Status: http.StatusNotFound, Detail: err.Error()}
	case errors.As(err, &state):
		return api.Problem{Title: "Wrong state", Status: http.StatusConflict, Detail: err.Error()}
	case errors.As(err, &question):
		return api.Problem{Title: http.StatusText(http.StatusBadRequest), Status: http.StatusBadRequest, Detail: err.Error()}
	case errors.As(err, &fiberError):
		return api.Problem{Title: http.StatusText(fiberError.Code), Status: fiberError.Code, Detail: fiberError.Message}
	}
	return api.Problem{Title: "Something is in the way", Status: http.StatusInternalServerError, Detail: err.Error()}
}

// fail writes an error as problem details.
func (s *Service) fail(c fiber.Ctx, err error) error {
	p := asProblem(err)
	if p.Status >= http.StatusInternalServerError {
		s.config.Log.Error("request failed", "path", c.Path(), "error", err)
	}
	text, err := json.Marshal(p)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "application/problem+json")
	return c.Status(p.Status).Send(text)
}
