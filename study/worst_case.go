package study

import (
	"context"
	"fmt"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
	"ropebench/core/verdict"
	"ropebench/model"
	"ropebench/result"
)

// toleranced are the inputs with tolerances that are not held.
func toleranced(a *Asked) []string {
	return slices.DeleteFunc(scattered(a), func(name string) bool {
		in, _ := a.bench.Input(name)
		return in.Tolerance == 0
	})
}

// A box are all designs within the tolerances about one.
type box struct {
	base   core.Design
	names  []string
	places []int
	space  space.Space
}

func (s *session) box(settings *bench.Uncertainty) box {
	b := box{base: s.about(settings.At), names: toleranced(s.Asked)}
	for _, name := range b.names {
		in, _ := s.bench.Input(name)
		place := slices.Index(s.Model.Inputs, name)
		b.places = append(b.places, place)
		b.space = append(b.space, space.Input{Name: name, Lower: b.base[place] - in.Tolerance, Upper: b.base[place] + in.Tolerance})
	}
	return b
}

func (b box) whole(part core.Design) core.Design {
	design := slices.Clone(b.base)
	for k, place := range b.places {
		design[place] = part[k]
	}
	return design
}

// corners are those of the box, and its middle first.
func (b box) corners() []core.Design {
	n := len(b.space)
	all := []core.Design{b.whole(b.space.Design(slices.Repeat([]float64{0.5}, n)))}
	for corner := range 1 << n {
		point := make([]float64, n)
		for k := range point {
			point[k] = float64(corner >> k & 1)
		}
		all = append(all, b.whole(b.space.Design(point)))
	}
	return all
}

// worstCase looks at the corners of the tolerances, where they are few enough, and then searches inside for the least margin of each requirement.
func worstCase(ctx context.Context, s *session) (string, error) {
	settings := s.Study.Settings.(*bench.Uncertainty)
	b := s.box(settings)
	seen := map[string]*result.WorstCase{}
	failed, used := 0, 0
	see := func(designs []core.Design, outcomes []core.Outcome) {
		for i, o := range outcomes {
			if o.State != core.OK {
				failed++
				continue
			}
			for _, target := range s.Model.Targets {
				b.see(s.Model, seen, target, designs[i], o)
			}
		}
		s.enter(func(p *result.Parts) {
			p.Worst = map[string]result.WorstCase{}
			for id, w := range seen {
				p.Worst[id] = *w
			}
		})
	}
	if n := len(b.names); n < 20 && 1<<n <= settings.Points/2 {
		designs := b.corners()
		outcomes, err := s.evaluator.Evaluate(ctx, designs)
		if see(designs, outcomes); err != nil {
			return "", err
		}
		used = len(designs)
	}
	each := (settings.Points - used) / max(1, len(s.Model.Targets))
	for k, target := range s.Model.Targets {
		if each < 3*len(b.names) {
			break // it would not come far
		}
		s.note("searches within the tolerances for the least margin of " + target.Called())
		inner := asking(func(ctx context.Context, parts []core.Design) ([]core.Outcome, error) {
			designs := make([]core.Design, len(parts))
			for i, part := range parts {
				designs[i] = b.whole(part)
			}
			outcomes, err := s.evaluator.Evaluate(ctx, designs)
			see(designs, outcomes)
			for i, o := range outcomes {
				if o.State == core.OK {
					outcomes[i].Values = []float64{target.Limit.Margin(o.Values[target.Column])}
				}
			}
			return outcomes, err
		})
		p := optimize.Problem{Space: b.space, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}
		if _, err := optimize.Auto(ctx, p, inner, optimize.Options{Seed: s.Study.Seed + uint64(k), Budget: each, Start: b.part(seen[target.ID]), Few: true}, nil); err != nil {
			return "", err
		}
	}
	says := fmt.Sprintf("the least margins within %s were looked for", plain.Count(len(b.names), "tolerance"))
	if failed > 0 {
		says += fmt.Sprintf("; %s within them failed: there the requirements are not shown", plain.Count(failed, "design"))
	}
	return says, nil
}

// An asking function is an evaluator.
type asking func(ctx context.Context, designs []core.Design) ([]core.Outcome, error)

// Evaluate implements core.Evaluator.
func (a asking) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	return a(ctx, designs)
}

// part is where the search for a worse case begins: at the worst one so far.
func (b box) part(worst *result.WorstCase) core.Design {
	design := b.space.Design(slices.Repeat([]float64{0.5}, len(b.space)))
	for k, name := range b.names {
		if worst != nil {
			design[k] = math.Min(math.Max(worst.At[name].Number, b.space[k].Lower), b.space[k].Upper)
		}
	}
	return design
}

// see keeps the least margin of a requirement.
func (b box) see(m *model.Model, seen map[string]*result.WorstCase, target model.Target, design core.Design, o core.Outcome) {
	value := o.Values[target.Column]
	margin := target.Limit.Margin(value)
	if math.IsNaN(margin) || seen[target.ID] != nil && seen[target.ID].Margin <= margin {
		return
	}
	w := &result.WorstCase{Case: target.Case, Evaluation: o.Number, Value: value, Margin: margin, Verdict: verdict.Judge(target.Limit, value), Decides: target.Decisive(), At: map[string]bench.Value{}}
	for k, name := range b.names {
		w.At[name] = bench.Number(design[b.places[k]])
	}
	unit := m.Bench.Unit(target.Of.Text)
	in := ""
	if target.Case != "" {
		in = " in " + target.Case
	}
	w.Says = fmt.Sprintf("at worst %s%s, a margin of %s: %s", plain.With(value, unit), in, plain.With(margin, unit), w.Verdict.Words())
	seen[target.ID] = w
}
