package optimize

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/pareto"
)

// filledShare is the share of the height of a hole within which its end need be known.
const filledShare = 0.05

// finestBox is the share of the hypervolume under a front that a hole in it must be worth to be filled.
const finestBox = 1e-6

// EpsilonConstraint fills a front by SQP: first each objective alone is made least, then where the front has its largest hole the last
// objective is, with limits on the others in the middle of the hole (Y. Y. Haimes, L. S. Lasdon and D. A. Wismer, IEEE Transactions on
// Systems, Man, and Cybernetics 1 (1971)). Each search begins between the neighbours of the hole with what the one before has learned of the
// curvature, so that most need few steps. It is for smooth problems, best with exact derivatives; inputs that are stepped go from neighbour to
// neighbour.
func EpsilonConstraint(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	return fillFront(ctx, p, e, o, watch, "epsilon-constraint", func(*filling) {})
}

// fillFront fills a front by SQP, as prepare says; where there is one objective it is one design.
func fillFront(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer, name string, prepare func(*filling)) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	if len(p.Objectives) < 2 {
		return SQP(ctx, p, e, o, watch)
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	if unsuited := Unsuited(name, p.Space); unsuited != "" {
		return Result{}, errors.New(unsuited)
	}
	f := l.filling(p, o, o.Budget)
	prepare(f)
	return s.result(f.fill(ctx))
}

// limited asks for the best of the last objective with limits on the others.
func (f *filling) limited(limits []float64, hole pareto.Box) (Problem, core.Evaluator, float64) {
	p := f.problem
	last := len(p.Objectives) - 1
	p.Objectives = p.Objectives[last:]
	p.Constraints = slices.Clone(p.Constraints)
	for k, o := range f.problem.Objectives[:last] {
		limit := core.Limit{Lower: math.Inf(-1), Upper: limits[k]}
		if o.Maximize {
			limit = core.Limit{Lower: -limits[k], Upper: math.Inf(1)}
		}
		p.Constraints = append(p.Constraints, core.Constraint{Value: o.Value, Limit: limit})
	}
	height := (hole.Upper[last] - hole.Lower[last]) / math.Max(math.Abs(hole.Upper[last]), math.Abs(hole.Lower[last]))
	return p, f.asked(), filledShare * height
}

// asked is the evaluator of a search on the account of the filling.
func (f *filling) asked() core.Evaluator {
	if f.Differentiates() {
		return sloped{f}
	}
	return f
}

// A filling is a front on its way.
type filling struct {
	*landscape
	problem Problem
	options Options
	until   int          // evaluations it may use
	members []trial      // at which searches ended, none of which dominates another
	points  [][]float64  // their objectives
	vain    []pareto.Box // that no search ended in
	warmth  *Learned
	// scalarize makes one objective of several for a search in a hole, about the middle of it or the point where that is begun.
	scalarize func(middle []float64, hole pareto.Box) (p Problem, e core.Evaluator, precision float64)
	leaves    string // said of the holes that are left where no search can end in them; "": there are none
}

// Evaluate passes the questions of a search on.
func (f *filling) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	answers, err := f.Ask(ctx, designs)
	return outcomesOf(answers), err
}

func outcomesOf(answers []budget.Answer) []core.Outcome {
	outcomes := make([]core.Outcome, len(answers))
	for i, a := range answers {
		outcomes[i] = a.Outcome
	}
	return outcomes
}

// A sloped filling knows derivatives.
type sloped struct{ *filling }

func (f sloped) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	answers, derivatives, err := f.AskDerivatives(ctx, designs)
	return outcomesOf(answers), derivatives, err
}

// enter takes the end of a search into the front, unless it is dominated.
func (f *filling) enter(end budget.Answer) {
	if end.Outcome.Values == nil || !f.problem.Feasible(end.Outcome.Values) {
		return
	}
	t := trial{point: f.space.Point(end.Design), design: end.Design, rank: end.Rank, outcome: end.Outcome}
	at := f.objectivesOf(t)
	if slices.ContainsFunc(f.points, func(q []float64) bool { return pareto.Dominates(q, at) || slices.Equal(q, at) }) {
		return
	}
	for k := len(f.points) - 1; k >= 0; k-- {
		if pareto.Dominates(at, f.points[k]) {
			f.points, f.members = slices.Delete(f.points, k, k+1), slices.Delete(f.members, k, k+1)
		}
	}
	f.points, f.members = append(f.points, at), append(f.members, t)
}

// least is one search for one objective with limits on others, on the account of the filling: SQP, and where inputs are stepped the comparison
// of where that ends with its neighbours. Its error ends the filling.
func (f *filling) least(ctx context.Context, p Problem, e core.Evaluator, start core.Design, precision float64) error {
	search := SQP
	if len(f.axes) < len(f.space) {
		search = FromStart
	}
	found, err := search(ctx, p, e, Options{Seed: f.options.Seed, Budget: max(1, f.until-f.Used()), Start: start, Learned: f.warmth, Effort: Quick, precision: precision, unproved: true}, nil)
	if err != nil {
		return err
	}
	if found.Learned != nil {
		f.warmth = found.Learned
	}
	f.enter(found.Best)
	_, err = f.Ask(ctx, nil) // says whether the budget is used up
	return err
}

func (l *landscape) filling(p Problem, o Options, until int) *filling {
	f := &filling{landscape: l, problem: p, options: o, until: until}
	f.scalarize = f.limited
	return f
}

// fill looks for the ends of the front, and then into its holes, until its evaluations are used up or no hole is left.
func (f *filling) fill(ctx context.Context) error {
	err := f.ends(ctx)
	for err == nil && f.Used() < f.until {
		err = f.fillHole(ctx)
	}
	return err
}

// ends makes each objective least alone, each from where the one before ended.
func (f *filling) ends(ctx context.Context) error {
	start := f.space.Design(slices.Repeat([]float64{0.5}, len(f.space)))
	if f.startPoint != nil {
		start = f.design(f.startPoint)
	}
	for k, objective := range f.problem.Objectives {
		f.watch(fmt.Sprintf("looks for the end of the front that is best in its %d. objective", k+1))
		p := f.problem
		p.Objectives = []core.Objective{objective}
		if err := f.least(ctx, p, f.asked(), start, 0); err != nil {
			return err
		}
		if len(f.members) > 0 {
			best := slices.MinFunc(f.members, func(a, b trial) int {
				return cmp.Compare(objective.Least(a.outcome.Values), objective.Least(b.outcome.Values))
			})
			start = best.design
		}
	}
	if len(f.members) == 0 {
		return budget.Ended{Cause: budget.Stuck, Reason: "no search from the start found a design that meets every requirement: take nsga2 or surrogate, or another start"}
	}
	return nil
}

// fillHole searches in the largest hole.
func (f *filling) fillHole(ctx context.Context) error {
	box, share := f.hole()
	if share < finestBox {
		reason := fmt.Sprintf("converged: the front of %s has no hole that is worth to be filled", countOf(len(f.members), "design"))
		if len(f.vain) > 0 && f.leaves != "" {
			reason = fmt.Sprintf("converged with %s: %s", countOf(len(f.members), "design"), f.leaves)
		}
		return budget.Ended{Cause: budget.Converged, Reason: reason}
	}
	f.watch(fmt.Sprintf("fills the largest hole of a front of %s, after %d evaluations", countOf(len(f.members), "design"), f.Used()))
	limits := make([]float64, len(box.Lower))
	for k := range limits {
		limits[k] = (box.Lower[k] + box.Upper[k]) / 2
	}
	start := f.between(limits, box)
	before := len(f.inside(box))
	trials, err := f.ask(ctx, [][]float64{start})
	for _, t := range trials {
		// where the point between stands in the hole it is bettered there, else in the middle
		if at := f.within(t, box); at != nil {
			limits = at
		}
	}
	if err != nil {
		return err
	}
	p, e, precision := f.scalarize(limits, box)
	if err := f.least(ctx, p, e, f.design(start), max(Quick.tolerance(), precision)); err != nil {
		return err
	}
	if len(f.inside(box)) == before {
		f.vain = append(f.vain, box)
	}
	return nil
}

// hole is the box between members of the front that has the largest volume, with its share of the box about the front.
func (f *filling) hole() (pareto.Box, float64) {
	ideal, nadir := f.extent()
	var largest pareto.Box
	most := 0.0
	for _, box := range pareto.Boxes(f.points, nadir) {
		share := 1.0
		for k := range box.Lower {
			box.Lower[k] = max(box.Lower[k], ideal[k])
			share *= max(0, box.Upper[k]-box.Lower[k]) / math.Max(nadir[k]-ideal[k], math.SmallestNonzeroFloat64)
		}
		if share > most && !slices.ContainsFunc(f.vain, func(v pareto.Box) bool { return slices.Equal(v.Lower, box.Lower) && slices.Equal(v.Upper, box.Upper) }) {
			largest, most = box, share
		}
	}
	return largest, most
}

// extent is the best and the worst of the front in every objective.
func (f *filling) extent() (ideal, nadir []float64) {
	ideal, nadir = slices.Clone(f.points[0]), slices.Clone(f.points[0])
	for _, p := range f.points {
		for k, v := range p {
			ideal[k], nadir[k] = min(ideal[k], v), max(nadir[k], v)
		}
	}
	return ideal, nadir
}

// between is the mean of the members that stand about the middle of a hole: as many as there are objectives.
func (f *filling) between(middle []float64, box pareto.Box) []float64 {
	away := make([]float64, len(f.members))
	order := make([]int, len(f.members))
	for i, p := range f.points {
		order[i] = i
		for k, v := range p {
			share := (v - middle[k]) / math.Max(box.Upper[k]-box.Lower[k], math.SmallestNonzeroFloat64)
			away[i] += share * share
		}
	}
	slices.SortStableFunc(order, func(i, j int) int { return cmp.Compare(away[i], away[j]) })
	order = order[:min(len(order), len(middle))]
	mean := slices.Clone(f.members[order[0]].point)
	for _, j := range f.axes {
		sum := 0.0
		for _, i := range order {
			sum += f.members[i].point[j]
		}
		mean[j] = sum / float64(len(order))
	}
	return mean
}

// within are the objectives of a trial that keeps every constraint and, in all objectives but the last, stands inside a box; nil otherwise.
func (f *filling) within(t trial, box pareto.Box) []float64 {
	if !t.rank.Kept() {
		return nil
	}
	at := f.objectivesOf(t)
	for k := range at[:len(at)-1] {
		if !(at[k] > box.Lower[k] && at[k] < box.Upper[k]) {
			return nil
		}
	}
	return at
}

// inside lists the members in a box.
func (f *filling) inside(box pareto.Box) []int {
	var inside []int
	for i, p := range f.points {
		in := true
		for k, v := range p {
			in = in && v < box.Upper[k]
		}
		if in {
			inside = append(inside, i)
		}
	}
	return inside
}
