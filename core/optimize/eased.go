package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
)

// easingStarts are points from which it is looked for by how little a constraint could give.
const easingStarts = 4

// eased is by how much each constraint alone would have to give. With an evaluator whose answers cost nothing, the least violation of one that leaves all
// others kept is looked for, from the best design and from elsewhere; and whether it can be met at all.
func eased(ctx context.Context, p Problem, aside core.Evaluator, r Result) (easings []budget.Easing, feasible core.Design, err error) {
	easings = slices.Clone(r.Easings)
	if aside == nil || len(easings) != len(p.Constraints) {
		return easings, nil, nil
	}
	starts := []core.Design{r.Best.Design}
	for _, point := range plan.Draw(plan.NewRand(1), easingStarts-1, len(p.Space)) {
		starts = append(starts, p.Space.Design(point))
	}
	for i, c := range p.Constraints {
		if c.Price > 0 {
			continue
		}
		others := slices.Delete(slices.Clone(p.Constraints), i, i+1)
		for _, start := range starts {
			found, err := p.nearer(ctx, aside, i, others, start)
			if err != nil {
				return nil, nil, err
			}
			if found.outcome.Values == nil {
				continue
			}
			violation := c.Limit.Violation(found.outcome.Values[c.Value])
			if violation == 0 {
				return easings, found.design, nil
			}
			if violation < easings[i].By {
				easings[i].By, easings[i].Number = violation, 0
			}
		}
		for _, start := range starts {
			if easings[i].Met {
				break
			}
			found, err := p.nearer(ctx, aside, i, nil, start)
			if err != nil {
				return nil, nil, err
			}
			easings[i].Met = found.outcome.Values != nil && c.Limit.Violation(found.outcome.Values[c.Value]) == 0
		}
	}
	return easings, nil, nil
}

// nearer brings the value of a constraint as far inside its limit as it comes, to the middle where that has two ends, while some constraints are kept. It has
// no values where these are not.
func (p Problem) nearer(ctx context.Context, e core.Evaluator, constraint int, kept []core.Constraint, start core.Design) (trial, error) {
	value, limit := p.Constraints[constraint].Value, p.Constraints[constraint].Limit
	q := p
	q.Goal = core.Goal{Constraints: kept}
	if math.IsInf(limit.Upper, 1) || math.IsInf(limit.Lower, -1) {
		q.Objectives = []core.Objective{{Value: value, Maximize: math.IsInf(limit.Upper, 1)}}
	} else {
		q.Targets = []core.Target{{Value: value, To: limit.Lower/2 + limit.Upper/2, Weight: 1}}
	}
	search := SQP
	if len(p.stepped()) > 0 {
		search = FromStart
	}
	found, err := search(ctx, q, e, Options{Seed: 1, Budget: asideBudget * (len(p.Space) + 1), Start: start, Effort: Quick, unproved: true}, nil)
	if err != nil || found.Best.Design == nil || !found.Best.Rank.Kept() {
		return trial{}, err
	}
	return trial{design: found.Best.Design, outcome: found.Best.Outcome}, nil
}

// stepped lists the inputs of a problem that are stepped or have lists.
func (p Problem) stepped() []int { return (&search{space: p.Space}).stepped() }
