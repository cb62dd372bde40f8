package main

import (
	"context"
	"fmt"
	"math"

	"ropebench/core/optimize"
	"ropebench/study"
)

// A search is a method on a published problem: the best known value, and how often the budget of the file is allowed.
type search struct {
	method, problem string
	best            float64
	budgets         int
}

// searchesAsked has the best known values of the papers that the problem files name.
var searchesAsked = []search{
	{method: "differential-evolution", problem: "branin", best: 0.39788735772973816, budgets: 20},
	{method: "differential-evolution", problem: "g06", best: -6961.81387558015, budgets: 2},
	{method: "differential-evolution", problem: "g08", best: -0.0958250414180359, budgets: 2},
	{method: "differential-evolution", problem: "g24", best: -5.50801327159536, budgets: 2},
	{method: "differential-evolution", problem: "spring", best: 0.0126652, budgets: 2},
	{method: "nelder-mead", problem: "branin", best: 0.39788735772973816, budgets: 20},
	{method: "nelder-mead", problem: "g24", best: -5.50801327159536, budgets: 2},
	{method: "nelder-mead", problem: "spring", best: 0.0126652, budgets: 2},
}

const (
	seeds       = 10
	seedsAsked  = 9
	relativeGap = 1e-3
)

// searches counts the seeds with which each method comes within the gap of the best known value.
func searches(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, s := range searchesAsked {
		reached, worst, budget := 0, 0.0, 0
		for seed := range uint64(seeds) {
			gap, used, err := s.gap(ctx, seed+1)
			if err != nil {
				return nil, err
			}
			if gap <= relativeGap {
				reached++
			}
			worst, budget = max(worst, gap), used
		}
		figures = append(figures, figure{
			name: fmt.Sprintf("%s on %s, %d evaluations", s.method, s.problem, budget), asked: fmt.Sprintf("%d of %d seeds within %g", seedsAsked, seeds, relativeGap),
			measured: fmt.Sprintf("%d of %d, worst gap %.1e", reached, seeds, worst), reached: reached >= seedsAsked})
	}
	return figures, nil
}

// gap runs the method once and returns how far it stayed from the best known value, as a share of it; infinite where
// no design meets the constraints.
func (s search) gap(ctx context.Context, seed uint64) (gap float64, budget int, err error) {
	b, _, err := problem(s.problem)
	if err != nil {
		return 0, 0, err
	}
	asked, e, err := evaluator(b, study.Question{Study: "best", Seed: seed})
	if err != nil {
		return 0, 0, err
	}
	budget = asked.Study.Budget.Evaluations * s.budgets
	options := optimize.Options{Seed: seed, Budget: budget, Start: asked.Model.Design(nil)}
	result, err := optimize.Methods[s.method](ctx, asked.Problem.Problem, e, options, nil)
	if err != nil || !result.Best.Rank.Feasible() {
		return math.Inf(1), budget, err
	}
	return math.Abs(result.Best.Outcome.Values[asked.Problem.Objectives[0].Value]-s.best) / math.Abs(s.best), budget, nil
}
