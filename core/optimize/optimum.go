package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
)

// An Optimum says what holds a design where it is.
type Optimum struct {
	// Prices has for each constraint by how much the objective, as it is to be least, would fall where its limit were one unit wider: 0
	// where it does not hold the design. Uppers is true where the upper end of the limit does. Nil: slopes are not known.
	Prices []float64
	Uppers []bool
	// Sizes has by how much the value of each constraint moves over the range of the input that moves it most.
	Sizes []float64
	// EndPrices and UpperEnds are the same for the ends of the range of each input.
	EndPrices []float64
	UpperEnds []bool
	// Level is by what share of the objective a change of every input by a hundredth of its range might better it at most.
	Level float64
	// Idle is true for inputs whose change would change nothing that counts.
	Idle []bool
	// Easings has, where the design misses constraints, by how much each one alone would have to give for a design to meet everything: measured, by what was
	// asked or, where that costs nothing, by a search for it. Nil where the design keeps all.
	Easings []budget.Easing
	// Worths has for each constraint whose price is not 0 what giving it alone would bring, and EndWorths for each input; nil where nothing is known of that.
	Worths, EndWorths []Worth
	// Feasible is a design that meets everything, which a search at no cost has found beside; nil: none.
	Feasible core.Design
}

// A Place is another design at which a local search ended, or a neighbour.
type Place struct {
	Design    core.Design
	Number    int // of the evaluation
	Objective float64
	Paid      float64 // for soft constraints, beside the objective
	Feasible  bool
	Searches  int // that ended there
}

const (
	idleShare   = 1e-9 // of what the largest slope brings, below which an input is idle
	explainBend = 10   // over the steepest slope: how much the program that finds prices is bent
	holdsFrom   = 1e-7 // of the slope of the objective, from which a multiplier counts
)

// Explain says what holds the best design of a result. It asks nothing but derivatives of the evaluator; without any, and without
// those of the search, it returns nil. Of another evaluator, which may be nil, designs cost nothing: limits are moved and searched again with it, to see what
// that brings.
func Explain(ctx context.Context, p Problem, e, aside core.Evaluator, r Result) (*Optimum, error) {
	if r.Best.Outcome.Values == nil || r.Best.Outcome.State != core.OK {
		return nil, nil
	}
	s := newSearch(p, e, Options{Budget: math.MaxInt}, nil, 0)
	l := s.landscape(p, Options{})
	if len(l.axes) == 0 {
		return nil, nil
	}
	here := l.placed(trial{point: p.Space.Point(r.Best.Design), design: r.Best.Design, rank: r.Best.Rank, outcome: r.Best.Outcome})
	if r.end != nil && !r.Best.Rank.Kept() {
		here = l.placed(r.end.trial)
	}
	known, err := l.slopesAt(ctx, &here, r.end)
	if err != nil || !known {
		return nil, err
	}
	o, d := l.optimum(here)
	switch {
	case !r.Best.Rank.Kept():
		o.Easings, o.Feasible, err = eased(ctx, p, aside, r)
	case len(p.Objectives) == 0 && len(p.Targets) == 0:
		// nothing is gained
	case r.end != nil && !r.end.level && r.end.apart > 0:
		// values jump or have edges there: what such slopes price is not there
	case aside != nil && len(l.stepped()) == 0:
		err = l.priced(ctx, p, aside, r, here, o)
	default:
		var curvature [][]float64
		if r.end != nil {
			curvature = r.end.curvature
		}
		l.believedWorth(d, p, curvature, o)
	}
	return o, err
}

// slopesAt gives a place its slopes without asking for evaluations.
func (l *landscape) slopesAt(ctx context.Context, here *place, end *ending) (bool, error) {
	if end != nil && len(end.slopes) >= len(l.functions) && slices.Equal(end.design, here.design) {
		slopes := end.slopes[len(end.slopes)-len(l.functions):] // that of the way from the start, which comes first, is no part of the goal
		// A budget may end while slopes are asked for.
		if !slices.ContainsFunc(slopes, func(by []float64) bool { return len(by) != len(l.axes) }) {
			here.slopes, here.targets = slopes, end.targets
			return true, nil
		}
	}
	_, here.slopes = l.look(here.point, true)
	missing := l.asked()
	if len(missing) == 0 {
		return true, nil
	}
	if !l.Differentiates() {
		return false, nil
	}
	_, derivatives, err := l.AskDerivatives(ctx, []core.Design{here.design})
	if err != nil || len(derivatives) == 0 || derivatives[0] == nil {
		return false, ignoreEnd(err)
	}
	return len(l.take(here, derivatives[0], missing)) == 0, nil
}

// ignoreEnd passes on all errors but that of an account that ends.
func ignoreEnd(err error) error {
	if _, ended := err.(budget.Ended); ended {
		return nil
	}
	return err
}

// optimum solves the program whose multipliers are the prices.
func (l *landscape) optimum(here place) (*Optimum, *descent) {
	d := l.descent(lookRadius)
	d.here, d.first = here, l.objective(here.values)
	steepest := 1e-9
	if d.objectives() == 1 {
		steepest = math.Max(steepest, largest(here.slopes[0]))
	}
	d.bend = square(len(l.axes))
	for a := range d.bend {
		d.bend[a][a] = explainBend * steepest
	}
	o := &Optimum{Prices: make([]float64, len(l.constraints())), Uppers: make([]bool, len(l.constraints())), EndPrices: make([]float64, len(l.space)),
		UpperEnds: make([]bool, len(l.space)), Idle: make([]bool, len(l.space)), Sizes: make([]float64, len(l.constraints()))}
	for i := range o.Sizes {
		o.Sizes[i] = largest(here.slopes[l.objectives()+i])
	}
	if !here.rank.Kept() {
		return o, d
	}
	s := d.propose()
	for i, multiplier := range s.multipliers {
		k := l.objectives() + i
		if upper := multiplier < 0; math.Abs(multiplier)*largest(here.slopes[k]) > holdsFrom*steepest && l.functions[k].standsAt(here.values[k], upper, o.Sizes[i]) {
			o.Prices[i], o.Uppers[i] = math.Abs(multiplier), multiplier < 0
		}
	}
	for a, j := range l.axes {
		if multiplier := s.bounds[a]; math.Abs(multiplier) > holdsFrom*steepest && l.atEnd(here.point[j], multiplier) {
			o.EndPrices[j], o.UpperEnds[j] = math.Abs(multiplier)/l.space[j].Slope(here.point[j]), multiplier < 0
		}
	}
	d.bend = square(len(l.axes))
	if l.ofTargets() && here.targets != nil {
		d.bend = d.squared() // the curvature of a sum of squares is known
	}
	for a := range d.bend {
		d.bend[a][a] += 1e-9
	}
	o.Level = math.Max(0, d.propose().predicted) / math.Max(math.Abs(d.first), 1e-12)
	l.idle(here, o)
	return o, d
}

// atEnd is true where a coordinate stands at the end of its range that a multiplier speaks of.
func (l *landscape) atEnd(u, multiplier float64) bool {
	return multiplier > 0 && u < 1e-9 || multiplier < 0 && u > 1-1e-9
}

// idle finds the inputs that move nothing.
func (l *landscape) idle(here place, o *Optimum) {
	for a, j := range l.axes {
		moves := 0.0
		for _, slopes := range here.slopes {
			if size := largest(slopes); size > 0 {
				moves = math.Max(moves, math.Abs(slopes[a])/size)
			}
		}
		o.Idle[j] = moves < idleShare
	}
}

// inEachOthersWay is true for constraints that are in each other's way about a place, as its planes say.
func (l *landscape) inEachOthersWay(d *descent) []bool {
	q := d.subproblem(lookRadius * 10)
	q.blind = true
	for a := range q.bend {
		for b := range q.bend[a] {
			q.bend[a][b] = 0
		}
		q.bend[a][a] = 1e-6
	}
	q.aims = d.plainAims()
	q.prices = make([]float64, len(q.aims))
	for i, f := range l.constraints() {
		if f.price == 0 {
			q.prices[i] = 1 / math.Max(1e-9, largest(d.here.slopes[l.objectives()+i]))
		}
	}
	s := q.solve()
	listed := make([]bool, len(q.aims))
	for i := range q.aims {
		listed[i] = math.Abs(s.multipliers[i]) > 1e-6*q.stiff[i]
	}
	return listed
}
