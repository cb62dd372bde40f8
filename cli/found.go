package cli

import (
	"context"

	"ropebench/api"
	"ropebench/result"
)

// A found run is a run with what it has found.
type found struct {
	api.Run
	result.Parts
}

// found asks for the result of a run.
func (a *App) found(ctx context.Context, s *session, run api.Run) (found, error) {
	answer, err := s.Result(ctx, run.ID)
	return found{run, answer.Parts}, err
}
