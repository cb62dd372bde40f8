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
		for _, alone := range []bool{false, true} {
			if alone && easings[i].Met {
				continue
			}
			constraints := others
			if alone {
				constraints = nil
			}
			for _, upper := range []bool{true, false} {
				for _, start := range starts {
					found, err := p.nearer(ctx, aside, i, upper, constraints, start)
					if err != nil {
						return nil, nil, err
					}
					if found.outcome.Values == nil {
						continue
					}
					violation := c.Limit.Violation(found.outcome.Values[c.Value])
					if !alone && violation == 0 {
						return easings, found.design, nil
					}
					easings[i].Met = easings[i].Met || violation == 0
					if !alone && violation < easings[i].By {
						easings[i].By, easings[i].Number = violation, 0
					}
				}
			}
		}
	}
	return easings, nil, nil
}

// nearer brings the value of a constraint as far below the upper end of its limit as it comes, or above the lower one, while some constraints are kept.
// It has no values where these are not.
func (p Problem) nearer(ctx context.Context, e core.Evaluator, constraint int, upper bool, kept []core.Constraint, start core.Design) (trial, error) {
	c := p.Constraints[constraint]
	if end := c.Limit.Upper; upper && math.IsInf(end, 1) || !upper && math.IsInf(c.Limit.Lower, -1) {
		return trial{}, nil
	}
	q := p
	q.Goal = core.Goal{Objectives: []core.Objective{{Value: c.Value, Maximize: !upper}}, Constraints: kept}
	if c.Limit.Upper < math.Inf(1) && c.Limit.Lower > math.Inf(-1) { // between two ends: no farther than the middle
		q.Objectives, q.Targets = nil, []core.Target{{Value: c.Value, To: c.Limit.Lower/2 + c.Limit.Upper/2, Weight: 1}}
	}
	search := SQP
	if Unsuited("sqp", p.Space) != "" || len(p.stepped()) > 0 {
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
