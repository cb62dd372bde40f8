package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
)

// A landscape is a problem as methods with derivatives see it: functions over the continuous inputs in the unit cube, of
// which the first, where there is an objective, is to be least, and the others are to keep their limits. What inputs alone
// decide is known everywhere; the rest where the solver was asked.
type landscape struct {
	*search
	goal      core.Goal
	ahead     Ahead
	axes      []int // inputs that move
	functions []function
	digits    digits
	tolerance float64 // see Effort
	byModels  bool    // a search by differences gives way to one by models where values are coarse
}

// A function is a value of the outcome.
type function struct {
	column  int
	sign    float64 // -1 where the most is asked for
	decided bool    // by inputs alone
	limit   core.Limit
	equal   bool
	price   float64 // 0: it must be kept
}

// A place is a point with what is known of it.
type place struct {
	trial
	values []float64   // of the functions
	slopes [][]float64 // of each function by each axis; nil: not asked
}

func (s *search) landscape(p Problem, o Options) *landscape {
	l := &landscape{search: s, goal: p.Goal, ahead: p.Ahead, tolerance: o.Effort.tolerance()}
	for j, in := range p.Space {
		if in.Levels() == 0 {
			l.axes = append(l.axes, j)
		}
	}
	decided := make([]bool, 0)
	if p.Ahead != nil {
		decided = p.Ahead.Decided()
	}
	isDecided := func(column int) bool { return column < len(decided) && decided[column] }
	for _, o := range p.Objectives[:min(1, len(p.Objectives))] {
		f := function{column: o.Value, sign: 1, decided: isDecided(o.Value)}
		if o.Maximize {
			f.sign = -1
		}
		l.functions = append(l.functions, f)
	}
	for _, c := range p.Constraints {
		l.functions = append(l.functions, function{column: c.Value, sign: 1, decided: isDecided(c.Value), limit: c.Limit, equal: c.Equal, price: c.Price})
	}
	return l
}

// objectives is how many of the functions are no constraints: 1 or 0.
func (l *landscape) objectives() int { return min(1, len(l.goal.Objectives)) }

// constraints are the functions that have limits.
func (l *landscape) constraints() []function { return l.functions[l.objectives():] }

// objective is that of a place; 0 where there is none.
func (l *landscape) objective(values []float64) float64 {
	if l.objectives() == 0 {
		return 0
	}
	return values[0]
}

// place asks for a point. It has no values where the solver did not give them.
func (l *landscape) place(ctx context.Context, point []float64) (place, error) {
	trials, err := l.ask(ctx, [][]float64{point})
	if len(trials) == 0 {
		return place{}, err
	}
	return l.placed(trials[0]), err
}

func (l *landscape) placed(t trial) place {
	p := place{trial: t}
	if t.outcome.State == core.OK {
		p.values = make([]float64, len(l.functions))
		for k, f := range l.functions {
			p.values[k] = f.sign * t.outcome.Values[f.column]
			l.digits.see(k, t.outcome.Values[f.column])
		}
	}
	return p
}

// look gives the functions that inputs alone decide at a point, NaN for the others, and their slopes where they are asked for.
func (l *landscape) look(point []float64, slopes bool) (values []float64, by [][]float64) {
	values = make([]float64, len(l.functions))
	for k := range values {
		values[k] = math.NaN()
	}
	if slopes {
		by = make([][]float64, len(l.functions))
	}
	if l.ahead == nil {
		return values, by
	}
	all, derivatives := l.ahead.Look(l.design(point), slopes)
	for k, f := range l.functions {
		if !f.decided {
			continue
		}
		values[k] = f.sign * all[f.column]
		if slopes {
			by[k] = l.inCube(point, f.sign, derivatives.Row(f.column))
		}
	}
	return values, by
}

// inCube turns derivatives by inputs into those by the axes of the unit cube.
func (l *landscape) inCube(point []float64, sign float64, derivatives []float64) []float64 {
	slopes := make([]float64, len(l.axes))
	for a, j := range l.axes {
		slopes[a] = sign * derivatives[j] * l.space[j].Slope(point[j])
	}
	return slopes
}

// moved is the point at which the axes have other coordinates.
func (l *landscape) moved(point, axes []float64) []float64 {
	other := slices.Clone(point)
	for a, j := range l.axes {
		other[j] = axes[a]
	}
	return other
}

// along are the coordinates of the axes.
func (l *landscape) along(point []float64) []float64 {
	axes := make([]float64, len(l.axes))
	for a, j := range l.axes {
		axes[a] = point[j]
	}
	return axes
}

// asked lists the functions that only the solver decides.
func (l *landscape) asked() []int {
	var asked []int
	for k, f := range l.functions {
		if !f.decided {
			asked = append(asked, k)
		}
	}
	return asked
}

// differentiate gives a place its slopes: exact ones where they are known, differences for the rest.
func (l *landscape) differentiate(ctx context.Context, p *place) error {
	_, p.slopes = l.look(p.point, true)
	missing := l.asked()
	if len(missing) == 0 {
		return nil
	}
	var end error
	if l.Differentiates() {
		_, derivatives, err := l.AskDerivatives(ctx, []core.Design{p.design})
		if end = err; len(derivatives) == 1 && derivatives[0] != nil {
			missing = l.take(p, derivatives[0], missing)
		}
		if len(missing) == 0 || err != nil {
			return end
		}
	}
	return l.differences(ctx, p, missing)
}

// take gives a place the exact slopes, and returns of which functions they are not known.
func (l *landscape) take(p *place, derivatives core.Derivatives, wanted []int) (missing []int) {
	for _, k := range wanted {
		f := l.functions[k]
		slopes := l.inCube(p.point, f.sign, derivatives.Row(f.column))
		if slices.ContainsFunc(slopes, func(x float64) bool { return math.IsNaN(x) || math.IsInf(x, 0) }) {
			missing = append(missing, k)
			continue
		}
		p.slopes[k] = slopes
	}
	return missing
}

// aim is the interval into which a method puts a function: inside its limit and reserve by a margin, or at the centre.
func (f function) aim(margin float64) (lower, upper float64) {
	lower, upper = f.limit.Lower+f.limit.Reserve, f.limit.Upper-f.limit.Reserve
	centre := lower/2 + upper/2
	switch {
	case f.equal || lower >= upper:
		return centre, centre
	case upper-lower < 2*margin:
		return lower + (upper-lower)/4, upper - (upper-lower)/4
	}
	return lower + margin, upper - margin
}

// violation is by how much a value is outside an interval.
func violation(value, lower, upper float64) float64 {
	return math.Max(0, math.Max(lower-value, value-upper))
}
