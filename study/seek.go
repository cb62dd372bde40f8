package study

import (
	"context"
	"maps"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/model"
	"ropebench/result"
)

var seekKind = kind{name: "seek", best: chosen, prepare: prepareSearch, budget: budgetOfSearch, run: seek}

const (
	reachedShare = 1e-5 // of a target, within which it is reached
	reachedZero  = 1e-6 // of a target of 0
)

func nearEnough(to float64) float64 {
	if to == 0 {
		return reachedZero
	}
	return reachedShare * math.Abs(to)
}

func within(value, to float64) bool { return math.Abs(value-to) <= nearEnough(to) }

// reaching is a problem whose targets are constraints; all others are as they were.
func (s *session) reaching(p model.Problem) model.Problem {
	settings, seeks := s.Study.Settings.(*bench.Seek)
	if !seeks {
		return p
	}
	p.Constraints = slices.Clone(p.Constraints)
	for _, name := range slices.Sorted(maps.Keys(settings.Reach)) {
		to := settings.Reach[name]
		p.Constraints = append(p.Constraints, core.Constraint{Value: s.Model.Column(name), Limit: core.Limit{Lower: to - nearEnough(to), Upper: to + nearEnough(to)}, Equal: true})
	}
	return p
}

// seek reaches its targets by the least change from the start.
func seek(ctx context.Context, s *session) (string, error) {
	reach := s.Study.Settings.(*bench.Seek).Reach
	names := slices.Sorted(maps.Keys(reach))
	p := s.reaching(s.Problem)
	h := hunt{session: s, problem: p, evaluator: p.Over(s.evaluator), start: s.startOf(p), seed: s.Study.Seed}
	found, err := h.repeated(ctx)
	if err != nil {
		return "", err
	}
	if err := h.settled(ctx, found); err != nil {
		return "", err
	}
	if found.Best.Outcome.Values != nil {
		var all []result.Reached
		for _, name := range names {
			value := found.Best.Outcome.Values[s.Model.Column(name)]
			all = append(all, result.Reached{Of: name, To: reach[name], Value: value, Reached: within(value, reach[name])})
		}
		s.enter(func(p *result.Parts) { p.Reached = all })
		s.choose(found.Best.Outcome.Number, p.Whole(found.Best.Design), found.Best.Outcome.Values, nil)
	}
	return found.Reason, nil
}
