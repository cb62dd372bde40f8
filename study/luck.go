package study

import (
	"context"
	"fmt"
	"math"

	"ropebench/bench/plain"
	"ropebench/core/optimize"
	"ropebench/result"
)

// settledWithNoise enters what a search of a noisy solver found: differences of its values are no slopes, and its best single value may be luck.
func (h hunt) settledWithNoise(ctx context.Context, found optimize.Result) error {
	if found.Likely == nil && len(h.problem.Objectives) == 1 {
		var err error
		if found.Likely, err = optimize.LikelyOf(ctx, h.problem.Problem, found.Answers, h.seed); err != nil {
			return err
		}
	}
	told := h.tell(found, nil)
	h.enter(func(p *result.Parts) { p.Search, p.Optimum, p.Checks = h.searched(found), told, h.checks(found) })
	return nil
}

// luck says which design of a noisy solver is best by all that was seen.
func (h hunt) luck(found optimize.Result) []string {
	likely := found.Likely
	switch {
	case !h.Model.Bench.Solver.Noisy || found.Best.Design == nil:
		return nil
	case likely == nil:
		return []string{"the solver is noisy: the best single value may be luck, and no surface over all evaluations tells which design is the best; verify the design with repeats"}
	}
	says := fmt.Sprintf("the solver is noisy: by all evaluations together evaluation %d is the best", likely.Number)
	if goals := h.Study.Goals(); len(goals) == 1 && !math.IsNaN(likely.Upper) {
		unit := h.Model.Bench.Unit(goals[0].Formula.Text)
		says += fmt.Sprintf(", with %s believed between %s and %s", goals[0].Formula.Text, plain.Show(likely.Lower), plain.With(likely.Upper, unit))
	}
	return []string{says + "; the best single value may be luck: verify the design with repeats"}
}
