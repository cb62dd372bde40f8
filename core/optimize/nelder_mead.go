package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

const (
	firstSize       = 0.15 // edge of a simplex far from what is known, in the unit cube
	leastSize       = 1e-5 // a simplex is spent when no edge is longer
	restartShare    = 0.25 // edge of a simplex about the end of the one before, as a share of that one's
	leastGain       = 1e-4 // such a restart was worth it if it won this share of the objective
	betweenShare    = 0.9  // share of restarts on the line through two ends, of all
	betweenEnds     = 3    // ends next to the best through which such lines go
	betweenSize     = 0.5  // edge of the simplex there, as a share of the distance from the best end
	leastBetween    = 1e-3 // but no smaller than this
	oneSpot         = 0.05 // ends that are closer than this are one: the better stays
	simplexPatience = 40   // searches in a row that found nothing better, before it is called stuck
	startsToDraw    = 20   // random points from which the farthest from all earlier starts and ends is taken
)

// NelderMead is the simplex method of J. A. Nelder and R. Mead, The Computer Journal 7 (1965), with coefficients
// that depend on the number of inputs (F. Gao and L. Han, Computational Optimization and Applications 51 (2012)),
// bounds by projection, constraints by budget.Rank, and restarts. A simplex that is spent is followed by smaller ones,
// randomly turned about its best corner, as long as these win. Then the search starts again: on the line through the
// best of the ends reached so far and another one, since a simplex that is caught where curved constraints meet can
// be caught at a better place along them; or far from all earlier starts (after M. A. Luersen and R. Le Riche,
// Computers and Structures 82 (2004)).
func NelderMead(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, simplexPatience)
	r := plan.NewRand(o.Seed)
	start, size := s.startPoint, firstSize
	if start == nil {
		start = plan.Draw(r, 1, len(p.Space))[0]
	}
	var known [][]float64 // starts and ends
	var ends []trial      // best first, each on a spot of its own
	for {
		end, err := descend(ctx, s, r, start, size)
		if err != nil {
			return s.result(err)
		}
		known, ends = append(known, start, end.point), insert(ends, end)
		if err := s.restarts(); err != nil {
			return s.result(err)
		}
		if len(ends) > 1 && r.Float64() < betweenShare {
			start, size = between(r, ends)
			s.watch(fmt.Sprintf("caught after %d evaluations: restarted on the line through two ends", s.Used()))
			continue
		}
		start, size = farthest(r, known, len(p.Space)), firstSize
		s.watch(fmt.Sprintf("caught after %d evaluations: restarted far from all earlier starts", s.Used()))
	}
}

// descend runs a simplex from start, then smaller ones about the best while these win, and returns that best.
func descend(ctx context.Context, s *search, r *rand.Rand, start []float64, size float64) (trial, error) {
	best, err := runSimplex(ctx, s, along(r, start, size))
	for err == nil {
		var found trial
		if found, err = runSimplex(ctx, s, turned(r, best.point, size*restartShare)); err != nil {
			break
		}
		worthIt := found.rank.Gain(best.rank) > leastGain
		if found.rank.Better(best.rank) {
			best = found
		}
		if !worthIt {
			break
		}
	}
	return best, err
}

// insert keeps ends sorted, best first, and only the best of those that stand on one spot.
func insert(ends []trial, end trial) []trial {
	ends = append(ends, end)
	slices.SortStableFunc(ends, byRank)
	var kept []trial
	for _, e := range ends {
		if !slices.ContainsFunc(kept, func(k trial) bool { return distance(e.point, k.point) < oneSpot }) {
			kept = append(kept, e)
		}
	}
	return kept
}

// between draws a start on the line through the best end and one of the next: between them, or a little beyond the
// best. ends must have two or more.
func between(r *rand.Rand, ends []trial) (start []float64, size float64) {
	best, other := ends[0].point, ends[1+r.IntN(min(betweenEnds, len(ends)-1))].point
	t := 1.5*r.Float64() - 0.5
	start = make([]float64, len(best))
	for j := range start {
		start[j] = inside(best[j] + t*(other[j]-best[j]))
	}
	return start, min(firstSize, max(leastBetween, betweenSize*distance(start, best)))
}

// along is a simplex with edges along the axes, each in a drawn direction, or inwards where the range ends: so that
// another seed is another search from the start on.
func along(r *rand.Rand, start []float64, size float64) [][]float64 {
	points := [][]float64{slices.Clone(start)}
	for j := range start {
		point := slices.Clone(start)
		edge := size
		if r.IntN(2) == 0 {
			edge = -size
		}
		if x := point[j] + edge; x < 0 || x > 1 {
			edge = -edge
		}
		point[j] = inside(point[j] + edge)
		points = append(points, point)
	}
	return points
}

// turned is a simplex about start whose edges are orthogonal, of the given size, and randomly turned.
func turned(r *rand.Rand, start []float64, size float64) [][]float64 {
	d := len(start)
	points := [][]float64{slices.Clone(start)}
	var edges [][]float64
	for len(edges) < d {
		edge := make([]float64, d)
		for j := range edge {
			edge[j] = r.NormFloat64()
		}
		for _, earlier := range edges { // Gram-Schmidt
			along := dot(edge, earlier)
			for j := range edge {
				edge[j] -= along * earlier[j]
			}
		}
		length := math.Sqrt(dot(edge, edge))
		if length < 1e-6 {
			continue // nearly in the span of the earlier ones: draw again
		}
		point := slices.Clone(start)
		for j := range edge {
			edge[j] /= length
			point[j] = inside(start[j] + size*edge[j])
			if point[j] != start[j]+size*edge[j] {
				point[j] = inside(start[j] - size*edge[j])
			}
		}
		edges, points = append(edges, edge), append(points, point)
	}
	return points
}

func dot(a, b []float64) float64 {
	sum := 0.0
	for i := range a {
		sum += a[i] * b[i]
	}
	return sum
}

func inside(x float64) float64 { return math.Min(1, math.Max(0, x)) }

// farthest draws random points and takes the one whose nearest earlier start or end is farthest away.
func farthest(r *rand.Rand, earlier [][]float64, d int) []float64 {
	var best []float64
	most := -1.0
	for _, point := range plan.Draw(r, startsToDraw, d) {
		least := math.Inf(1)
		for _, e := range earlier {
			least = min(least, distance(point, e))
		}
		if least > most {
			best, most = point, least
		}
	}
	return best
}

// distance is the largest difference of a coordinate.
func distance(a, b []float64) float64 {
	most := 0.0
	for j := range a {
		most = max(most, math.Abs(a[j]-b[j]))
	}
	return most
}

// runSimplex moves one simplex until it is spent and returns its best corner.
func runSimplex(ctx context.Context, s *search, points [][]float64) (trial, error) {
	corners, err := s.ask(ctx, points)
	if err != nil {
		return trial{}, err
	}
	d := float64(len(points) - 1)
	expand, contract, shrink := 1+2/d, 0.75-1/(2*d), 1-1/d
	if d == 1 {
		expand, contract, shrink = 2, 0.5, 0.5 // the dependent coefficients degenerate for one input
	}
	for {
		slices.SortStableFunc(corners, byRank)
		if spent(corners) {
			return corners[0], nil
		}
		if err := moveSimplex(ctx, s, corners, expand, contract, shrink); err != nil {
			return trial{}, err
		}
	}
}

// moveSimplex replaces the worst corner, or shrinks all but the best. Corners must be sorted.
func moveSimplex(ctx context.Context, s *search, corners []trial, expand, contract, shrink float64) error {
	last := len(corners) - 1
	worst := corners[last]
	centre := centroid(corners[:last])
	try := func(factor float64) (trial, error) {
		trials, err := s.ask(ctx, [][]float64{beyond(centre, worst.point, factor)})
		if err != nil {
			return trial{}, err
		}
		return trials[0], nil
	}
	reflected, err := try(1)
	if err != nil {
		return err
	}
	switch {
	case reflected.rank.Better(corners[0].rank):
		expanded, err := try(expand)
		if err != nil {
			return err
		}
		corners[last] = reflected
		if expanded.rank.Better(reflected.rank) {
			corners[last] = expanded
		}
		return nil
	case reflected.rank.Better(corners[last-1].rank):
		corners[last] = reflected
		return nil
	}
	factor, target := -contract, worst
	if reflected.rank.Better(worst.rank) {
		factor, target = contract, reflected
	}
	contracted, err := try(factor)
	if err != nil {
		return err
	}
	if contracted.rank.Better(target.rank) {
		corners[last] = contracted
		return nil
	}
	return shrinkSimplex(ctx, s, corners, shrink)
}

func shrinkSimplex(ctx context.Context, s *search, corners []trial, shrink float64) error {
	var points [][]float64
	for _, corner := range corners[1:] {
		points = append(points, beyond(corners[0].point, corner.point, -shrink))
	}
	trials, err := s.ask(ctx, points)
	if err != nil {
		return err
	}
	copy(corners[1:], trials)
	return nil
}

// beyond is the point on the line from worst through centre, factor times as far beyond the centre, kept in the cube.
func beyond(centre, worst []float64, factor float64) []float64 {
	point := make([]float64, len(centre))
	for j := range point {
		point[j] = inside(centre[j] + factor*(centre[j]-worst[j]))
	}
	return point
}

func centroid(corners []trial) []float64 {
	centre := make([]float64, len(corners[0].point))
	for _, corner := range corners {
		for j, x := range corner.point {
			centre[j] += x / float64(len(corners))
		}
	}
	return centre
}

// spent is true when every corner stands closer to the best than leastSize, or stands for the same design.
func spent(corners []trial) bool {
	for _, corner := range corners[1:] {
		if distance(corners[0].point, corner.point) >= leastSize && !slices.Equal(corners[0].design, corner.design) {
			return false
		}
	}
	return true
}
