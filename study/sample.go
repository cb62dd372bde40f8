package study

import (
	"context"
	"fmt"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/result"
)

var sampleKind = kind{name: "sample", prepare: prepareSample, budget: func(a *Asked) int { return a.Study.Settings.(*bench.Sample).Points }, run: sample}

// pointsOfAnInput is how many points a sample has for each varied input where it names no number.
const pointsOfAnInput = 10

// mostCoordinates bounds a plan: a Latin hypercube of so many takes a quarter of a gigabyte.
const mostCoordinates = 1 << 26

func prepareSample(a *Asked) error {
	settings := *a.Study.Settings.(*bench.Sample)
	a.Study.Settings = &settings
	switch budget := a.Study.Budget.Evaluations; {
	case a.Question.Evaluations > 0:
		settings.Points = a.Question.Evaluations
	case settings.Points == 0:
		settings.Points = pointsOfAnInput * len(a.varies)
		fallthrough
	case budget > 0:
		if budget > 0 {
			settings.Points = min(settings.Points, budget)
		}
	}
	if err := a.mustVary(); err != nil {
		return err
	}
	if most := mostCoordinates / len(a.varies); settings.Points > most {
		return fmt.Errorf("a sample of %d varied inputs has at most %d points, and %d are asked: ask in several runs with other seeds", len(a.varies), most, settings.Points)
	}
	if settings.Plan == "sobol" && len(a.varies) > plan.MaxSobolInputs {
		return fmt.Errorf("a Sobol' sequence is available for at most %d inputs, and %d are varied: use a Latin hypercube", plan.MaxSobolInputs, len(a.varies))
	}
	return nil
}

// mustVary refuses a study without an input that moves.
func (a *Asked) mustVary() error {
	if len(a.varies) == 0 {
		return fmt.Errorf("study %s varies nothing: give an input a range, values or a catalog, or hold fewer", a.Study.Name)
	}
	return nil
}

// askedTogether is how many points are asked at a time.
const askedTogether = 1 << 13

func sample(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Sample)
	next, err := plan.Plans[settings.Plan](ctx, plan.NewRand(s.Study.Seed), settings.Points, s.Problem.Space.Levels())
	if err != nil {
		return "", err
	}
	evaluator := s.Problem.Over(s.evaluator)
	made := result.Sample{Plan: settings.Plan}
	for asked := 0; asked < settings.Points; asked += askedTogether {
		designs := make([]core.Design, min(askedTogether, settings.Points-asked))
		for i := range designs {
			designs[i] = s.Problem.Space.Design(next())
		}
		outcomes, err := evaluator.Evaluate(ctx, designs)
		if err != nil {
			return "", err
		}
		s.count(&made, outcomes)
		s.enter(func(p *result.Parts) { p.Sample = &made })
	}
	if made.Designs < made.Points {
		return fmt.Sprintf("all %d points of the plan are answered; %d of them are different designs", made.Points, made.Designs), nil
	}
	return fmt.Sprintf("all %d points of the plan are answered", made.Points), nil
}

func (s *session) count(made *result.Sample, outcomes []core.Outcome) {
	for _, outcome := range outcomes {
		made.Points++
		if outcome.Repeated {
			continue
		}
		made.Designs++
		if outcome.State == core.OK {
			made.Usable++
			if s.Model.Feasible(outcome.Values) {
				made.Feasible++
			}
		}
	}
}
