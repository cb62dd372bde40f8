package study

import (
	"context"
	"fmt"
	"math"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
	"ropebench/explore"
	"ropebench/result"
)

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
			w := wish{name: name, surface: surface}
			for _, b := range s.Model.BoundsOn(name) {
				w.limits = append(w.limits, b.At)
			}
			wishes = append(wishes, w)
		}
	}
	return round, wishes, nil
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

// roundsUntil is how many rounds of sampling there are where only their end is named.
const roundsUntil = 4
