package service

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/gofiber/fiber/v3"

	"ropebench/bench"
	"ropebench/store"
	"ropebench/study"
)

// A problemError is an answer in the form of RFC 9457.
type problemError struct {
	Title    string         `json:"title"`
	Status   int            `json:"status"`
	Detail   string         `json:"detail"`
	Problems bench.Problems `json:"problems,omitempty"`
}

func (p problemError) Error() string { return p.Detail }

func problem(status int, format string, args ...any) error {
	return problemError{Title: http.StatusText(status), Status: status, Detail: fmt.Sprintf(format, args...)}
}

// asProblem finds the status that fits an error.
func asProblem(err error) problemError {
	var ready problemError
	var mistakes bench.Problems
	var fiberError *fiber.Error
	switch {
	case errors.As(err, &ready):
		return ready
	case errors.As(err, &mistakes):
		return problemError{Title: "Mistakes in the bench", Status: http.StatusUnprocessableEntity, Detail: err.Error(), Problems: mistakes}
	case errors.Is(err, store.ErrNotFound):
		return problemError{Title: "Not found", Status: http.StatusNotFound, Detail: err.Error()}
	case errors.Is(err, study.ErrWrongState):
		return problemError{Title: "Wrong state", Status: http.StatusConflict, Detail: err.Error()}
	case errors.As(err, &fiberError):
		return problemError{Title: http.StatusText(fiberError.Code), Status: fiberError.Code, Detail: fiberError.Message}
	}
	return problemError{Title: "Something is in the way", Status: http.StatusInternalServerError, Detail: err.Error()}
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
