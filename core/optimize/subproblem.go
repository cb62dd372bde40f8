package optimize

import (
	"math"
	"slices"

	"ropebench/core/quadratic"
)

// A subproblem is what a method believes of a landscape about a place: the functions that only the solver decides are planes,
// the objective bent by a matrix, and what inputs alone decide is what it is.
type subproblem struct {
	*landscape
	centre []float64    // axes of the place
	point  []float64    // the place
	values []float64    // of the functions there
	slopes [][]float64  // of the planes
	bend   [][]float64  // of the Lagrangian of what only the solver decides
	blind  bool         // the objective is left out
	aims   [][2]float64 // of the constraints
	prices []float64    // of one unit of violation of each of them; what inputs alone decide has none but where it is soft
	radius float64      // the coordinates move by no more than this
	stiff  []float64    // prices in force
	cuts   []cut
	curved bool // some functions are what they are
}

// A step is the answer of a subproblem.
type step struct {
	axes        []float64
	point       []float64
	multipliers []float64 // of each constraint: by how much the objective grows where its limit does
	bounds      []float64 // of each axis
	predicted   float64   // by how much the objective with what is paid is believed to fall
	missed      []float64 // by how much the constraints are believed to miss their aims
	length      float64   // the largest change of a coordinate
}

const (
	mostInner    = 60    // steps of a subproblem in which something is curved
	innerDone    = 1e-12 // length of such a step at which it ends
	curveStep    = 1e-5  // of the differences of slopes
	stiffer      = 10    // by which the price of what inputs alone decide grows while it is missed
	mostStiffer  = 6     // times
	leastShare   = 1e-8  // of a step that is tried
	leastFall    = 1e-4  // share of the fall that was believed in which a step must bring
	settleRounds = 8
	settleRoom   = 30.0 // times what one constraint alone needs is how far a coordinate may go
)

// solve finds the least point of the subproblem. With nothing curved it is one quadratic program; else it is a sequence of
// them, which costs nothing but computing.
func (q *subproblem) solve() step {
	z := slices.Clone(q.centre)
	q.stiff = q.startPrices()
	q.curved = slices.ContainsFunc(q.functions, func(f function) bool { return f.decided })
	var solved quadratic.Solution
	multipliers := make([]float64, len(q.aims))
	for range mostInner {
		here := q.at(z, true)
		solved = q.program(z, here, multipliers)
		multipliers = solved.Rows[:len(q.aims)]
		if !q.curved {
			add(z, solved.Point)
			break
		}
		if q.advance(z, here, solved) < innerDone {
			break
		}
	}
	for a := range z {
		z[a] = inside(z[a])
	}
	if q.curved {
		q.settle(z)
		q.retreat(z)
	}
	s := step{axes: z, point: q.moved(q.point, z), multipliers: multipliers, bounds: solved.Bounds}
	before, _ := q.cost(q.centre)
	after, missed := q.cost(z)
	s.predicted, s.missed, s.length = before-after, missed, distance(q.centre, z)
	return s
}

// A belief is what a subproblem says of its functions at some axes.
type belief struct {
	values []float64
	slopes [][]float64
}

// at gives the functions: planes, and what inputs alone decide.
func (q *subproblem) at(z []float64, slopes bool) belief {
	var b belief
	b.values, b.slopes = q.look(q.moved(q.point, z), slopes)
	away := minus(z, q.centre)
	for k, f := range q.functions {
		if f.decided {
			continue
		}
		b.values[k] = q.values[k]
		if q.slopes != nil {
			b.values[k] += dot(q.slopes[k], away)
			if slopes {
				b.slopes[k] = q.slopes[k]
			}
		}
	}
	return b
}

// cost is the objective with its bend and all that is paid, and by how much each constraint misses its aim.
func (q *subproblem) cost(z []float64) (float64, []float64) {
	away := minus(z, q.centre)
	sum := 0.5 * dot(away, times(q.bend, away))
	values := q.at(z, false).values
	if !q.blind {
		sum += q.objective(values)
	}
	missed := make([]float64, len(q.aims))
	for i := range q.aims {
		missed[i] = violation(values[q.objectives()+i], q.aims[i][0], q.aims[i][1])
		sum += q.stiff[i] * missed[i]
	}
	if math.IsNaN(sum) {
		sum = math.Inf(1)
	}
	return sum, missed
}

// startPrices gives what inputs alone decide a price that is worth keeping it for.
func (q *subproblem) startPrices() []float64 {
	prices := slices.Clone(q.prices)
	here := q.at(q.centre, true)
	steepest := 1e-3
	if !q.blind && q.objectives() == 1 {
		steepest = math.Max(steepest, largest(here.slopes[0]))
	}
	for i, f := range q.constraints() {
		if f.decided && f.price == 0 {
			k := q.objectives() + i
			unit := math.Max(largest(here.slopes[k]), math.Abs(f.limit.Margin(here.values[k])))
			prices[i] = 10 * steepest / math.Max(1e-9, unit)
		}
	}
	return prices
}

// program solves the quadratic program about some axes. Where it misses what inputs alone decide, that gets dearer.
func (q *subproblem) program(z []float64, here belief, multipliers []float64) quadratic.Solution {
	p := quadratic.Program{Hessian: q.curvature(z, here, multipliers), Gradient: times(q.bend, minus(z, q.centre)),
		Lower: make([]float64, len(z)), Upper: make([]float64, len(z))}
	if !q.blind && q.objectives() == 1 {
		add(p.Gradient, here.slopes[0])
	}
	for a := range z {
		p.Lower[a] = math.Max(0, q.centre[a]-q.radius) - z[a]
		p.Upper[a] = math.Min(1, q.centre[a]+q.radius) - z[a]
	}
	for i, aim := range q.aims {
		k := q.objectives() + i
		p.Rows = append(p.Rows, quadratic.Row{Of: here.slopes[k], Lower: aim[0] - here.values[k], Upper: aim[1] - here.values[k], Price: q.stiff[i]})
	}
	for _, c := range q.cuts {
		p.Rows = append(p.Rows, quadratic.Row{Of: c.normal, Lower: math.Inf(-1), Upper: c.most - dot(c.normal, z), Price: q.cutPrice(here)})
	}
	for range mostStiffer {
		solved := quadratic.Solve(p)
		missing := false
		for i, f := range q.constraints() {
			if f.decided && f.price == 0 && solved.Violations[i] > 1e-9*largest(here.slopes[q.objectives()+i]) {
				missing = true
				q.stiff[i] *= stiffer
				p.Rows[i].Price = q.stiff[i]
			}
		}
		if !missing {
			return solved
		}
	}
	return quadratic.Solve(p)
}

// cutPrice is more than a step can gain by going on where designs failed.
func (q *subproblem) cutPrice(here belief) float64 {
	price := 1.0
	if !q.blind && q.objectives() == 1 {
		price += 100 * largest(here.slopes[0])
	}
	for i, stiff := range q.stiff {
		price += 100 * stiff * largest(here.slopes[q.objectives()+i])
	}
	return price
}

const retreats = 50 // halvings of the way back to the centre

// retreat goes back towards the centre as far as it must where z still misses what inputs alone decide, and the centre does not: where
// limits touch each other no small step keeps them.
func (q *subproblem) retreat(z []float64) {
	kept := func(axes []float64) bool { return q.missedBy(q.moved(q.point, axes)) == 0 }
	if kept(z) || !kept(q.centre) {
		return
	}
	low, high := 0.0, 1.0
	away := minus(z, q.centre)
	for range retreats {
		middle := (low + high) / 2
		if kept(plus(q.centre, away, middle)) {
			low = middle
		} else {
			high = middle
		}
	}
	copy(z, plus(q.centre, away, low))
}

// curvature is the bend with that of what inputs alone decide, made convex.
func (q *subproblem) curvature(z []float64, here belief, multipliers []float64) [][]float64 {
	n := len(z)
	h := square(n)
	for a := range h {
		copy(h[a], q.bend[a])
	}
	weights := make([]float64, len(q.functions))
	if q.objectives() == 1 && !q.blind {
		weights[0] = 1
	}
	for i := range q.aims {
		weights[q.objectives()+i] = -multipliers[i]
	}
	used := false
	for k, f := range q.functions {
		if !f.decided {
			weights[k] = 0
		}
		used = used || weights[k] != 0
	}
	switch {
	case !q.curved:
		return h // it is convex
	case !used:
		return convex(h)
	}
	for a := range n {
		step := curveStep
		if z[a]+step > 1 {
			step = -step
		}
		other := slices.Clone(z)
		other[a] += step
		_, slopes := q.look(q.moved(q.point, other), true)
		for k, weight := range weights {
			if weight == 0 {
				continue
			}
			for b := range n {
				if change := weight * (slopes[k][b] - here.slopes[k][b]) / step; !math.IsNaN(change) && !math.IsInf(change, 0) {
					h[a][b] += change / 2
					h[b][a] += change / 2
				}
			}
		}
	}
	return convex(h)
}

// advance moves z along the answer of its quadratic program as far as that is good, and says how far it went.
func (q *subproblem) advance(z []float64, here belief, solved quadratic.Solution) float64 {
	before, _ := q.cost(z)
	believed := q.believed(z, here, solved)
	share := 1.0
	for ; share > leastShare; share /= 2 {
		other := plus(z, solved.Point, share)
		after, _ := q.cost(other)
		if before-after >= leastFall*share*believed || after < before && believed <= 1e-13*math.Abs(before) {
			break
		}
		if share == 1 {
			if corrected, good := q.corrected(z, here, solved, before-leastFall*believed); good {
				moved := distance(z, corrected)
				copy(z, corrected)
				return moved
			}
		}
	}
	if share <= leastShare {
		return 0
	}
	other := plus(z, solved.Point, share)
	moved := distance(z, other)
	copy(z, other)
	return moved
}

// believed is by how much a quadratic program thinks that the cost falls, curvature left out.
func (q *subproblem) believed(z []float64, here belief, solved quadratic.Solution) float64 {
	fall := -dot(times(q.bend, minus(z, q.centre)), solved.Point)
	if !q.blind && q.objectives() == 1 {
		fall -= dot(here.slopes[0], solved.Point)
	}
	for i, aim := range q.aims {
		fall += q.stiff[i] * (violation(here.values[q.objectives()+i], aim[0], aim[1]) - solved.Violations[i])
	}
	return math.Max(0, fall)
}

// corrected is a second-order correction: the program again, with the constraints as they are where the step ended.
func (q *subproblem) corrected(z []float64, here belief, solved quadratic.Solution, atMost float64) ([]float64, bool) {
	end := plus(z, solved.Point, 1)
	there := q.at(end, false)
	shifted := belief{values: slices.Clone(here.values), slopes: here.slopes}
	for k := range there.values {
		if shifted.values[k] = there.values[k] - dot(here.slopes[k], solved.Point); math.IsNaN(shifted.values[k]) {
			return nil, false
		}
	}
	stiff := slices.Clone(q.stiff)
	again := q.program(z, shifted, solved.Rows)
	q.stiff = stiff
	other := plus(z, again.Point, 1)
	after, _ := q.cost(other)
	return other, after <= atMost
}

// settle moves z by the little that is missing to keep what inputs alone decide to the last bit.
func (q *subproblem) settle(z []float64) {
	for range settleRounds {
		if q.missedBy(q.moved(q.point, z)) == 0 {
			return
		}
		here := q.at(z, true)
		p := quadratic.Program{Hessian: identity(len(z)), Gradient: make([]float64, len(z)), Lower: make([]float64, len(z)), Upper: make([]float64, len(z))}
		needed := 0.0
		for i, f := range q.constraints() {
			k := q.objectives() + i
			if !f.decided || f.price > 0 || largest(here.slopes[k]) == 0 {
				continue
			}
			needed = math.Max(needed, violation(here.values[k], q.aims[i][0], q.aims[i][1])/largest(here.slopes[k]))
			p.Rows = append(p.Rows, quadratic.Row{Of: here.slopes[k], Lower: q.aims[i][0] - here.values[k], Upper: q.aims[i][1] - here.values[k], Price: 1e4 / largest(here.slopes[k])})
		}
		for a := range z { // a small box, so that small steps are solved exactly
			room := settleRoom*needed + math.SmallestNonzeroFloat64
			p.Lower[a], p.Upper[a] = -math.Min(z[a], room), math.Min(1-z[a], room)
		}
		add(z, quadratic.Solve(p).Point)
		for a := range z {
			z[a] = inside(z[a])
		}
	}
}
