package study

import (
	"context"
	"fmt"
	"slices"

	"ropebench/core"
	"ropebench/result"
)

// KindVerify are fresh evaluations of a candidate.
const KindVerify = "verify"

// repeatsOfNoise is how often a candidate is evaluated where the same design may give other values, and nobody says how often.
const repeatsOfNoise = 5

var verifyKind = kind{all: true,
	name: KindVerify, unnamed: true, repeats: true, best: worstOfCandidate,
	prepare: func(a *Asked) error {
		if a.Question.Repeats == 0 {
			a.Question.Repeats = 1
			if a.bench.Solver.Noisy {
				a.Question.Repeats = repeatsOfNoise
			}
		}
		return nil
	},
	budget: func(a *Asked) int {
		most := 1 + a.Question.Repeats
		if a.Question.Around {
			most += 4*len(a.bench.Varied()) + checksOfALoss*len(a.bench.Requirements)
		}
		return most
	},
	run: verify,
}

// verify evaluates the nominal design, for comparison, and then the candidate afresh as often as asked. The dispatcher of a
// verification takes from earlier runs the nominal design only.
func verify(ctx context.Context, s *session) (string, error) {
	provenance, err := s.provenance(ctx)
	if err != nil {
		return "", err
	}
	s.enter(func(p *result.Parts) { p.Provenance = provenance })
	designs := []core.Design{s.Model.Design(nil)}
	for range s.Question.Repeats {
		designs = append(designs, s.Model.Design(s.Question.Design))
	}
	outcomes, err := s.evaluator.Evaluate(ctx, designs)
	if err != nil {
		return "", err
	}
	var repeats result.Repeats
	for _, outcome := range outcomes[1:] {
		repeats.Evaluations = append(repeats.Evaluations, outcome.Number)
		if outcome.State == core.OK {
			repeats.Usable++
			if s.Model.Feasible(outcome.Values) {
				repeats.Met++
			}
		}
	}
	s.enter(func(p *result.Parts) { p.Repeats = &repeats })
	if err := s.compareWithRecorded(outcomes); err != nil {
		return "", err
	}
	if at := slices.IndexFunc(outcomes[1:], func(o core.Outcome) bool { return o.State == core.OK }); s.Question.Around && at >= 0 {
		if err := s.lookAround(ctx, designs[1], outcomes[1+at].Values); err != nil {
			return "", err
		}
	}
	return "the candidate was evaluated afresh " + times(s.Question.Repeats), nil
}

// compareWithRecorded says whether the values of the candidate are those that its run has recorded. The nominal design comes first.
func (s *session) compareWithRecorded(outcomes []core.Outcome) error {
	at := slices.IndexFunc(outcomes[1:], func(o core.Outcome) bool { return o.State == core.OK })
	if s.Question.Of == nil || at < 0 {
		return nil
	}
	recorded, sameRevision, err := s.recorded()
	if err != nil || recorded == nil {
		return err
	}
	part := comparedWith(s.Model, *s.Question.Of, recorded, outcomes[1+at].Values, outcomes[0].Values, sameRevision)
	s.enter(func(p *result.Parts) { p.Recorded = part })
	return nil
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
