package optimize

import (
	"context"
	"errors"
	"fmt"
	"math"

	"ropebench/core"
)

// A trial is a point that was evaluated.
type trial struct {
	point  []float64
	design core.Design
	values []float64
	rank   Rank
}

// byRank sorts trials, the best first.
func byRank(a, b trial) int {
	switch {
	case a.rank.Better(b.rank):
		return -1
	case b.rank.Better(a.rank):
		return 1
	}
	return 0
}

// A search asks the evaluator for a method: it counts the budget, ranks what comes back and keeps the best.
type search struct {
	problem   Problem
	evaluator core.Evaluator
	options   Options
	ranking   *Ranking
	watch     Observer

	used       int // distinct designs asked
	repeats    int // designs asked in a row that were all known
	best       trial
	improvedAt int // used, when the best last became better by more than the tolerance
	mark       Rank
}

// over ends a search for the reason that it carries.
type over struct{ reason string }

func (o over) Error() string { return o.reason }

// maxRepeats is how many known designs a method may propose in a row before it is taken to have nothing left to ask.
const maxRepeats = 2000

func newSearch(p Problem, e core.Evaluator, o Options, watch Observer) *search {
	if watch == nil {
		watch = func(string) {}
	}
	return &search{problem: p, evaluator: e, options: o, ranking: NewRanking(p), watch: watch,
		best: trial{rank: Rank{class: unusable, violation: math.Inf(1)}}, mark: Rank{class: unusable, violation: math.Inf(1)}}
}

// ask evaluates points, or the first of them that the budget still pays for. Its error is of type over when the
// search is to end; the trials that came with it are good.
func (s *search) ask(ctx context.Context, points [][]float64) ([]trial, error) {
	if left := s.options.Budget - s.used; len(points) > left {
		points = points[:left]
	}
	designs := make([]core.Design, len(points))
	for i, point := range points {
		designs[i] = s.problem.Space.Design(point)
	}
	outcomes, err := s.evaluator.Evaluate(ctx, designs)
	if err != nil {
		return nil, err
	}
	s.ranking.Learn(outcomes)
	trials := make([]trial, len(points))
	for i, outcome := range outcomes {
		trials[i] = trial{points[i], designs[i], outcome.Values, s.ranking.Rank(outcome)}
		s.count(outcome, trials[i])
	}
	return trials, s.end()
}

func (s *search) count(outcome core.Outcome, t trial) {
	if outcome.Repeated {
		s.repeats++
	} else {
		s.repeats = 0
		s.used++
	}
	if t.rank.Better(s.best.rank) {
		s.best = t
	}
	if s.counts(s.best.rank) {
		s.mark, s.improvedAt = s.best.rank, s.used
	}
}

// counts is true if r is better than the last improvement by more than the tolerance.
func (s *search) counts(r Rank) bool {
	if !r.Better(s.mark) || r.class != s.mark.class || r.class != feasible {
		return r.Better(s.mark)
	}
	return s.mark.objective-r.objective > s.options.Tolerance*math.Max(math.Abs(s.mark.objective), math.SmallestNonzeroFloat64)
}

func (s *search) end() error {
	switch {
	case s.used >= s.options.Budget:
		return over{fmt.Sprintf("the budget of %d evaluations is used up", s.options.Budget)}
	case s.options.Plateau > 0 && s.used-s.improvedAt >= s.options.Plateau:
		return over{fmt.Sprintf("the last %d evaluations brought no improvement of more than %g of the objective", s.options.Plateau, s.options.Tolerance)}
	case s.problem.Objective == nil && s.best.rank.Feasible() && s.best.rank.objective == 0:
		return over{"a design meets every requirement, and nothing else was asked for"}
	case s.repeats >= maxRepeats, float64(s.used) >= s.problem.Space.Size():
		return over{"every design that can be proposed is known"}
	}
	return nil
}

// result ends a method: an error of type over is its reason, any other is passed on.
func (s *search) result(err error) (Result, error) {
	var end over
	if err != nil && !errors.As(err, &end) {
		return Result{}, err
	}
	return Result{Design: s.best.design, Values: s.best.values, Reason: end.reason}, nil
}
