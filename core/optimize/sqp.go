package optimize

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
)

const (
	firstRadius    = 0.2 // of the trust region, in the unit cube
	leastRadius    = 1e-11
	mostRadius     = 1.0
	goodRatio      = 0.75  // of what was believed, from which on the region grows
	poorRatio      = 0.25  // below which it shrinks
	lessened       = 0.2   // Powell's damping
	dearer         = 1.5   // a price stands over the multiplier by this
	leastPrice     = 1e-3  // of the first price
	cheaper        = 0.1   // but falls towards it no faster than this
	steering       = 10.0  // by which prices grow while that brings the constraints nearer
	dearest        = 1e7   // at most
	steeredShare   = 0.5   // of what is missed, less what no step can better, that may be left
	aimShare       = 1e-7  // share of the objective that aiming inside the limits may cost at first
	aimShareAtLast = 1e-11 // and in the end
	aimMost        = 1e-6  // and of the slope of a limit
	squaredShare   = 1e-6  // of a sum of squares, to which a tolerance refers: inputs move by the root of it
	innerShare     = 1e-4  // share of the first change of the objective to which a tolerance refers at least
	sqpTolerance   = 1e-9  // share of the objective by which a step must be believed to better it
	mostFailures   = 12    // steps in a row to designs that the solver cannot do
)

// An ending is a place where a local search ended, and what is known of it.
type ending struct {
	place
	converged   bool      // no step was left that was worth it
	level       bool      // first-order conditions hold: its slopes promise no more than levelShare of the objective within lookRadius
	blocked     bool      // designs that fail stand where its slopes lead
	multipliers []float64 // of the constraints
	bounds      []float64 // of the axes
	predicted   float64   // by how much the objective was still believed to fall
	scale       float64   // of the objective
	iterations  int
	bent        bool        // negative curvature was met on the way
	curvature   [][]float64 // that was learned; nil: none was
	radius      float64     // of the trust region
	torn        bool        // slopes promised what no step along them brought, or led away from where constraints were kept: values jump or have edges
}

// SQP is sequential quadratic programming in a trust region: damped BFGS (M. J. D. Powell, Lecture Notes in Mathematics 630
// (1978)), exact penalties for what a step still misses, raised as far as that brings it nearer (R. H. Byrd, J. Nocedal and
// R. A. Waltz, Optimization Methods and Software 23 (2008)), second-order corrections, slopes that are exact or differences.
// What inputs alone decide is kept at every step, curved as it is. It ends at the first place that it cannot better.
func SQP(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	if unsuited := Unsuited("sqp", p.Space); unsuited != "" {
		return Result{}, errors.New(unsuited)
	}
	start := s.startPoint
	if start == nil {
		start = make([]float64, len(p.Space))
		for j := range start {
			start[j] = 0.5
		}
	}
	k := &looker{landscape: l, rand: plan.NewRand(o.Seed)}
	end, err := l.descend(ctx, start, nil)
	if err == nil {
		end, err = k.acrossTears(ctx, end)
	}
	l.ends = &basins{searches: 1}
	l.ends.enter(end)
	if err == nil {
		err = end.reason()
	}
	return s.result(err)
}

// reason says how a local search ended. It has converged only where its slopes say so too.
func (e ending) reason() error {
	steps := countOf(e.iterations, "step")
	switch {
	case e.values == nil:
		return budget.Ended{Cause: budget.Stuck, Reason: "the solver gave nothing usable at the start: begin at a design that it can do"}
	case e.level && !e.torn && !e.blocked:
		return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("converged after %s: no small change betters it", steps)}
	}
	return budget.Ended{Cause: budget.Stuck, Reason: fmt.Sprintf("stopped after %s: %s", steps, e.obstacle())}
}

// obstacle says why a search ended at a place that is not level.
func (e ending) obstacle() string {
	if e.blocked {
		return "designs fail on the side where its slopes lead, and no way around them was found; begin elsewhere, or mend what makes them fail"
	}
	return "its slopes promise more than steps from it have brought, as where values jump, have edges or few digits; pattern, cma-es or differential-evolution may better it"
}

// A descent is one local search on its way.
type descent struct {
	*landscape
	here        place
	bend        [][]float64
	bent        bool
	scaled      bool
	mixed       bool // some functions are decided by inputs alone
	radius      float64
	prices      []float64
	last        step
	first       float64 // the objective at the start
	stale       bool    // slopes were carried on from another place
	cuts        []cut
	failures    int         // steps in a row to designs that the solver cannot do
	ratio       float64     // of what the last step brought to what was believed
	renewedAt   place       // where the bend was last forgotten; no values: nowhere
	uncutAt     place       // where cuts were last dropped
	crawledFrom place       // some steps ago
	provedAt    place       // where slopes were last taken at another step length
	plain       bool        // limits are aimed at as they are
	blocked     bool        // designs that fail hold the place
	proofs      int         // how often slopes were taken so
	edged       bool        // slopes to one side and to the other contradict each other: an edge
	moving      []bool      // axes that have changed something that only the solver decides
	aimShare    float64     // of the objective that aiming inside the limits may cost
	kept        place       // the best that kept every constraint
	forgotten   [][]float64 // what was learned of the curvature before that; nil: nothing
}

func (l *landscape) descent(radius float64) *descent {
	return &descent{landscape: l, radius: radius, moving: make([]bool, len(l.axes)), prices: make([]float64, len(l.constraints())),
		mixed: slices.ContainsFunc(l.functions, func(f function) bool { return f.decided }), aimShare: aimShare}
}

// descend searches from a point until nothing more is to be gained, or until joins, which may be nil, is true of a place.
func (l *landscape) descend(ctx context.Context, start []float64, joins func(place) bool) (ending, error) {
	d := l.descent(firstRadius)
	d.beginWarm()
	l.warm = nil
	var err error
	if d.here, err = l.place(ctx, l.repaired(start)); err != nil || d.here.values == nil {
		return ending{place: d.here}, err
	}
	d.first = l.objective(d.here.values)
	if len(l.axes) == 0 {
		if len(l.long()) > 0 {
			return l.descendLattice(ctx, d.here, joins)
		}
		return d.ending(0, true), nil
	}
	if err := l.differentiate(ctx, &d.here); err != nil {
		return d.ending(0, false), err
	}
	if l.byModels && l.coarse() && !l.Differentiates() {
		return d.ending(0, false), nil
	}
	return d.walk(ctx, joins)
}

// walk goes from the place of the descent, whose slopes are known.
func (d *descent) walk(ctx context.Context, joins func(place) bool) (ending, error) {
	for iteration := 1; ; iteration++ {
		d.notesMoves()
		if d.leavesTears && d.crawls(iteration) {
			end := d.ending(iteration, true)
			end.level, end.torn = false, true
			return end, nil
		}
		d.last = d.propose()
		if d.done() {
			if d.forgets() || d.tightens() {
				continue
			}
			if on, err := d.goesOn(ctx); err != nil || !on {
				return d.ending(iteration, err == nil), err
			}
			continue
		}
		next, err := d.place(ctx, d.last.point)
		if err != nil && next.values == nil {
			return d.ending(iteration, false), err
		}
		if next.values == nil {
			if d.isBlocked() {
				return d.ending(iteration, false), nil
			}
			continue
		}
		d.failures = 0
		accepted, errCorrected := d.judge(ctx, &next)
		if err == nil {
			err = errCorrected
		}
		if err != nil {
			if accepted {
				d.here = next
			}
			return d.ending(iteration, false), err
		}
		if !accepted {
			if end, err := d.declines(ctx, iteration); end != nil || err != nil {
				return *end, err
			}
			continue
		}
		before := d.here
		d.here = next
		if d.here.rank.Kept() && (d.kept.values == nil || d.here.rank.Better(d.kept.rank)) {
			d.kept = d.here
		}
		if d.believesDone(before) && !d.isSteepFrom(before) && !d.tightens() && len(d.cuts) == 0 {
			d.here.slopes, d.here.targets, d.here.apart = before.slopes, before.targets, before.apart // as good as its own: the step was short
			if on, err := d.proves(ctx); err != nil || !on {
				end := d.ending(iteration, err == nil)
				if end.level = err == nil && !d.edged; end.level {
					end.torn = false
				}
				return end, err
			}
			continue
		}
		if joins != nil && joins(d.here) {
			return d.ending(iteration, false), nil
		}
		if err := d.follow(ctx, before); err != nil {
			return d.ending(iteration, false), err
		}
		d.bendBy(before)
	}
}

// declines is what follows a step that was not accepted: the next one is shorter, or its slopes are taken anew; or it is the end.
func (d *descent) declines(ctx context.Context, iteration int) (*ending, error) {
	if d.stale {
		if err := d.renew(ctx); err != nil {
			end := d.ending(iteration, false)
			return &end, err
		}
		return nil, nil
	}
	if !d.torn() && d.radius >= leastRadius {
		return nil, nil
	}
	if on, err := d.goesOn(ctx); err != nil || !on {
		end := d.ending(iteration, err == nil)
		return &end, err
	}
	return nil, nil
}

// goesOn is true where a place that seems the end is none: designs that failed hold it, or its slopes are not those that other neighbors tell.
func (d *descent) goesOn(ctx context.Context) (bool, error) {
	if d.uncuts() {
		return true, nil
	}
	return d.proves(ctx)
}

// isBlocked learns from a step to a design that the solver cannot do, and is true where that was the last one.
func (d *descent) isBlocked() bool {
	if d.failures++; d.failures < mostFailures && d.radius >= leastRadius {
		d.avoid()
		return false
	}
	d.failures = 0
	d.blocked = !d.uncuts()
	return d.blocked
}

func (d *descent) ending(iterations int, converged bool) ending {
	curvature := d.forgotten
	if d.scaled {
		curvature = clonedRows(d.bend)
	}
	if converged && d.kept.values != nil && d.here.rank.Missed() > strayed {
		return ending{place: d.kept, converged: true, predicted: d.last.predicted, scale: d.scale(), iterations: iterations, bent: d.bent, torn: true, curvature: curvature, radius: d.radius}
	}
	level := converged && d.isLevel(d.done())
	return ending{place: d.here, converged: converged, level: level, blocked: d.blocked, torn: converged && !level && !d.blocked && (d.edged || d.torn() || d.radius < leastRadius || d.coarse() && !d.Differentiates()), multipliers: d.last.multipliers, bounds: d.last.bounds, predicted: d.last.predicted, scale: d.scale(), iterations: iterations, bent: d.bent, curvature: curvature, radius: d.radius}
}

// A cut keeps steps from going on towards designs that failed.
type cut struct {
	normal []float64
	most   float64 // of the normal times the axes
}

const (
	cutShare = 0.5 // of a step that failed is how far steps may go in its direction from then on
	mostCuts = 20
)

// avoid learns from a step to a design that the solver cannot do: the next ones go less far that way, and beside it.
func (d *descent) avoid() {
	centre := d.along(d.here.point)
	normal := minus(d.last.axes, centre)
	length := math.Sqrt(dot(normal, normal))
	if length == 0 {
		d.radius = leastRadius // the step was nothing: there is no way to leave
		return
	}
	for a := range normal {
		normal[a] /= length
	}
	d.cuts = append(d.cuts, cut{normal: normal, most: dot(normal, centre) + cutShare*length})
	if len(d.cuts) > mostCuts {
		d.cuts = d.cuts[1:]
	}
	d.radius = math.Max(leastRadius, d.last.length/2)
}

// aims are the intervals into which the constraints are put.
func (d *descent) aims(multipliers []float64) [][2]float64 {
	if d.plain {
		return d.plainAims()
	}
	aims := make([][2]float64, len(d.constraints()))
	for i, f := range d.constraints() {
		k := d.objectives() + i
		margin := f.rounding(d.here.values[k], d.here.slopes[k])
		if !f.decided && f.price == 0 {
			wide := aimMost * math.Min(largest(d.here.slopes[k]), math.Max(f.size(), math.Abs(f.limit.Margin(d.here.values[k]))))
			if multipliers != nil && multipliers[i] != 0 {
				wide = math.Min(wide, d.aimShare*d.scale()/(math.Abs(multipliers[i])*float64(len(aims))))
			}
			margin = math.Max(10*margin, wide)
		}
		aims[i][0], aims[i][1] = f.aim(margin)
	}
	return aims
}

func (d *descent) subproblem(radius float64) *subproblem {
	if d.bend == nil && d.ofTargets() && d.here.targets != nil {
		d.bend = d.squared()
	}
	if d.bend == nil {
		d.bend = square(len(d.axes))
		steepness := 0.0
		if d.objectives() == 1 && !d.functions[0].decided {
			steepness = math.Sqrt(dot(d.here.slopes[0], d.here.slopes[0])) / firstRadius
		}
		for a := range d.bend {
			d.bend[a][a] = math.Max(steepness, 1e-8)
		}
	}
	return &subproblem{landscape: d.landscape, centre: d.along(d.here.point), point: d.here.point, values: d.here.values, slopes: d.here.slopes, bend: d.bend,
		aims: d.aims(d.last.multipliers), prices: d.prices, radius: radius, cuts: d.cuts}
}

// judge compares what a step has brought with what was believed, and sets the trust region by it. A step that missed the
// constraints by their curvature is corrected once.
func (d *descent) judge(ctx context.Context, next *place) (accepted bool, err error) {
	aims := d.aims(d.last.multipliers)
	before := d.merit(d.here, aims)
	fell := before - d.merit(*next, aims)
	tolerance := 1e-15 * math.Abs(before)
	if fell < leastFall*d.last.predicted-tolerance {
		corrected, found, errCorrected := d.correct(ctx, *next, aims)
		if found {
			if better := before - d.merit(corrected, aims); better > fell {
				*next, fell = corrected, better
			}
		}
		if errCorrected != nil {
			return fell > 0, errCorrected
		}
	}
	ratio := fell / math.Max(d.last.predicted, math.SmallestNonzeroFloat64)
	d.ratio = ratio
	switch {
	case ratio < leastFall:
		d.radius = d.last.length * d.shrinkage(fell)
	case ratio < poorRatio:
		d.radius = math.Max(d.last.length/2, leastRadius)
	case ratio > goodRatio && d.last.length > 0.9*d.radius:
		d.radius = math.Min(mostRadius, 2*d.radius)
	}
	return ratio >= leastFall, nil
}

// shrinkage is how much of a step that failed is tried next: the least point of the parabola through what is known.
func (d *descent) shrinkage(fell float64) float64 {
	if !(d.last.predicted > fell) {
		return 0.1 // there is no parabola: nothing was predicted
	}
	share := d.last.predicted / (2 * (d.last.predicted - fell))
	return math.Min(0.5, math.Max(0.1, share))
}

// correct asks for a second-order correction of a step, where constraints that only the solver decides have bent it off.
func (d *descent) correct(ctx context.Context, next place, aims [][2]float64) (place, bool, error) {
	off := false
	q := d.subproblem(d.radius)
	q.prices = d.prices
	away := minus(d.along(next.point), q.centre)
	q.values = slices.Clone(q.values)
	for i, f := range d.constraints() {
		k := d.objectives() + i
		if f.decided {
			continue
		}
		off = off || violation(next.values[k], aims[i][0], aims[i][1]) > d.last.missed[i]+1e-9*largest(d.here.slopes[k])
		q.values[k] = next.values[k] - dot(d.here.slopes[k], away)
	}
	if !off {
		return place{}, false, nil
	}
	s := q.solve()
	if distance(s.axes, d.along(next.point)) < 1e-14 {
		return place{}, false, nil
	}
	corrected, err := d.place(ctx, s.point)
	return corrected, corrected.values != nil, err
}
