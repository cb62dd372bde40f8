package study

import (
	"cmp"
	"slices"

	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/formula"
	"ropebench/result"
)

// Convergence reads off the evaluations of a run how its best design came to be, by their numbers. Of a search over scatter it is that over draws. The error
// is of type BadQuestion where a run looks for no best design.
func (r *Runs) Convergence(id int) (c result.Convergence, err error) {
	run, a, err := r.asked(id)
	if err != nil {
		return c, err
	}
	if a.kind.unnamed || a.kind.best != bestOfAll && !a.overScatter {
		return c, BadQuestion("a run of kind " + run.Question.Kind + " looks for no best design: only searches converge, name a run of one (see `ropebench runs`)")
	}
	if goals := a.Study.Goals(); len(goals) > 0 {
		c.Objective, c.Unit, c.Maximize = goals[0].Formula.Text, a.unitOfStatistic(goals[0].Formula), goals[0].Maximize
	}
	c.Steps = []result.Improvement{}
	if a.overScatter {
		return c, r.convergenceOverScatter(run, &c)
	}
	return c, r.convergenceOf(a, &c, id)
}

// asked is a run with its question, compiled on its revision.
func (r *Runs) asked(id int) (run Run, a *Asked, err error) {
	if run, err = r.Run(id); err != nil {
		return run, nil, err
	}
	content, err := r.records.Content(run.Bench, run.Revision)
	if err != nil {
		return run, nil, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return run, nil, err
	}
	a, err = Ask(b, run.Question)
	return run, a, err
}

func (r *Runs) convergenceOf(a *Asked, c *result.Convergence, id int) error {
	type entry struct {
		result.Improvement
		rank budget.Rank
	}
	var all []entry
	order := budget.NewOrder(a.Problem.Goal)
	for record, err := range r.records.Replay(id) {
		if err != nil {
			return err
		}
		c.Evaluations++
		if record.State != core.OK {
			continue
		}
		if record.Number == 1 {
			order.Scale(core.Outcome{State: record.State, Values: record.Values})
		}
		e := entry{Improvement: result.Improvement{Evaluation: record.Number, Objective: objectiveOf(a.Problem.Goal, record.Values), Feasible: a.Model.Feasible(record.Values)},
			rank: order.Rank(core.Outcome{State: record.State, Values: record.Values})}
		if !e.Feasible {
			e.Misses = a.Model.Misses(record.Values)
		}
		all = append(all, e)
	}
	slices.SortFunc(all, func(x, y entry) int { return cmp.Compare(x.Evaluation, y.Evaluation) })
	var best *entry
	for i := range all {
		if best == nil || all[i].rank.Better(best.rank) {
			best = &all[i]
			c.Steps = append(c.Steps, best.Improvement)
		}
	}
	return nil
}

func (r *Runs) convergenceOverScatter(run Run, c *result.Convergence) error {
	c.Evaluations = run.Evaluations
	_, parts, err := r.Result(run.ID)
	if err != nil || parts.Robust == nil {
		return err
	}
	var best *result.Judged
	for _, judged := range parts.Robust.Trail {
		if best != nil && !judged.BetterThan(*best, c.Maximize) {
			continue
		}
		best = &judged
		c.Steps = append(c.Steps, result.Improvement{Evaluation: judged.Evaluation, Objective: &best.Objective, Feasible: judged.Kept})
	}
	return nil
}

// statistical is true for an expression that is taken over scatter.
func statistical(e formula.Expression) bool { return e.Statistics != nil }
