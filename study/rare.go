package study

import (
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/uncertainty"
	"ropebench/model"
	"ropebench/result"
)

const (
	pointsOfRare   = 1000 // evaluations where a study names no number
	shareOfLooking = 0.7  // of the evaluations, to find the most probable misses
	leastAbout     = 20   // draws about a design point, for a probability to be told by them
)

// rare finds the most probable miss of each requirement, and counts misses about it.
func rare(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Uncertainty)
	about, err := s.scattering(settings)
	if err != nil {
		return "", err
	}
	found := map[string]uncertainty.DesignPoint{}
	targets := s.Model.Targets
	used, counted := 0, 0
	for k, target := range targets {
		s.note("looks for the most probable miss of " + target.Called())
		left := int(shareOfLooking*float64(settings.Points)) - used
		d, err := uncertainty.FirstOrder(ctx, len(about.names), about.margins(s, target), 2*left/(len(targets)-k+1)) // one that is found early leaves more to the others
		if err != nil {
			return "", err
		}
		if found[target.Called()] = d; d.Found {
			counted++
		}
		used += d.Asked
		s.enter(func(p *result.Parts) { about.enter(p, target, d, nil) })
	}
	r := plan.NewRand(s.Study.Seed)
	for _, target := range targets {
		d := found[target.Called()]
		draws := 0
		if counted > 0 {
			draws = (settings.Points - used) / counted
		}
		if !d.Found || draws < leastAbout {
			continue
		}
		s.note("counts misses of " + target.Called() + " about the most probable one")
		miss, err := uncertainty.Importance(ctx, r, d, about.margins(s, target), draws)
		if err != nil {
			return "", err
		}
		d.Asked += draws
		s.enter(func(p *result.Parts) { about.enter(p, target, d, &miss) })
	}
	return fmt.Sprintf("the most probable miss was found for %d of %s", counted, plain.Count(len(targets), "requirement")), nil
}

// A scatteringAbout is how inputs scatter about a design.
type scatteringAbout struct {
	names  []string
	base   core.Design
	places []int // of the inputs in a design
	moves  []bench.Input
	shift  []float64
	joint  uncertainty.Joint
}

// scattering is that about the design of a study: a varied input scatters about its value there, the others as their distribution says.
func (s *session) scattering(settings *bench.Uncertainty) (a scatteringAbout, err error) {
	return s.Asked.scatteringAt(s.about(settings.At))
}

// scatteringAt is that about a design of the model.
func (a *Asked) scatteringAt(design core.Design) (about scatteringAbout, err error) {
	about = scatteringAbout{names: scattered(a)}
	for _, name := range about.names {
		place := slices.Index(a.Model.Inputs, name)
		about.places, about.moves = append(about.places, place), append(about.moves, a.Model.Input(place))
	}
	about.joint, err = a.bench.Joint(about.names)
	return about.at(design), err
}

// at is the same about another design.
func (a scatteringAbout) at(design core.Design) scatteringAbout {
	a.base, a.shift = design, make([]float64, len(a.places))
	for k, in := range a.moves {
		if in.Varied() || in.Tolerance > 0 {
			a.shift[k] = design[a.places[k]] - in.NominalNumber()
		}
	}
	return a
}

// design has what scatters at some numbers.
func (a scatteringAbout) design(numbers []float64) core.Design {
	design := slices.Clone(a.base)
	for k, place := range a.places {
		design[place] = numbers[k] + a.shift[k]
	}
	return design
}

// margins is the limit state of a requirement: NaN where the solver gives no values.
func (a scatteringAbout) margins(s *session, target model.Target) uncertainty.LimitState {
	return func(ctx context.Context, points [][]float64) ([]float64, error) {
		designs := make([]core.Design, len(points))
		for i, point := range points {
			designs[i] = a.design(a.joint.At(point))
		}
		outcomes, err := s.evaluator.Evaluate(ctx, designs)
		margins := make([]float64, len(points))
		for i := range margins {
			if margins[i] = math.NaN(); i < len(outcomes) && outcomes[i].State == core.OK {
				margins[i] = target.Limit.Margin(outcomes[i].Values[target.Column])
			}
		}
		return margins, err
	}
}

// enter tells what is known of a requirement, in the case in which a miss is most probable.
func (a scatteringAbout) enter(p *result.Parts, target model.Target, d uncertainty.DesignPoint, miss *uncertainty.Estimate) {
	if p.Rare == nil {
		p.Rare, p.Probabilities = map[string]result.Rare{}, map[string]result.Probability{}
	}
	if known, told := p.Rare[target.ID]; told && known.Case != target.Case && known.Found && (!d.Found || known.FirstOrder >= d.Probability()) {
		return // in another case a miss is more probable
	}
	part := result.Rare{Case: target.Case, Found: d.Found, Says: d.Says, Used: d.Asked, Decides: target.Decisive()}
	if d.Found {
		part.Index, part.FirstOrder = d.Index, d.Probability()
		part.At, part.Shares = map[string]bench.Value{}, map[string]float64{}
		numbers := a.joint.At(d.At)
		for k, name := range a.names {
			part.At[name] = bench.Number(numbers[k] + a.shift[k])
			part.Shares[name] = d.Shares[k]
		}
		part.Says = a.inWords(d, miss)
	}
	if miss != nil {
		told := limited(*miss)
		part.Miss = &told
		p.Probabilities[target.ID] = reaches(result.Probability{Met: 1 - miss.Value, From: 1 - miss.To, To: 1 - miss.From}, target.Probability)
	}
	p.Rare[target.ID] = part
}

// inWords says how rare a miss is, and what leads to it.
func (a scatteringAbout) inWords(d uncertainty.DesignPoint, miss *uncertainty.Estimate) string {
	chance := fmt.Sprintf("missed with a probability of about %.3g", d.Probability())
	if miss != nil {
		chance = fmt.Sprintf("missed with a probability of %.3g, between %.3g and %.3g with a confidence of 95 %%", miss.Value, miss.From, miss.To)
	}
	most := 0
	for k := range a.names {
		if math.Abs(d.Shares[k]) > math.Abs(d.Shares[most]) {
			most = k
		}
	}
	direction := map[bool]string{true: "more", false: "less"}[d.Shares[most] > 0]
	numbers := a.joint.At(d.At)
	return fmt.Sprintf("%s; most of it comes from %s %s: %s at the most probable miss, %.3g deviations from the median", chance, direction, a.names[most], plain.Show(numbers[most]+a.shift[most]), d.Index)
}
