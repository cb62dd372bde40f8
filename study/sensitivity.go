package study

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
	"ropebench/explore"
	"ropebench/result"
)

var sensitivityKind = kind{name: "sensitivity", prepare: prepareSensitivity, run: askWhatMatters, budget: func(a *Asked) int {
	return a.settingsOfSensitivity().Points * callsOfAPoint[a.settingsOfSensitivity().By](len(a.varies))
}}

// callsOfAPoint is how many calls of the solver a point takes, by method, over so many inputs.
var callsOfAPoint = map[string]func(inputs int) int{
	bench.BySurrogate:         func(int) int { return 1 },
	bench.ByCorrelation:       func(int) int { return 1 },
	bench.BySobolIndices:      func(inputs int) int { return inputs + 2 },
	bench.ByElementaryEffects: func(inputs int) int { return inputs + 1 },
	bench.ByGradient:          func(inputs int) int { return 2*inputs + 1 },
}

// pointsWithout is how many points there are where a study names none; those that are not listed have ten for each varied input.
var pointsWithout = map[string]int{bench.BySobolIndices: 1024, bench.ByElementaryEffects: 20, bench.ByGradient: 1}

func (a *Asked) settingsOfSensitivity() *bench.Sensitivity {
	return a.Study.Settings.(*bench.Sensitivity)
}

// prepareSensitivity fills in how many points there are. A budget counts calls of the solver.
func prepareSensitivity(a *Asked) error {
	settings := *a.settingsOfSensitivity()
	a.Study.Settings = &settings
	if err := a.mustVary(); err != nil {
		return err
	}
	for _, name := range settings.Of {
		if a.Model.Column(name) < 0 {
			return fmt.Errorf("study %s asks about %s, which is %s: ask about a number that is read off it, such as peak(%s), by a derived value", a.Study.Name, name, a.Model.Bench.Shapes[name], name)
		}
	}
	each := callsOfAPoint[settings.By](len(a.varies))
	if settings.Points == 0 {
		settings.Points = cmp.Or(pointsWithout[settings.By], pointsOfAnInput*len(a.varies))
	}
	most := a.Study.Budget.Evaluations // that of the question, if it names one
	if most > 0 && settings.By != bench.ByGradient {
		if a.Question.Evaluations > 0 {
			settings.Points = most / each
		}
		if settings.Points = min(settings.Points, most/each); settings.Points == 0 {
			return fmt.Errorf("%s of %s takes %d evaluations for each of its points, and the budget is %d", settings.By, plain.Count(len(a.varies), "input"), each, most)
		}
	}
	if settings.Rounds == 0 {
		settings.Rounds = 1
		if settings.Until.Q2 > 0 {
			settings.Rounds = roundsUntil
		}
	}
	if limit := mostCoordinates / len(a.varies) / each; settings.Points > limit {
		return fmt.Errorf("%s of %s has at most %d points, and %d are asked", settings.By, plain.Count(len(a.varies), "input"), limit, settings.Points)
	}
	return enoughPoints(settings, len(a.varies))
}

// enoughPoints refuses a study whose points cannot answer it, and says how many would.
func enoughPoints(settings bench.Sensitivity, d int) error {
	least := map[string]int{bench.BySurrogate: surrogate.Least(d), bench.ByCorrelation: 4, bench.BySobolIndices: 2, bench.ByElementaryEffects: 2}[settings.By]
	if settings.Points < least {
		return fmt.Errorf("%s over %s needs at least %d points, and has %d: %d would do", settings.By, plain.Count(d, "input"), least, settings.Points, max(least, pointsOfAnInput*d))
	}
	return nil
}

func askWhatMatters(ctx context.Context, s *session) (string, error) {
	switch s.settingsOfSensitivity().By {
	case bench.ByCorrelation:
		return byCorrelation(ctx, s)
	case bench.BySobolIndices:
		return bySobolIndices(ctx, s)
	case bench.ByElementaryEffects:
		return byElementaryEffects(ctx, s)
	case bench.ByGradient:
		return byGradient(ctx, s)
	}
	return bySurrogate(ctx, s)
}

// asked are the values that a study of what matters is about.
func (s *session) asked(x *explore.Explorer) []string {
	if of := s.settingsOfSensitivity().Of; len(of) > 0 {
		return of
	}
	return x.ValueNames()
}

// A collection has the outcomes of a study as they come.
type collection struct {
	session     *session
	evaluator   core.Evaluator
	evaluations []explore.Evaluation
	counted     map[int]bool
}

func (s *session) collect() *collection {
	return &collection{session: s, evaluator: s.Problem.Over(s.evaluator), counted: map[int]bool{}}
}

// ask evaluates designs, and keeps each evaluation once.
func (c *collection) ask(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := c.evaluator.Evaluate(ctx, designs)
	for i, o := range outcomes {
		if !c.counted[o.Number] {
			c.counted[o.Number] = true
			e := explore.Evaluation{Number: o.Number, State: o.State, Design: designs[i]}
			if o.State == core.OK {
				e.Values = slices.Clone(o.Values)
			}
			c.evaluations = append(c.evaluations, e)
		}
	}
	return outcomes, err
}

// explorer is over what there is up to now.
func (c *collection) explorer() *explore.Explorer {
	s := c.session
	return explore.New(explore.Subject{Model: s.Model, Problem: s.Problem, Seed: s.Study.Seed, Evaluations: slices.Clone(c.evaluations)})
}

func (c *collection) usable() int {
	n := 0
	for _, e := range c.evaluations {
		if e.State == core.OK {
			n++
		}
	}
	return n
}

// enterSensitivities writes down what is found of each value.
func (s *session) enterSensitivities(x *explore.Explorer, of func(name string) (result.Sensitivity, error)) error {
	all := map[string]result.Sensitivity{}
	for _, name := range s.asked(x) {
		found, err := of(name)
		if err != nil {
			return err
		}
		all[name] = found
	}
	s.enter(func(p *result.Parts) { p.Sensitivity = all })
	return nil
}

// spread gives all designs of a plan.
func (s *session) spread(ctx context.Context, of plan.Plan, stages []int) ([]core.Design, error) {
	point, err := of(ctx, plan.NewRand(s.Study.Seed), stages, s.Problem.Space.Levels())
	designs := make([]core.Design, sum(stages))
	for i := range designs {
		if err != nil {
			return nil, err
		}
		var u []float64
		if u, err = point(); err == nil {
			designs[i] = s.Problem.Space.Design(u)
		}
	}
	return designs, err
}
