package study

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
	"ropebench/core/surrogate"
	"ropebench/core/uncertainty"
	"ropebench/explore"
	"ropebench/model"
	"ropebench/result"
)

const (
	drawsOnSurrogate = 20_000
	deviationsOff    = 2.0 // by which a prediction may be off
)

// onSurrogate evaluates draws, fits a surrogate to each value that a requirement is on, and draws from those many more. What a surrogate may be off by
// widens the limits of a probability. Where a draw failed, nothing is predicted: surrogates know no failures.
func onSurrogate(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Uncertainty)
	about, err := s.scattering(settings)
	if err != nil {
		return "", err
	}
	numbers := rowsOf(about.joint.Draw(plan.NewRand(s.Study.Seed), settings.Points, true))
	designs := make([]core.Design, len(numbers))
	for i, row := range numbers {
		designs[i] = about.design(row)
	}
	outcomes, err := s.evaluator.Evaluate(ctx, designs)
	if err != nil {
		return "", err
	}
	found := newScattering(s.Asked)
	found.see(designs, outcomes)
	s.enter(found.parts)
	if found.failed > 0 {
		return fmt.Sprintf("%s of %d failed, and surrogates know no failures: what is said is of the draws alone", plain.Count(found.failed, "draw"), settings.Points), nil
	}
	s.note("fits surrogates to what requirements are on")
	surfaces, err := s.surfaces(ctx, about, numbers, outcomes)
	if err != nil {
		return "", err
	}
	many := rowsOf(about.joint.Draw(plan.NewRand(s.Study.Seed+1), drawsOnSurrogate, true))
	p := s.predicted(surfaces, many, found)
	s.enter(func(parts *result.Parts) {
		p.scatter.Inputs, p.scatter.Points, p.scatter.Causes = found.names, settings.Points, parts.Scatter.Causes
		parts.Scatter, parts.Probabilities = &p.scatter, p.probabilities
	})
	return fmt.Sprintf("%d draws are answered, and %s from surrogates", settings.Points, plain.Count(drawsOnSurrogate, "draw")), nil
}

func rowsOf(m core.Matrix) [][]float64 {
	rows := make([][]float64, m.Rows)
	for i := range rows {
		rows[i] = m.Row(i)
	}
	return rows
}

// A surface predicts a value, or has it where it does not move.
type surface struct {
	fitted *surrogate.Surrogate // nil: it is constant
	value  float64
}

func (f surface) predict(design core.Design) (mean, deviation float64) {
	if f.fitted == nil {
		return f.value, 0
	}
	return f.fitted.Predict(design)
}

// mean is the prediction alone, which costs less.
func (f surface) mean(design core.Design) float64 {
	if f.fitted == nil {
		return f.value
	}
	return f.fitted.Mean(design)
}

// spaceOf are the numbers that scatter, as far as they were drawn.
func spaceOf(names []string, numbers [][]float64) space.Space {
	all := make(space.Space, len(names))
	for k, name := range names {
		all[k] = space.Input{Name: name, Lower: math.Inf(1), Upper: math.Inf(-1)}
		for _, row := range numbers {
			all[k].Lower, all[k].Upper = math.Min(all[k].Lower, row[k]), math.Max(all[k].Upper, row[k])
		}
	}
	return all
}

// surfaces are those of the columns of requirements.
func (s *session) surfaces(ctx context.Context, about scatteringAbout, numbers [][]float64, outcomes []core.Outcome) (map[int]surface, error) {
	encoding := surrogate.Encode(spaceOf(about.names, numbers))
	designs := make([]core.Design, len(numbers))
	for i, row := range numbers {
		designs[i] = row
	}
	found := map[int]surface{}
	for _, target := range s.Model.Targets {
		if _, done := found[target.Column]; done {
			continue
		}
		values := make([]float64, len(outcomes))
		for i, o := range outcomes {
			values[i] = o.Values[target.Column]
		}
		fitted, err := surrogate.Fit(ctx, encoding, designs, values, surrogate.Options{Seed: s.Study.Seed})
		switch {
		case errors.Is(err, surrogate.ErrConstant):
			found[target.Column] = surface{value: values[0]}
		case err != nil:
			return nil, fmt.Errorf("%s: %w", s.Model.Columns[target.Column].Name, err)
		default:
			found[target.Column] = surface{fitted: fitted}
		}
	}
	return found, nil
}

// A prediction is what surrogates say of many draws.
type prediction struct {
	scatter       result.Scatter
	probabilities map[string]result.Probability
}

// predicted counts draws in which requirements are met by what is predicted, are sure to be met, and may be.
// Where a surrogate does not predict, or the draws contradict it, a requirement is judged by the draws alone.
func (s *session) predicted(surfaces map[int]surface, many [][]float64, drawn *scattering) prediction {
	p := prediction{probabilities: map[string]result.Probability{}, scatter: result.Scatter{Values: map[string]result.Scattered{}, Predicted: len(many), Q2: map[string]float64{}}}
	n := len(many)
	all := counts{}
	each := map[string]*counts{}
	values := map[int][]float64{}
	for _, target := range s.Model.Targets {
		each[target.ID] = &counts{}
	}
	for _, row := range many {
		said := map[int][2]float64{} // mean and deviation, by column
		for column, f := range surfaces {
			mean, deviation := f.predict(row)
			values[column], said[column] = append(values[column], mean), [2]float64{mean, deviation}
		}
		together := [3]bool{true, true, true}
		now := map[string][3]bool{}
		for _, target := range s.Model.Targets {
			in := judged(target, said[target.Column][0], said[target.Column][1])
			if other, told := now[target.ID]; told { // in another case
				in = both(in, other)
			}
			if now[target.ID] = in; target.Decisive() {
				together = both(together, in)
			}
		}
		for id, in := range now {
			each[id].add(in)
		}
		all.add(together)
	}
	var alone []string // requirements that are judged by the draws
	rests := false     // one of them decides, and moves
	least := 1.0       // of the lower limits of those that do not move
	for _, q := range s.Model.Bench.Requirements {
		if q.Of.Statistics != nil {
			drawn.tell(&p.scatter, q)
			continue
		}
		reached := each[q.ID].probability(n)
		if why := s.notPredicted(surfaces, q, reached, drawn); why != "" {
			reached = probability(drawn.met[q.ID], drawn.points)
			alone = append(alone, q.ID+", since "+why)
			switch {
			case !q.Decisive():
			case why == whyConstant && drawn.met[q.ID] == drawn.points:
				least = min(least, reached.From)
			default:
				rests = true
			}
		}
		reached = reaches(reached, q.Probability)
		p.probabilities[q.ID] = reached
		if reached.Verdict == "missed" && q.Decisive() {
			p.scatter.Missed = append(p.scatter.Missed, q.ID)
		}
	}
	for column, f := range surfaces {
		name := s.Model.Columns[column].Name
		if f.fitted != nil {
			p.scatter.Q2[name], p.scatter.Values[name] = f.fitted.Q2, describe(values[column])
		}
	}
	p.scatter.Together = all.probability(n)
	p.scatter.Together.From = min(p.scatter.Together.From, least)
	p.scatter.Says = fmt.Sprintf("by surrogates of %s, every requirement is met with a probability of %s (between %s and %s: what the surrogates may be off by is in that)",
		plain.Count(drawn.points, "evaluation"), plain.Percent(p.scatter.Together.Met), plain.Percent(p.scatter.Together.From), plain.Percent(p.scatter.Together.To))
	if rests {
		p.scatter.Together = probability(drawn.all, drawn.points)
		p.scatter.Says = drawn.inWords(p.scatter.Together)
	}
	if len(alone) > 0 {
		p.scatter.Says += "; judged by the draws alone: " + strings.Join(alone, "; ")
	}
	return p
}

const whyConstant = "its value is the same in all draws, which leaves nothing to predict"

// predicts is the Q² from which on a surrogate is taken for the value itself.
const predicts = 0.9

// notPredicted says why a requirement is not judged by surrogates; "" where it is.
func (s *session) notPredicted(surfaces map[int]surface, q bench.Requirement, predicted result.Probability, drawn *scattering) string {
	for _, t := range s.Model.Targets {
		if t.ID != q.ID {
			continue
		}
		switch f := surfaces[t.Column]; {
		case f.fitted == nil && !t.OnInputs:
			return whyConstant
		case f.fitted != nil && !(f.fitted.Q2 >= predicts):
			return fmt.Sprintf("its surrogate does not predict (Q² %.2f)", f.fitted.Q2)
		}
	}
	if computed := probability(drawn.met[q.ID], drawn.points); computed.To < predicted.From || computed.From > predicted.To || computed.To < predicted.Met {
		return "the draws contradict its surrogate"
	}
	return ""
}

// judged says whether a requirement is met by a prediction, is sure to be, and may be.
func judged(target model.Target, mean, deviation float64) [3]bool {
	low, high := target.Limit.Margin(mean-deviationsOff*deviation), target.Limit.Margin(mean+deviationsOff*deviation)
	middle := target.Limit.Margin(mean)
	return [3]bool{middle >= 0, low >= 0 && high >= 0, max(low, middle, high) >= 0}
}

func both(a, b [3]bool) [3]bool {
	return [3]bool{a[0] && b[0], a[1] && b[1], a[2] && b[2]}
}

// counts of draws that meet something, are sure to, and may.
type counts struct{ met, sure, may int }

func (c *counts) add(now [3]bool) {
	for k, into := range []*int{&c.met, &c.sure, &c.may} {
		if now[k] {
			*into++
		}
	}
}

// probability has limits that hold though the surrogates are off.
func (c counts) probability(n int) result.Probability {
	return result.Probability{Met: float64(c.met) / float64(n), From: uncertainty.Probability(c.sure, n).From, To: uncertainty.Probability(c.may, n).To}
}

// causes says on which side of what scatters the draws lie that fail, and those that miss something, each apart; "" where there is nothing to tell.
func (f *scattering) causes() string {
	designs := make([]core.Design, len(f.drawn))
	for i, row := range f.drawn {
		designs[i] = row
	}
	var says []string
	for _, one := range []struct {
		which []bool
		did   string
	}{{f.broke, "failed"}, {f.missed, "missed a requirement"}} {
		count := 0
		for _, is := range one.which {
			if is {
				count++
			}
		}
		if where := explore.WhereThey(one.did, f.asked.Model, spaceOf(f.names, f.drawn), designs, one.which); where != "" {
			says = append(says, fmt.Sprintf("%s %s: %s", plain.Count(count, "draw"), one.did, where))
		}
	}
	return strings.Join(says, "; ")
}
