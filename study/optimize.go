package study

import (
	"context"

	"ropebench/bench"
	"ropebench/core/optimize"
	"ropebench/result"
)

var optimizeKind = kind{name: "optimize", best: bestOfAll, prepare: prepareSearch, budget: budgetOfSearch, run: search}

func search(ctx context.Context, s *session) (string, error) {
	h := hunt{session: s, problem: s.Problem, evaluator: s.Problem.Over(s.evaluator), start: s.startOf(s.Problem), seed: s.Study.Seed}
	h.learned = h.recalled(s.Question.Learned)
	var err error
	if h.earlier, err = s.earlier(); err != nil {
		return "", err
	}
	s.enter(func(p *result.Parts) {
		p.Search = &result.Search{Method: h.methods()[0], Remarks: h.remarks(), Says: "at work"}
	})
	found, err := h.repeated(ctx)
	if err != nil {
		return "", err
	}
	if err := h.settled(ctx, found); err != nil {
		return "", err
	}
	h.reached(s.Study.Targets(), found)
	return found.Reason, nil
}

// reached enters the targets with what they came to.
func (h hunt) reached(targets []bench.Target, found optimize.Result) {
	if found.Best.Outcome.Values == nil {
		return
	}
	var all []result.Reached
	for _, t := range targets {
		value := found.Best.Outcome.Values[h.Model.Column(t.Of.Text)]
		all = append(all, result.Reached{Of: t.Of.Text, To: t.To, Value: value, Weight: t.Weight, Reached: within(value, t.To)})
	}
	h.enter(func(p *result.Parts) { p.Reached = all })
}
