package optimize

import (
	"cmp"
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
	goal        core.Goal
	ahead       Ahead
	axes        []int // inputs that move
	functions   []function
	digits      digits
	tolerance   float64       // see Effort
	unchecked   bool          // derivatives are to be compared with differences at the first place
	doubted     map[int]Doubt // columns whose derivatives were found wrong
	home        []float64     // axes from which the distance is the objective; nil: that of the goal
	warm        *Learned      // by an earlier search; nil: nothing, or it was taken
	covariance  [][]float64   // of samples that gathered about the best design; nil: none did
	ungiven     bool          // an evaluator that could give derivatives has given none
	unproved    bool          // slopes at the end are believed: the search is a part of another one, that looks again
	leavesTears bool          // a search that ends where values jump or have edges, or crawls along them, is the last by slopes
	acts        []bool        // of each input whether it has changed a function; of one that is stepped or a list it is not looked at, and true
	byModels    bool          // a search by differences gives way to one by models where values are coarse
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
	apart  float64     // how far the neighbors stood whose differences the slopes are, in the unit cube; 0: they are exact
	// targets has the slopes of the values that are to come near to targets; nil: there are none, or they were not asked.
	targets [][]float64
}

func (s *search) landscape(p Problem, o Options) *landscape {
	l := &landscape{search: s, goal: p.Goal, ahead: p.Ahead, tolerance: cmp.Or(o.precision, o.Effort.tolerance()), unchecked: o.Check, doubted: map[int]Doubt{}, warm: o.Learned, unproved: o.unproved}
	s.seen = l
	s.doubts = l.doubted
	l.acts = make([]bool, len(p.Space))
	for j, in := range p.Space {
		if in.Levels() == 0 {
			l.axes = append(l.axes, j)
		}
		l.acts[j] = in.Levels() > 0
	}
	decided := make([]bool, 0)
	if p.Ahead != nil {
		decided = p.Ahead.Decided()
	}
	isDecided := func(column int) bool { return column < len(decided) && decided[column] }
	if len(p.Objectives) == 0 && len(p.Targets) > 0 {
		f := function{column: noColumn, sign: 1, decided: true}
		for _, t := range p.Targets {
			f.decided = f.decided && isDecided(t.Value)
		}
		l.functions = append(l.functions, f)
	}
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

// These stand for the column of an objective that has none.
const (
	noColumn = -1 // it is made of targets
	fromAfar = -2 // it is half the squared distance from home
)

// Differentiates is true where derivatives are to be had: not of a solver that could give them and has given none.
func (l *landscape) Differentiates() bool { return !l.ungiven && l.Account.Differentiates() }

// begun evaluates where the search begins, of a solver that may or may not give derivatives, and sees whether it does.
func (l *landscape) begun(ctx context.Context) error {
	answers, derivatives, err := l.AskDerivatives(ctx, []core.Design{l.design(l.repaired(l.begin()))})
	if len(answers) == 0 || answers[0].Outcome.State != core.OK {
		return err // a design that failed does not tell
	}
	l.ungiven = true
	for _, k := range l.asked() {
		for _, column := range l.columnsOf(l.functions[k]) {
			if len(derivatives) > 0 && derivatives[0] != nil && slices.ContainsFunc(derivatives[0].Row(column), func(x float64) bool { return !math.IsNaN(x) }) {
				l.ungiven = false
			}
		}
	}
	return err
}

// objectives is how many of the functions are no constraints: 1 or 0.
func (l *landscape) objectives() int {
	if l.home != nil || l.goal.Aims() {
		return 1
	}
	return 0
}

// ofTargets is true where the objective is a sum of squares.
func (l *landscape) ofTargets() bool {
	return len(l.functions) > 0 && l.functions[0].column == noColumn
}

// valueOf is the value of a function in an outcome.
func (l *landscape) valueOf(f function, point, values []float64) float64 {
	switch f.column {
	case noColumn:
		return l.goal.Least(values)
	case fromAfar:
		away := minus(l.along(point), l.home)
		return dot(away, away) / 2
	}
	return f.sign * values[f.column]
}

// columnsOf lists the columns that a function is made of.
func (l *landscape) columnsOf(f function) []int {
	switch f.column {
	case fromAfar:
		return nil
	case noColumn:
	default:
		return []int{f.column}
	}
	columns := make([]int, len(l.goal.Targets))
	for i, t := range l.goal.Targets {
		columns[i] = t.Value
	}
	return columns
}

// slopesOf makes the slopes of a function from those of its columns, by axis of the unit cube. Those of targets are kept with the place.
func (l *landscape) slopesOf(f function, p *place, values []float64, columns [][]float64) []float64 {
	slopes := make([]float64, len(l.axes))
	if f.column != noColumn {
		for a, slope := range columns[0] {
			slopes[a] = f.sign * slope
		}
		return slopes
	}
	if p != nil {
		p.targets = columns
	}
	for i, t := range l.goal.Targets {
		for a, slope := range columns[i] {
			slopes[a] += 2 * t.Weight * (values[t.Value] - t.To) * slope
		}
	}
	return slopes
}

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
			p.values[k] = l.valueOf(f, t.point, t.outcome.Values)
			for _, column := range l.columnsOf(f) {
				l.digits.see(k, t.outcome.Values[column])
			}
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
	var all []float64
	var derivatives core.Derivatives
	if l.ahead != nil {
		all, derivatives = l.ahead.Look(l.design(point), slopes)
	}
	for k, f := range l.functions {
		if !f.decided {
			continue
		}
		values[k] = l.valueOf(f, point, all)
		if slopes {
			if f.column == fromAfar {
				by[k] = minus(l.along(point), l.home)
				continue
			}
			by[k] = l.slopesOf(f, nil, all, l.rowsInCube(f, point, derivatives))
		}
	}
	return values, by
}

// rowsInCube turns the derivatives of the columns of a function by inputs into those by the axes of the unit cube.
func (l *landscape) rowsInCube(f function, point []float64, derivatives core.Derivatives) [][]float64 {
	var rows [][]float64
	for _, column := range l.columnsOf(f) {
		by := derivatives.Row(column)
		slopes := make([]float64, len(l.axes))
		for a, j := range l.axes {
			slopes[a] = by[j] * l.space[j].Slope(point[j])
		}
		rows = append(rows, slopes)
	}
	return rows
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

// differentiate gives a place its slopes, and notes which inputs act.
func (l *landscape) differentiate(ctx context.Context, p *place) error {
	err := l.inclined(ctx, p)
	l.notesActs(p.slopes)
	return err
}

// notesActs notes which inputs have a slope.
func (l *landscape) notesActs(slopes [][]float64) {
	for _, by := range slopes {
		for a, slope := range by {
			j := l.axes[a]
			l.acts[j] = l.acts[j] || slope != 0
		}
	}
}

// inclined gives a place its slopes: exact ones where they are known, differences for the rest.
func (l *landscape) inclined(ctx context.Context, p *place) error {
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
		if end == nil && l.unchecked {
			end = l.compare(ctx, p, missing)
		}
		if len(missing) == 0 || end != nil {
			return end
		}
	}
	return l.differences(ctx, p, missing)
}

// take gives a place the exact slopes, and returns of which functions they are not known.
func (l *landscape) take(p *place, derivatives core.Derivatives, wanted []int) (missing []int) {
	for _, k := range wanted {
		f := l.functions[k]
		if slices.ContainsFunc(l.columnsOf(f), func(column int) bool { _, doubted := l.doubted[column]; return doubted }) {
			missing = append(missing, k)
			continue
		}
		slopes := l.slopesOf(f, p, p.outcome.Values, l.rowsInCube(f, p.point, derivatives))
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
