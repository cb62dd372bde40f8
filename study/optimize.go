package study

import (
	"context"
	"math"

	"ropebench/bench"
	"ropebench/core/optimize"
	"ropebench/result"
)

var optimizeKind = kind{name: "optimize", best: bestOfAll, prepare: prepareOptimize, budget: func(a *Asked) int { return a.Study.Budget.Evaluations }, run: search}

// evaluationsOfASearch is the budget of a search that names none, neither evaluations nor time.
const evaluationsOfASearch = 200

func prepareOptimize(a *Asked) error {
	if !a.Study.Budget.Bounded() {
		a.Study.Budget.Evaluations = evaluationsOfASearch
	}
	return a.mustVary()
}

func search(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Optimize)
	start := settings.Start.Values
	if s.Question.Start != nil {
		start = s.Question.Start
	}
	method := settings.Methods[0]
	options := optimize.Options{Seed: s.Study.Seed, Budget: s.Study.Budget.Evaluations, Start: s.Problem.Part(s.Model.Design(start)),
		Tolerance: settings.Stop.Tolerance, Plateau: settings.Stop.Plateau}
	if options.Budget == 0 {
		options.Budget = math.MaxInt // time ends it
	}
	found, err := optimize.Methods[method](ctx, s.Problem.Problem, s.Problem.Over(s.evaluator), options, s.note)
	if err != nil {
		return "", err
	}
	s.enter(func(p *result.Parts) {
		p.Search = &result.Search{Method: method, Ended: string(found.Cause), Used: found.Used, ImprovedAt: found.ImprovedAt, Says: found.Reason}
	})
	return found.Reason, nil
}
