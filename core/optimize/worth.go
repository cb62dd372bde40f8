package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
)

const (
	roomShare    = 0.1  // of a limit at most is the room over which its price is told
	endRoomShare = 0.01 // of a range: formulas may not hold beyond it
	linearShare  = 0.05 // by which what half of the room brings may differ from half of what all of it does
	linearAtMost = 0.02 // the same where curvature is what was learned of it
	leastWorth   = 1e-6 // of the objective: less is nothing
	smallerRooms = 3    // times the room is tried ten times smaller
	asideBudget  = 40   // evaluations aside for each input, and as many once more, for one limit that is moved
)

// A Worth is what giving one limit alone would bring, in one direction.
type Worth struct {
	Price   float64 // of one unit, over the room: by how much the objective would fall
	Room    float64 // over which that holds; 0: alone it brings nothing, or its price changes too fast to be told
	Alone   bool    // something is gained where it alone gives
	With    int     // the constraint that must give together with it; -1: none, or not known
	WithEnd int     // the axis whose range must; -1
}

// A mover moves limits and searches again, and says by how much the objective falls.
type mover struct {
	p Problem
	// least is the objective, to be made least, where limits are as they are.
	least float64
	fall  func(p Problem) (float64, error)
	// linear is the share by which what half of the room brings may differ from half of what all of it does.
	linear float64
}

// room is the largest power of ten that is no more than a share of a size.
func room(size, share float64) float64 {
	if !(size > 0) || math.IsInf(size, 0) {
		return 1
	}
	return math.Pow(10, math.Floor(math.Log10(share*size)+1e-9))
}

// wider is the problem in which a constraint gives by some room.
func wider(p Problem, constraint int, upper bool, by float64) Problem {
	p.Constraints = slices.Clone(p.Constraints)
	c := &p.Constraints[constraint]
	sign := -1.0
	if upper {
		sign = 1
	}
	if c.Equal || upper {
		c.Limit.Upper += sign * by
	}
	if c.Equal || !upper {
		c.Limit.Lower += sign * by
	}
	return p
}

// longer is the problem in which the range of an input gives.
func longer(p Problem, input int, upper bool, by float64) Problem {
	p.Space = slices.Clone(p.Space)
	if upper {
		p.Space[input].Upper += by
	} else {
		p.Space[input].Lower -= by
	}
	return p
}

// worth finds the room over which what moving a limit brings is nearly in proportion to it.
func (m *mover) worth(move func(p Problem, by float64) Problem, first float64) (w Worth, err error) {
	w.With, w.WithEnd = -1, -1
	by := first
	for range smallerRooms + 1 {
		all, err := m.fall(move(m.p, by))
		if err != nil {
			return w, err
		}
		if all <= leastWorth*math.Max(math.Abs(m.least), leastWorth) {
			return w, nil
		}
		w.Alone = true
		half, err := m.fall(move(m.p, by/2))
		if err != nil {
			return w, err
		}
		if math.Abs(all-2*half) <= m.linear*all {
			w.Price, w.Room = all/by, by
			return w, nil
		}
		by /= 10
	}
	return w, nil
}

// asideOf moves limits by searching again, with an evaluator whose answers cost nothing.
func asideOf(ctx context.Context, p Problem, aside core.Evaluator, r Result) (*mover, error) {
	m := &mover{p: p, linear: linearShare}
	search := func(p Problem) (float64, bool, error) {
		found, err := SQP(ctx, p, aside, Options{Seed: 1, Budget: asideBudget * (len(p.Space) + 1), Start: r.Best.Design, unproved: true}, nil)
		if err != nil || found.Best.Design == nil {
			return 0, false, err
		}
		return p.Least(found.Best.Outcome.Values), budget.NewOrder(p.Goal).Rank(found.Best.Outcome).Kept(), nil
	}
	least, kept, err := search(p)
	if err != nil || !kept {
		return nil, err
	}
	m.least = math.Min(least, p.Least(r.Best.Outcome.Values))
	m.fall = func(p Problem) (float64, error) {
		least, kept, err := search(p)
		if err != nil || !kept {
			return 0, err
		}
		return m.least - least, nil
	}
	return m, nil
}

// priced replaces multipliers, which are no prices of one limit alone where limits depend on each other, by what moving each limit brings. Nothing is known
// where a search from the design does not keep what it kept.
func (l *landscape) priced(ctx context.Context, p Problem, aside core.Evaluator, r Result, here place, o *Optimum) error {
	m, err := asideOf(ctx, p, aside, r)
	if err != nil || m == nil {
		return err
	}
	o.Worths, o.EndWorths = make([]Worth, len(o.Prices)), make([]Worth, len(o.EndPrices))
	give := func(i int) func(p Problem, by float64) Problem {
		return func(p Problem, by float64) Problem { return wider(p, i, o.Uppers[i], by) }
	}
	extend := func(j int) func(p Problem, by float64) Problem {
		return func(p Problem, by float64) Problem { return longer(p, j, o.UpperEnds[j], by) }
	}
	endRoom := func(j int) float64 { return room(l.space[j].Upper-l.space[j].Lower, endRoomShare) }
	for i, price := range o.Prices {
		if price == 0 {
			continue
		}
		by := room(o.sizeOf(i, p.Constraints[i].Limit), roomShare)
		if o.Worths[i], err = m.worth(give(i), by); err != nil {
			return err
		}
		if !o.Worths[i].Alone {
			if err := l.partner(m, here, o, give(i), by, i, &o.Worths[i]); err != nil {
				return err
			}
		}
	}
	for j, price := range o.EndPrices {
		if price == 0 || l.space[j].Levels() > 0 {
			continue
		}
		if o.EndWorths[j], err = m.worth(extend(j), endRoom(j)); err != nil {
			return err
		}
		if !o.EndWorths[j].Alone {
			if err := l.partner(m, here, o, extend(j), endRoom(j), -1, &o.EndWorths[j]); err != nil {
				return err
			}
		}
	}
	return nil
}

// partner looks for one limit that must give together with another one for anything to be gained: those that the design stands at.
func (l *landscape) partner(m *mover, here place, o *Optimum, give func(Problem, float64) Problem, by float64, self int, w *Worth) error {
	for k, f := range l.constraints() {
		if k == self || f.price > 0 {
			continue
		}
		for _, upper := range []bool{false, true} {
			if !f.standsAt(here.values[l.objectives()+k], upper, o.Sizes[k]) {
				continue
			}
			step := by // in the same share of what each value moves over the ranges
			if self >= 0 && o.Sizes[self] > 0 {
				step = 2 * by * o.Sizes[k] / o.Sizes[self]
			}
			needed, err := m.needs(wider(m.p, k, upper, step), give, by)
			if err != nil {
				return err
			}
			if needed {
				w.With = k
				return nil
			}
		}
	}
	for _, j := range l.axes {
		for _, upper := range []bool{false, true} {
			if upper && here.point[j] < 1-1e-9 || !upper && here.point[j] > 1e-9 || l.space[j].Levels() > 0 {
				continue
			}
			needed, err := m.needs(longer(m.p, j, upper, room(l.space[j].Upper-l.space[j].Lower, roomShare)), give, by)
			if err != nil {
				return err
			}
			if needed {
				w.WithEnd = j
				return nil
			}
		}
	}
	return nil
}

// needs is true where another limit that gives brings more once the first one gives, too.
func (m *mover) needs(other Problem, give func(Problem, float64) Problem, by float64) (bool, error) {
	alone, err := m.fall(other)
	if err != nil {
		return false, err
	}
	both, err := m.fall(give(other, by))
	return both-math.Max(0, alone) > leastWorth*math.Max(math.Abs(m.least), leastWorth), err
}

// sizeOf is the size of the limit of a constraint, at the end that holds the design, or of what its value moves over the ranges, whichever is smaller.
func (o *Optimum) sizeOf(constraint int, limit core.Limit) float64 {
	at := limit.Lower
	if o.Uppers[constraint] {
		at = limit.Upper
	}
	return smaller(math.Abs(at), o.Sizes[constraint])
}

// smaller is the smaller of two sizes; 0 is none.
func smaller(a, b float64) float64 {
	if a == 0 || b == 0 {
		return math.Max(a, b)
	}
	return math.Min(a, b)
}

// standsShare is how near to its limit, as a share of it or of what the value moves over the ranges, a design stands at it.
const standsShare = 5e-3

// standsAt is true where a value stands at an end of its limit, with its reserve; that of an equation, at its center. Slopes may say that a limit would hold a
// design that has room left: then it does not hold it yet.
func (f function) standsAt(value float64, upper bool, moves float64) bool {
	at, other := f.aim(0)
	if upper {
		at = other
	}
	return math.Abs(value-at) <= standsShare*smaller(math.Abs(at), moves)
}

// believedWorth is the worth of each limit by the planes of the place alone, where no search can be made aside: of the multipliers that explain the place the
// least, and the room over which no other limit comes in the way.
func (l *landscape) believedWorth(d *descent, p Problem, curvature [][]float64, o *Optimum) {
	steepest := 1e-9
	if d.objectives() == 1 {
		steepest = math.Max(steepest, largest(d.here.slopes[0]))
	}
	bend, share := square(len(l.axes)), roomShare*unbentShare
	if len(curvature) == len(bend) {
		bend, share = convex(clonedRows(curvature)), roomShare*believedShare
	}
	for a := range bend {
		bend[a][a] += planeBend * steepest
	}
	fallOf := func(p Problem) (fall float64, kept bool) {
		e := *d
		e.landscape = l.with(p)
		e.bend, e.cuts, e.radius = bend, nil, planeRadius
		e.prices, e.last = make([]float64, len(l.constraints())), step{}
		e.aimShare = aimShareAtLast
		e.plain = true
		s := e.propose()
		for i, f := range l.constraints() {
			if f.price == 0 && s.missed[i] > 1e-6*largest(d.here.slopes[l.objectives()+i]) {
				return 0, false
			}
		}
		q := e.subproblem(planeRadius)
		q.prices = make([]float64, len(l.constraints()))
		q.stiff = q.prices
		cost, _ := q.cost(s.axes)
		return d.objective(d.here.values) - cost, true
	}
	base, kept := fallOf(p)
	if !kept {
		return // no small change keeps every limit
	}
	o.Worths, o.EndWorths = make([]Worth, len(o.Prices)), make([]Worth, len(o.EndPrices))
	m := &mover{p: p, linear: linearAtMost, least: d.objective(d.here.values), fall: func(p Problem) (float64, error) {
		fall, kept := fallOf(p)
		if !kept {
			return 0, nil
		}
		return fall - base, nil
	}}
	for i, price := range o.Prices {
		if price == 0 {
			continue
		}
		by := room(o.sizeOf(i, p.Constraints[i].Limit), share)
		o.Worths[i], _ = m.worth(func(p Problem, by float64) Problem { return wider(p, i, o.Uppers[i], by) }, by)
	}
	for j, price := range o.EndPrices {
		if price == 0 {
			continue
		}
		// beyond a range the gain is that of the slope less what the curvature takes of it
		bent := bend[slices.Index(l.axes, j)][slices.Index(l.axes, j)] * math.Pow(l.space[j].Slope(d.here.point[j]), -2)
		by := room(l.space[j].Upper-l.space[j].Lower, endRoomShare*share/roomShare)
		w := Worth{Alone: true, With: -1, WithEnd: -1}
		for range smallerRooms + 1 {
			if bent*by/2 <= endBend*price {
				w.Price, w.Room = price-bent*by/2, by
				break
			}
			by /= 10
		}
		o.EndWorths[j] = w
	}
}

const (
	believedShare = 0.1  // of the room where the curvature is what was learned of it
	unbentShare   = 1e-3 // of the room where nothing is known of the curvature
	endBend       = 0.02 // of a price that curvature may take over the room at the end of a range
	planeBend     = 1e-4 // over the steepest slope: planes are bent so little
	planeRadius   = 0.1
)

// with is the landscape of the same problem with other limits.
func (l *landscape) with(p Problem) *landscape {
	other := *l
	other.functions = slices.Clone(l.functions)
	for i, c := range p.Constraints {
		other.functions[l.objectives()+i].limit = c.Limit
	}
	return &other
}
