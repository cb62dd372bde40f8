package model

import (
	"context"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// A Problem is what one search is given: a space of some of the inputs of a model's designs, and a goal over its columns.
// Many problems can be asked of one model: cells of a sweep, the same evaluations with other objectives.
type Problem struct {
	optimize.Problem
	model *Model
	axes  []int       // the inputs of a design that the space has
	base  core.Design // the others keep their values of this one
}

// Problem makes the problem of a study over the inputs that it varies; the others keep the values of base.
func (m *Model) Problem(s bench.Study, varies []string, base core.Design) Problem {
	p := Problem{model: m, base: base}
	for k, name := range m.Inputs {
		if slices.Contains(varies, name) {
			p.axes = append(p.axes, k)
			p.Space = append(p.Space, axis(m.Input(k)))
		}
	}
	for _, goal := range s.Goals() {
		p.Objectives = append(p.Objectives, core.Objective{Value: m.Column(goal.Formula.Text), Maximize: goal.Maximize})
	}
	for _, t := range s.Targets() {
		p.Targets = append(p.Targets, core.Target{Value: m.Column(t.Of.Text), To: t.To, Weight: t.Weight})
	}
	met := m.Bench.MetBy(s)
	for _, t := range m.Targets {
		if slices.ContainsFunc(met, func(q bench.Requirement) bool { return q.ID == t.ID }) {
			p.Constraints = append(p.Constraints, t.Constraint())
		}
	}
	p.Ahead, p.Behind = p.lookingAhead(), p.lookingBehind()
	return p
}

// Drawn is a problem over inputs as far as they were drawn in designs: those that scatter need no range of their own. What is the same in all is none of it.
func (m *Model) Drawn(s bench.Study, names []string, designs []core.Design) Problem {
	p := m.Problem(s, nil, m.Design(nil))
	for k, name := range m.Inputs {
		if !slices.Contains(names, name) {
			continue
		}
		in := m.Input(k)
		if in.Choices != nil {
			p.axes, p.Space = append(p.axes, k), append(p.Space, axis(in))
			continue
		}
		lower, upper := math.Inf(1), math.Inf(-1)
		for _, design := range designs {
			lower, upper = min(lower, design[k]), max(upper, design[k])
		}
		if lower < upper {
			p.axes, p.Space = append(p.axes, k), append(p.Space, space.Input{Name: name, Lower: lower, Upper: upper})
		}
	}
	return p
}

// axis is how a search sees a varied input.
func axis(in bench.Input) space.Input {
	c := in.Choices
	if c == nil {
		return space.Input{Name: in.Name, Lower: in.Range.Lower, Upper: in.Range.Upper, Step: in.Step, Log: in.Log}
	}
	values := c.Numbers
	for i := range c.Words {
		values = append(values, float64(i))
	}
	return space.Input{Name: in.Name, Values: values, Unordered: !c.Ordered(), Traits: traits(c)}
}

// traits are the numbers that a catalog has for each of its rows, each column on its way from its least to its largest.
func traits(c *bench.Choices) [][]float64 {
	if c.Catalog == "" {
		return nil
	}
	var all [][]float64
	for _, column := range c.Columns {
		if column.Numbers == nil {
			continue
		}
		least, most := slices.Min(column.Numbers), slices.Max(column.Numbers)
		if least == most {
			continue
		}
		if all == nil {
			all = make([][]float64, c.Count())
		}
		for i, number := range column.Numbers {
			all[i] = append(all[i], (number-least)/(most-least))
		}
	}
	return all
}

// Part takes the inputs of the problem out of a design of the model.
func (p Problem) Part(design core.Design) core.Design {
	part := make(core.Design, len(p.axes))
	for i, k := range p.axes {
		part[i] = design[k]
	}
	return part
}

// Whole is the design of the model for one of the problem.
func (p Problem) Whole(part core.Design) core.Design {
	if len(p.axes) == len(p.base) {
		return part
	}
	whole := slices.Clone(p.base)
	for i, k := range p.axes {
		whole[k] = part[i]
	}
	return whole
}

// wholes are the designs of the model for some of the problem.
func (p Problem) wholes(parts []core.Design) []core.Design {
	wholes := make([]core.Design, len(parts))
	for i, part := range parts {
		wholes[i] = p.Whole(part)
	}
	return wholes
}

// Over is an evaluator of the problem's designs over one of the model's. It differentiates and streams if that does.
func (p Problem) Over(e core.Evaluator) core.Evaluator {
	if len(p.axes) == len(p.base) {
		return e
	}
	answers := partAnswers{problem: p, whole: e}
	differentiator, differentiates := e.(core.Differentiator)
	streamer, streams := e.(core.Streamer)
	derivatives, stream := partDerivatives{problem: p, whole: differentiator}, partStreams{problem: p, whole: streamer}
	switch {
	case differentiates && streams:
		return struct {
			partAnswers
			partDerivatives
			partStreams
		}{answers, derivatives, stream}
	case differentiates:
		return struct {
			partAnswers
			partDerivatives
		}{answers, derivatives}
	case streams:
		return struct {
			partAnswers
			partStreams
		}{answers, stream}
	}
	return answers
}

type partAnswers struct {
	problem Problem
	whole   core.Evaluator
}

// Evaluate implements core.Evaluator.
func (o partAnswers) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	return o.whole.Evaluate(ctx, o.problem.wholes(designs))
}

type partDerivatives struct {
	problem Problem
	whole   core.Differentiator
}

// Differentiate implements core.Differentiator.
func (o partDerivatives) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives, err := o.whole.Differentiate(ctx, o.problem.wholes(designs))
	for i, whole := range derivatives {
		if whole == nil {
			continue
		}
		cut := core.NewMatrix(whole.Rows, len(o.problem.axes))
		for row := range whole.Rows {
			copy(cut.Row(row), o.problem.Part(whole.Row(row)))
		}
		derivatives[i] = &cut
	}
	return outcomes, derivatives, err
}

type partStreams struct {
	problem Problem
	whole   core.Streamer
}

// Stream implements core.Streamer.
func (o partStreams) Stream() core.Stream {
	return partStream{Stream: o.whole.Stream(), problem: o.problem}
}

type partStream struct {
	core.Stream
	problem Problem
}

// Submit implements core.Stream.
func (o partStream) Submit(ctx context.Context, designs ...core.Design) error {
	return o.Stream.Submit(ctx, o.problem.wholes(designs)...)
}
