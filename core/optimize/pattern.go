package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
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
	trials, err := l.ask(ctx, [][]float64{l.repaired(l.begin())})
	if err != nil {
		return err
	}
	best, err := l.refine(ctx, trials[0], firstMesh, leastMesh, nil)
	if err != nil {
		return err
	}
	return budget.Ended{Cause: budget.Stuck, Reason: fmt.Sprintf("stopped: none of the neighbors of evaluation %d along its inputs is better, down to %.0e of the ranges; a change of several inputs together may be", best.outcome.Number, leastMesh)}
}

// refine goes from neighbour to neighbour on ever finer meshes, and gives the best trial. With random numbers it looks in directions across
// the axes too, before the mesh is made finer (C. Audet and J. E. Dennis, SIAM Journal on Optimization 17 (2006)).
func (l *landscape) refine(ctx context.Context, best trial, mesh, least float64, random *rand.Rand) (trial, error) {
	for {
		found, err := l.poll(ctx, best, l.neighboursOn(best.point, mesh))
		if err == nil && random != nil && len(l.axes) > 1 && !found.rank.Better(best.rank) {
			found, err = l.poll(ctx, best, l.across(best.point, mesh, random))
		}
		if found.rank.Better(best.rank) {
			if err == nil {
				best, err = l.onwards(ctx, best, found)
			}
			if err != nil {
				return best, err
			}
			continue
		}
		if err != nil || len(l.axes) == 0 || mesh < least {
			return best, err
		}
		mesh /= 2
		l.watch(fmt.Sprintf("the mesh is %.2g of the ranges after %d evaluations", mesh, l.Used()))
	}
}

// neighboursOn are those of a point on a mesh.
func (l *landscape) neighboursOn(point []float64, mesh float64) [][]float64 {
	points := l.around(point)
	for _, j := range l.axes {
		for _, to := range []float64{point[j] - mesh, point[j] + mesh} {
			other := slices.Clone(point)
			if other[j] = inside(to); other[j] != point[j] {
				points = append(points, other)
			}
		}
	}
	return points
}

// across are points about one in directions that are drawn, at right angles to each other.
func (l *landscape) across(point []float64, mesh float64, random *rand.Rand) [][]float64 {
	var directions, points [][]float64
	for range l.axes {
		direction := make([]float64, len(l.axes))
		for a := range direction {
			direction[a] = random.NormFloat64()
		}
		for _, other := range directions {
			along := dot(direction, other)
			for a := range direction {
				direction[a] -= along * other[a]
			}
		}
		length := math.Sqrt(dot(direction, direction))
		for a := range direction {
			direction[a] /= length
		}
		directions = append(directions, direction)
		for _, step := range []float64{-mesh, mesh} {
			other := slices.Clone(point)
			for a, j := range l.axes {
				other[j] = inside(other[j] + step*direction[a])
			}
			points = append(points, other)
		}
	}
	return points
}

// poll asks for points about a trial and gives the best of them.
func (l *landscape) poll(ctx context.Context, t trial, points [][]float64) (trial, error) {
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
