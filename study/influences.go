package study

import (
	"context"
	"fmt"
	"math"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/sensitivity"
	"ropebench/result"
)

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
			return "the design could not be evaluated: look at its evaluation, and name another by `about`", nil
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
