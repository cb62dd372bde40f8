package optimize

import (
	"context"
	"fmt"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
)

const (
	firstMesh = 0.25 // of a pattern, in the unit cube
	leastMesh = 1e-6
)

// Pattern looks at the neighbours of a design, all as one batch: a mesh width away along continuous inputs, the next steps and the
// nearest rows of the others. It goes to the best that is better, and on in the same direction as long as that helps; where none is
// better the mesh is halved (R. Hooke and T. A. Jeeves, Journal of the ACM 8 (1961); V. Torczon, SIAM Journal on Optimization 7
// (1997)). It ends where no neighbour is better on the finest mesh. A single continuous input is searched along its line.
func Pattern(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	if len(l.axes) == 1 && len(p.Space) == 1 {
		return s.result(l.alongLine(ctx))
	}
	return s.result(l.pattern(ctx))
}

func (l *landscape) pattern(ctx context.Context) error {
	start := l.repaired(l.begin())
	trials, err := l.ask(ctx, [][]float64{start})
	if err != nil {
		return err
	}
	best, mesh := trials[0], firstMesh
	for {
		found, err := l.poll(ctx, best, mesh)
		if err != nil {
			return err
		}
		if found.rank.Better(best.rank) {
			if best, err = l.onwards(ctx, best, found); err != nil {
				return err
			}
			continue
		}
		if len(l.axes) == 0 || mesh < leastMesh {
			return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("converged: none of the neighbours of evaluation %d is better", best.outcome.Number)}
		}
		mesh /= 2
		l.watch(fmt.Sprintf("the mesh is %.2g of the ranges after %d evaluations", mesh, l.Used()))
	}
}

// poll asks for the neighbours of a trial and gives the best of them.
func (l *landscape) poll(ctx context.Context, t trial, mesh float64) (trial, error) {
	points := l.around(t.point)
	for _, j := range l.axes {
		for _, to := range []float64{t.point[j] - mesh, t.point[j] + mesh} {
			other := slices.Clone(t.point)
			if other[j] = inside(to); other[j] != t.point[j] {
				points = append(points, other)
			}
		}
	}
	kept := points[:0]
	for _, point := range points {
		if point = l.slid(point); l.missedBy(point) == 0 || !t.rank.Kept() {
			kept = append(kept, point)
		}
	}
	if len(kept) == 0 {
		return t, nil
	}
	trials, err := l.ask(ctx, kept)
	slices.SortStableFunc(trials, byRank)
	if len(trials) == 0 {
		return t, err
	}
	return trials[0], err
}

// onwards goes on in the direction of a step that was good.
func (l *landscape) onwards(ctx context.Context, from, to trial) (trial, error) {
	for {
		beyond := slices.Clone(to.point)
		for j := range beyond {
			beyond[j] = inside(2*to.point[j] - from.point[j])
			if l.space[j].Unordered {
				beyond[j] = to.point[j]
			}
		}
		beyond = l.slid(beyond)
		if slices.Equal(l.design(beyond), l.design(to.point)) {
			return to, nil
		}
		trials, err := l.ask(ctx, [][]float64{beyond})
		if err != nil || !trials[0].rank.Better(to.rank) {
			return to, err
		}
		from, to = to, trials[0]
	}
}
