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

// pointsOfRare are the evaluations where a study names no number.
const pointsOfRare = 1000

// rare finds the most probable failure points of each requirement, and counts misses about them.
func rare(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Uncertainty)
	about, err := s.scattering(settings)
	if err != nil {
		return "", err
	}
	sides, groups := sidesOf(s.Model.Targets)
	s.note("looks for the most probable failure points")
	all, err := uncertainty.Reliabilities(ctx, plan.NewRand(s.Study.Seed), len(about.names), about.margins(s, sides), groups, settings.Points)
	if err != nil {
		return "", err
	}
	counted := 0
	for k, target := range s.Model.Targets {
		if len(all[k].Points) > 0 {
			counted++
		}
		s.enter(func(p *result.Parts) { about.enter(p, target, all[k]) })
	}
	return fmt.Sprintf("a most probable failure point was found for %d of %s", counted, plain.Count(len(s.Model.Targets), "requirement")), nil
}

// A side is a limit that is open on one side: a requirement between two ends has two.
type side struct {
	column int
	limit  core.Limit
}

// sidesOf are those of all targets, and which belong to each.
func sidesOf(targets []model.Target) (sides []side, groups [][]int) {
	for _, t := range targets {
		var group []int
		for _, ends := range [][2]float64{{t.Limit.Lower, math.Inf(1)}, {math.Inf(-1), t.Limit.Upper}} {
			if math.IsInf(ends[0], -1) && math.IsInf(ends[1], 1) {
				continue
			}
			group = append(group, len(sides))
			sides = append(sides, side{column: t.Column, limit: core.Limit{Lower: ends[0], Upper: ends[1]}})
		}
		groups = append(groups, group)
	}
	return sides, groups
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

// margins are the limit states of requirements: NaN where the solver gives no values.
func (a scatteringAbout) margins(s *session, sides []side) uncertainty.LimitStates {
	return func(ctx context.Context, points [][]float64) ([][]float64, error) {
		designs := make([]core.Design, len(points))
		for i, point := range points {
			designs[i] = a.design(a.joint.At(point))
		}
		outcomes, err := s.evaluator.Evaluate(ctx, designs)
		if err != nil {
			return nil, err
		}
		margins := make([][]float64, len(points))
		for i, outcome := range outcomes {
			margins[i] = make([]float64, len(sides))
			for k, side := range sides {
				margins[i][k] = math.NaN()
				if outcome.State == core.OK {
					margins[i][k] = side.limit.Margin(outcome.Values[side.column])
				}
			}
		}
		return margins, nil
	}
}

// enter tells what is known of a requirement, in the case in which a miss is most probable.
func (a scatteringAbout) enter(p *result.Parts, target model.Target, r uncertainty.Reliability) {
	if p.Rare == nil {
		p.Rare, p.Probabilities = map[string]result.Rare{}, map[string]result.Probability{}
	}
	if known, told := p.Rare[target.ID]; told && known.Miss.Value >= r.Miss.Value {
		return // in another case a miss is more probable
	}
	miss := limited(r.Miss)
	part := result.Rare{Case: target.Case, Found: len(r.Points) > 0, Miss: &miss, Says: a.inWords(r), Used: r.Draws, Points: len(r.Points), Decides: target.Decisive()}
	if part.Found {
		nearest := r.Points[0]
		part.Index, part.At, part.Shares = nearest.Index, map[string]bench.Value{}, map[string]float64{}
		for _, d := range r.Points {
			part.FirstOrder = min(1, part.FirstOrder+d.Probability())
		}
		numbers := a.joint.At(nearest.At)
		for k, name := range a.names {
			part.At[name] = bench.Number(numbers[k] + a.shift[k])
			part.Shares[name] = nearest.Shares[k]
		}
	}
	p.Probabilities[target.ID] = reaches(result.Probability{Met: 1 - r.Miss.Value, From: 1 - r.Miss.To, To: 1 - r.Miss.From}, target.Probability)
	p.Rare[target.ID] = part
}

// inWords says how rare a miss is, and what leads to it.
func (a scatteringAbout) inWords(r uncertainty.Reliability) string {
	switch {
	case r.Constant:
		return fmt.Sprintf("its margin is the same in all of %s", plain.Count(r.Draws, "draw"))
	case r.Misses == 0 && len(r.Points) == 0:
		return fmt.Sprintf("none of %s misses it, some of them of wider scatter: it is missed with a probability of less than %.3g (confidence 95 %%)", plain.Count(r.Draws, "draw"), r.Miss.To)
	}
	says := fmt.Sprintf("missed with a probability of %.3g, between %.3g and %.3g with a confidence of 95 %%", r.Miss.Value, r.Miss.From, r.Miss.To)
	if len(r.Points) == 0 {
		return says + "; no most probable failure point was found" + because(r.Says)
	}
	nearest := r.Points[0]
	if len(r.Points) > 1 {
		says += fmt.Sprintf("; %d failure points were found, the most probable of them", len(r.Points))
	} else {
		says += "; the most probable failure point"
	}
	most := 0
	for k := range a.names {
		if math.Abs(nearest.Shares[k]) > math.Abs(nearest.Shares[most]) {
			most = k
		}
	}
	numbers := a.joint.At(nearest.At)
	return says + fmt.Sprintf(" has %s = %s, at a reliability index of %.3g", a.names[most], plain.Show(numbers[most]+a.shift[most]), nearest.Index)
}

func because(says string) string {
	if says == "" {
		return ""
	}
	return ": " + says
}
