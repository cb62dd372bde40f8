package optimize

import (
	"context"

	"ropebench/core"
	"ropebench/core/pareto"
)

// WeightedSum fills a front by SQP as EpsilonConstraint does, but what is made least in a hole is a weighted sum of all objectives, with the
// weights at which the corners of the hole are equally good (J. L. Cohon, R. L. Church and D. P. Sheer, Water Resources Research 15 (1979)).
// No limit is added, and so a search needs fewer steps; but it does not end where the front bends inwards, and then says so.
func WeightedSum(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	return fillFront(ctx, p, e, o, watch, "weighted-sum", func(f *filling) {
		f.scalarize = f.weighted
		f.leaves = "no weights end in the holes that are left, where the front bends inwards or is torn; epsilon-constraint fills those"
	})
}

// weighted asks for the best of all objectives, each as its share of a hole, whose corners are equally good so.
func (f *filling) weighted(_ []float64, hole pareto.Box) (Problem, core.Evaluator, float64) {
	s := summed{filling: f, hole: hole}
	p := f.problem
	p.Objectives = []core.Objective{{Value: f.width()}}
	if f.Differentiates() {
		return p, slopedSum{s}, filledShare
	}
	return p, s, filledShare
}

// width is how many values an outcome has.
func (f *filling) width() int { return len(f.members[0].outcome.Values) }

// A summed filling has the weighted sum of its objectives as one value more.
type summed struct {
	*filling
	hole pareto.Box
}

func (s summed) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := s.filling.Evaluate(ctx, designs)
	return s.add(outcomes), err
}

// add gives outcomes their sum.
func (s summed) add(outcomes []core.Outcome) []core.Outcome {
	for i, o := range outcomes {
		if o.Values == nil {
			continue
		}
		sum := 0.0
		for k, objective := range s.problem.Objectives {
			sum += (objective.Least(o.Values) - s.hole.Lower[k]) / (s.hole.Upper[k] - s.hole.Lower[k])
		}
		outcomes[i].Values = append(append([]float64(nil), o.Values[:s.width()]...), sum)
	}
	return outcomes
}

// A slopedSum knows its derivatives.
type slopedSum struct{ summed }

func (s slopedSum) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, derivatives, err := sloped{s.filling}.Differentiate(ctx, designs)
	all := make([]core.Derivatives, len(derivatives))
	for i, known := range derivatives {
		if known == nil {
			continue
		}
		rows := make([][]float64, s.width()+1)
		for r := range s.width() {
			rows[r] = known.Row(r)
		}
		sum := make([]float64, len(designs[i]))
		for k, objective := range s.problem.Objectives {
			weight := 1 / (s.hole.Upper[k] - s.hole.Lower[k])
			if objective.Maximize {
				weight = -weight
			}
			for j, slope := range known.Row(objective.Value) {
				sum[j] += weight * slope
			}
		}
		rows[s.width()] = sum
		matrix := core.MatrixOf(rows)
		all[i] = &matrix
	}
	return s.add(outcomes), all, err
}
