package study

import (
	"context"

	"ropebench/core"
)

// KindTry is one evaluation.
const KindTry = "try"

var tryKind = kind{
	name: KindTry, unnamed: true, best: bestOfAll,
	prepare: func(*Asked) error { return nil },
	budget:  func(*Asked) int { return 1 },
	run: func(ctx context.Context, s *session) (string, error) {
		_, err := s.evaluator.Evaluate(ctx, []core.Design{s.Model.Design(s.Question.Design)})
		return "one design was evaluated", err
	},
}
