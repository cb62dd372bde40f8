package study

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/sensitivity"
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

// roundsUntil is how many rounds of sampling there are where only their end is named.
const roundsUntil = 4

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

func byCorrelation(ctx context.Context, s *session) (string, error) {
	designs, err := s.spread(ctx, plan.LatinHypercube, []int{s.settingsOfSensitivity().Points})
	if err != nil {
		return "", err
	}
	c := s.collect()
	if _, err := c.ask(ctx, designs); err != nil {
		return "", err
	}
	x := c.explorer()
	return fmt.Sprintf("all %s are answered", plain.Count(len(designs), "point")), s.enterSensitivities(x, x.Correlation)
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

// timesShown is how often indices are written down while their plan is asked.
const timesShown = 16

func bySobolIndices(ctx context.Context, s *session) (string, error) {
	p := sensitivity.NewVariancePlan(s.Problem.Space, s.Study.Seed, s.settingsOfSensitivity().Points)
	next, err := p.Points(ctx)
	if err != nil {
		return "", err
	}
	x := s.collect().explorer()
	names := s.asked(x)
	values := make([]core.Matrix, len(names))
	for k := range names {
		values[k] = core.NewMatrix(p.Base(), p.Block())
		for i := range values[k].Data {
			values[k].Data[i] = math.NaN()
		}
	}
	evaluator := s.Problem.Over(s.evaluator)
	together := max(1, askedTogether/p.Block())
	shown := 0 // base points up to which the indices are written down
	for from := 0; from < p.Base(); from += together {
		to := min(from+together, p.Base())
		var designs []core.Design
		for range to - from {
			block, err := next()
			if err != nil {
				return "", err
			}
			designs = append(designs, block...)
		}
		outcomes, err := evaluator.Evaluate(ctx, designs)
		if err != nil {
			return "", err
		}
		for i, o := range outcomes {
			if o.State != core.OK {
				continue
			}
			for k, name := range names {
				values[k].Row(from + i/p.Block())[i%p.Block()] = o.Values[s.Model.Column(name)]
			}
		}
		if to < p.Base() && to-shown < p.Base()/timesShown {
			continue
		}
		shown = to
		known := map[string]result.Sensitivity{}
		for k, name := range names {
			indices, err := p.Indices(values[k].Slice(0, to))
			known[name] = x.Indices(name, indices, err, to)
		}
		s.enter(func(p *result.Parts) { p.Sensitivity = known })
	}
	return fmt.Sprintf("all %s of the plan are answered, %d evaluations each", plain.Count(p.Base(), "base point"), p.Block()), nil
}

func byElementaryEffects(ctx context.Context, s *session) (string, error) {
	d := len(s.Problem.Space)
	walks := sensitivity.Trajectories(s.Problem.Space, s.Study.Seed, s.settingsOfSensitivity().Points)
	var designs []core.Design
	for _, walk := range walks {
		designs = append(designs, walk.Designs...)
	}
	outcomes, err := s.Problem.Over(s.evaluator).Evaluate(ctx, designs)
	if err != nil {
		return "", err
	}
	x := s.collect().explorer()
	return fmt.Sprintf("all %s are answered", plural(len(walks), "trajectory", "trajectories")), s.enterSensitivities(x, func(name string) (result.Sensitivity, error) {
		values, at := make([][]float64, len(walks)), 0
		column := s.Model.Column(name)
		for k, walk := range walks {
			for range walk.Designs {
				v := math.NaN()
				if outcomes[at].State == core.OK {
					v = outcomes[at].Values[column]
				}
				values[k] = append(values[k], v)
				at++
			}
		}
		return x.Effects(name, sensitivity.ElementaryEffects(d, s.Study.Seed, walks, values)), nil
	})
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return plain.Whole(n) + " " + many
}

// stepOfGradient is how far the designs about another stand from it, in ranges, where no exact derivative is known.
const stepOfGradient = 0.01

func byGradient(ctx context.Context, s *session) (string, error) {
	at := s.Problem.Part(s.about(s.settingsOfSensitivity().About))
	x := s.collect().explorer()
	evaluator := s.Problem.Over(s.evaluator)
	if exact, knows := evaluator.(core.Differentiator); knows {
		outcomes, derivatives, err := exact.Differentiate(ctx, []core.Design{at})
		if err != nil {
			return "", err
		}
		if outcomes[0].State != core.OK {
			return "the design could not be evaluated", nil
		}
		if derivatives[0] != nil {
			return "the derivatives are exact", s.enterSensitivities(x, func(name string) (result.Sensitivity, error) {
				return x.Slopes(name, s.exactSlopes(at, derivatives[0].Row(s.Model.Column(name))), true), nil
			})
		}
	}
	probes := sensitivity.Probes(s.Problem.Space, at, stepOfGradient)
	designs := []core.Design{at}
	for _, p := range probes {
		designs = append(designs, p.Below, p.Above)
	}
	outcomes, err := evaluator.Evaluate(ctx, designs)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("differences over %s of each range", plain.Show(2*stepOfGradient)), s.enterSensitivities(x, func(name string) (result.Sensitivity, error) {
		slopes := map[string]float64{}
		for k, p := range probes {
			below, above := outcomes[1+2*k], outcomes[2+2*k]
			if below.State == core.OK && above.State == core.OK {
				column := s.Model.Column(name)
				slopes[s.Problem.Space[p.Input].Name] = p.Slope(below.Values[column], above.Values[column])
			}
		}
		return x.Slopes(name, slopes, false), nil
	})
}

// exactSlopes are derivatives by the range of each input, where they are known.
func (s *session) exactSlopes(at core.Design, derivatives []float64) map[string]float64 {
	slopes := map[string]float64{}
	for j, in := range s.Problem.Space {
		if !math.IsNaN(derivatives[j]) && !in.Unordered {
			slopes[in.Name] = sensitivity.Ranged(in, at[j], derivatives[j])
		}
	}
	return slopes
}

// bySurrogate samples in rounds: each begins with what the surfaces of the last one do not know.
func bySurrogate(ctx context.Context, s *session) (string, error) {
	settings := s.settingsOfSensitivity()
	stages := stagesOf(settings.Points, settings.Rounds, surrogate.Least(len(s.varies)))
	first := plan.MaximinLatinHypercube
	if stages[0] > plan.MostMaximin {
		first = plan.LatinHypercube
	}
	designs, err := s.spread(ctx, first, stages[:1])
	if err != nil {
		return "", err
	}
	c := s.collect()
	rounds := result.Rounds{}
	for k := range stages {
		s.note(fmt.Sprintf("round %d of at most %d: %d points", k+1, len(stages), len(designs)))
		if _, err := c.ask(ctx, designs); err != nil {
			return "", err
		}
		s.note(fmt.Sprintf("round %d of at most %d: fitting surrogates", k+1, len(stages)))
		x := c.explorer()
		round, wishes, err := s.look(ctx, c, x)
		if err != nil {
			return "", err
		}
		last := k == len(stages)-1
		round.Says = s.saysOfRound(wishes, last)
		rounds.Rounds = append(rounds.Rounds, round)
		rounds.Says = round.Says
		now := rounds
		s.enter(func(p *result.Parts) { p.Rounds = &now })
		if last || settings.Until.Q2 > 0 && len(wishes) == 0 {
			if err := s.enterSensitivities(x, func(name string) (result.Sensitivity, error) { return x.Sensitivity(ctx, name) }); err != nil {
				return "", err
			}
			return rounds.Says, nil
		}
		if designs, err = s.further(ctx, k, wishes, stages); err != nil {
			return "", err
		}
	}
	return rounds.Says, nil
}

// stagesOf parts points into rounds: the first has about two shares, and enough for a fit.
func stagesOf(points, rounds, least int) []int {
	first := points
	if rounds > 1 {
		first = min(points, max(least, (2*points+rounds)/(rounds+1)))
	}
	stages := []int{first}
	for left, k := points-first, rounds-1; left > 0 && k > 0; k-- {
		stages = append(stages, (left+k-1)/k)
		left -= stages[len(stages)-1]
	}
	return stages
}

// A wish is a value that is not predicted well enough yet; without a surface where there is none.
type wish struct {
	name    string
	surface *surrogate.Surrogate
	limits  []float64
}

// look fits the values that are asked about, and says which are to be known better.
func (s *session) look(ctx context.Context, c *collection, x *explore.Explorer) (result.Round, []wish, error) {
	round := result.Round{Points: len(c.evaluations), Usable: c.usable(), Q2: map[string]float64{}}
	until := s.settingsOfSensitivity().Until.Q2
	var wishes []wish
	for _, name := range s.asked(x) {
		surface, _, err := x.Surface(ctx, name)
		switch {
		case ctx.Err() != nil:
			return round, nil, ctx.Err()
		case err != nil && round.Usable >= surrogate.Least(len(s.varies)):
			continue // it is the same everywhere
		case err != nil:
			wishes = append(wishes, wish{name: name})
			continue
		}
		round.Q2[name] = surface.Q2
		if until == 0 || surface.Q2 < until {
			wishes = append(wishes, wish{name, surface, s.limitsOf(name)})
		}
	}
	return round, wishes, nil
}

// limitsOf are the limits of requirements on a value.
func (s *session) limitsOf(name string) []float64 {
	var limits []float64
	for _, t := range s.Model.Targets {
		if s.Model.Columns[t.Column].Name != name {
			continue
		}
		for _, limit := range []float64{t.Limit.Lower, t.Limit.Upper} {
			if !math.IsInf(limit, 0) {
				limits = append(limits, limit)
			}
		}
	}
	return limits
}

// saysOfRound says why sampling goes on, or ended.
func (s *session) saysOfRound(wishes []wish, last bool) string {
	until := s.settingsOfSensitivity().Until.Q2
	var names []string
	for _, w := range wishes {
		if w.surface == nil {
			names = append(names, w.name)
		} else {
			names = append(names, fmt.Sprintf("%s (%s)", w.name, plain.Show(math.Floor(w.surface.Q2*1000)/1000)))
		}
	}
	missing := strings.Join(names[:min(len(names), 4)], ", ")
	if len(names) > 4 {
		missing += fmt.Sprintf(" and %d more", len(names)-4)
	}
	switch {
	case until == 0 && last:
		return "all points are answered"
	case until == 0:
		return "goes on where the predictions are least sure"
	case len(wishes) == 0:
		return fmt.Sprintf("ended, since every value is predicted with a Q² of at least %s", plain.Show(until))
	case last:
		return fmt.Sprintf("ended with its points, and Q² is not %s for %s: take more points, narrower ranges, or hold inputs that do not matter", plain.Show(until), missing)
	}
	return fmt.Sprintf("goes on, since Q² is not %s yet for %s", plain.Show(until), missing)
}

// further chooses the points of the next round: where the surfaces know least, or spread evenly where there is none.
func (s *session) further(ctx context.Context, k int, wishes []wish, stages []int) ([]core.Design, error) {
	var known []surrogate.Wish
	for _, w := range wishes {
		if w.surface != nil {
			known = append(known, surrogate.Wish{Surface: w.surface, Limits: w.limits})
		}
	}
	if len(known) == 0 {
		designs, err := s.spread(ctx, plan.LatinHypercube, stages[:k+2])
		return designs[max(0, len(designs)-stages[k+1]):], err
	}
	return surrogate.Next(ctx, plan.NewRand(s.Study.Seed+uint64(k)+1), known, stages[k+1])
}
