package quadratic

import (
	"math"

	"gonum.org/v1/gonum/floats"
)

const (
	mostSteps    = 80    // of the interior-point method
	complete     = 1e-14 // mean product of slacks and multipliers at which it ends
	firstTried   = 1e-6  // mean product at which it is seen which sides hold the point, for the first time
	triedAgain   = 1e-3  // by which it is smaller the next time
	boundaryPart = 0.995 // of the way to the boundary that a step goes at most
)

// An iterate is a point inside, with slacks and multipliers that are all positive. For each side: slack is how far it is
// kept, excess by how much it is violated, keep and pay the multipliers of both, which add up to the price.
type iterate struct {
	point                    []float64
	low, high                []float64 // distances from the bounds
	lower, upper             []float64 // multipliers of the bounds
	slack, excess, keep, pay []float64
}

func (it *iterate) answer() answer {
	return answer{point: it.point, sides: it.keep, lower: it.lower, upper: it.upper}
}

// pairs calls visit with every pair of which the product is to vanish.
func (it *iterate) pairs(visit func(a, b *float64)) {
	for i := range it.point {
		visit(&it.low[i], &it.lower[i])
		visit(&it.high[i], &it.upper[i])
	}
	for k := range it.slack {
		visit(&it.slack[k], &it.keep[k])
		visit(&it.excess[k], &it.pay[k])
	}
}

func (it *iterate) mean() float64 {
	sum, count := 0.0, 0
	it.pairs(func(a, b *float64) { sum, count = sum+*a**b, count+1 })
	return sum / float64(count)
}

func newIterate(n, sides int) iterate {
	flat := make([]float64, 5*n+4*sides)
	next := func(length int) []float64 {
		part := flat[:length:length]
		flat = flat[length:]
		return part
	}
	return iterate{point: next(n), low: next(n), high: next(n), lower: next(n), upper: next(n),
		slack: next(sides), excess: next(sides), keep: next(sides), pay: next(sides)}
}

// first stands in the middle of the bounds.
func (s *scaling) first() iterate {
	n := len(s.moves)
	it := newIterate(n, len(s.sides))
	for i := range n {
		it.point[i], it.low[i], it.high[i], it.lower[i], it.upper[i] = 0.5, 0.5, 0.5, 1, 1
	}
	for k, one := range s.sides {
		over := dot(one.of, it.point) - one.bound
		it.excess[k] = math.Max(0, -over) + 1
		it.slack[k] = over + it.excess[k]
		it.keep[k] = math.Min(1, one.price/2)
		it.pay[k] = one.price - it.keep[k]
	}
	return it
}

// interior runs the interior-point method until the equations of the sides that hold its point can be solved, or to its end.
func (s *scaling) interior() answer {
	it := s.first()
	n, m := len(s.moves), len(s.sides)
	affine, step, targets := newIterate(n, m), newIterate(n, m), newIterate(n, m)
	tried := firstTried
	for range mostSteps {
		mean := it.mean()
		if mean < tried {
			if exact, found := s.exact(it); found {
				return exact
			}
			tried *= triedAgain
		}
		if mean < complete {
			break
		}
		newton := s.newton(&it)
		if newton == nil {
			break
		}
		targets.aim(&it, nil, 0)
		newton.solve(&targets, &affine)
		share := affine.reach(&it, 1)
		reached := it.meanAfter(&affine, share)
		centring := math.Pow(reached/mean, 3)
		targets.aim(&it, &affine, centring*mean)
		newton.solve(&targets, &step)
		share = step.reach(&it, boundaryPart)
		if !it.advance(&step, share) {
			break
		}
	}
	if exact, found := s.exact(it); found {
		return exact
	}
	return it.answer()
}

// aim sets what the products of all pairs are to change by: to mean, less what the affine step changes in second order.
func (targets *iterate) aim(it, affine *iterate, mean float64) {
	set := func(into, a, b []float64, da, db func(i int) float64) {
		for i := range into {
			into[i] = mean - a[i]*b[i]
			if affine != nil {
				into[i] -= da(i) * db(i)
			}
		}
	}
	at := func(values func() []float64) func(int) float64 { return func(i int) float64 { return values()[i] } }
	set(targets.low, it.low, it.lower, at(func() []float64 { return affine.low }), at(func() []float64 { return affine.lower }))
	set(targets.high, it.high, it.upper, at(func() []float64 { return affine.high }), at(func() []float64 { return affine.upper }))
	set(targets.slack, it.slack, it.keep, at(func() []float64 { return affine.slack }), at(func() []float64 { return affine.keep }))
	set(targets.excess, it.excess, it.pay, at(func() []float64 { return affine.excess }), at(func() []float64 { return affine.pay }))
}

// A newton has the equations of one iterate, factored.
type newton struct {
	*scaling
	it       *iterate
	factor   [][]float64 // Cholesky, lower
	weights  []float64   // of the sides
	residual []float64   // of the gradient of the Lagrangian
	sideGap  []float64
	right    []float64
	constant []float64 // of the change of the multipliers of the sides
}

func (s *scaling) newton(it *iterate) *newton {
	n, m := len(s.moves), len(s.sides)
	flat := make([]float64, n*n+2*n+3*m)
	next := func(length int) []float64 {
		part := flat[:length:length]
		flat = flat[length:]
		return part
	}
	e := &newton{scaling: s, it: it, factor: make([][]float64, n), residual: next(n), right: next(n), weights: next(m), sideGap: next(m), constant: next(m)}
	for i := range n {
		e.factor[i] = next(n)
		copy(e.factor[i], s.hessian[i])
		e.factor[i][i] += it.lower[i]/it.low[i] + it.upper[i]/it.high[i]
		e.residual[i] = s.gradient[i] + dot(s.hessian[i], it.point) - it.lower[i] + it.upper[i]
	}
	for k, one := range s.sides {
		e.weights[k] = 1 / (it.slack[k]/it.keep[k] + it.excess[k]/it.pay[k])
		e.sideGap[k] = dot(one.of, it.point) - one.bound + it.excess[k] - it.slack[k]
		for i, a := range one.of {
			e.residual[i] -= a * it.keep[k]
			if a == 0 {
				continue
			}
			floats.AddScaled(e.factor[i][:i+1], e.weights[k]*a, one.of[:i+1])
		}
	}
	if !factorize(e.factor) {
		return nil
	}
	return e
}

// solve gives the step that changes the products by targets.
func (e *newton) solve(targets, step *iterate) {
	it := e.it
	for i := range e.right {
		e.right[i] = -e.residual[i] + targets.low[i]/it.low[i] - targets.high[i]/it.high[i]
	}
	for k, one := range e.sides {
		e.constant[k] = e.weights[k] * (targets.slack[k]/it.keep[k] - targets.excess[k]/it.pay[k] - e.sideGap[k])
		floats.AddScaled(e.right, e.constant[k], one.of)
	}
	substitute(e.factor, e.right)
	copy(step.point, e.right)
	for i, d := range step.point {
		step.low[i], step.high[i] = d, -d
		step.lower[i] = (targets.low[i] - it.lower[i]*d) / it.low[i]
		step.upper[i] = (targets.high[i] + it.upper[i]*d) / it.high[i]
	}
	for k, one := range e.sides {
		change := e.constant[k] - e.weights[k]*dot(one.of, step.point)
		step.keep[k], step.pay[k] = change, -change
		step.slack[k] = (targets.slack[k] - it.slack[k]*change) / it.keep[k]
		step.excess[k] = (targets.excess[k] + it.excess[k]*change) / it.pay[k]
	}
}

// reach is the share of a step, at most 1, that leaves every number of it positive.
func (step *iterate) reach(it *iterate, part float64) float64 {
	share := 1.0
	look := func(values, changes []float64) {
		for i, change := range changes {
			if change < 0 {
				share = math.Min(share, -part*values[i]/change)
			}
		}
	}
	look(it.low, step.low)
	look(it.high, step.high)
	look(it.lower, step.lower)
	look(it.upper, step.upper)
	look(it.slack, step.slack)
	look(it.excess, step.excess)
	look(it.keep, step.keep)
	look(it.pay, step.pay)
	return share
}

func (it *iterate) meanAfter(step *iterate, share float64) float64 {
	sum, count := 0.0, 0
	add := func(a, da, b, db []float64) {
		for i := range a {
			sum += (a[i] + share*da[i]) * (b[i] + share*db[i])
			count++
		}
	}
	add(it.low, step.low, it.lower, step.lower)
	add(it.high, step.high, it.upper, step.upper)
	add(it.slack, step.slack, it.keep, step.keep)
	add(it.excess, step.excess, it.pay, step.pay)
	return math.Max(0, sum/float64(count))
}

// least is what no number of an iterate falls below: rounding takes it to 0 otherwise.
const least = 1e-200

// advance takes the step; false where it is no number.
func (it *iterate) advance(step *iterate, share float64) bool {
	good := true
	add := func(values, changes []float64, positive bool) {
		for i, change := range changes {
			if math.IsNaN(change) || math.IsInf(change, 0) {
				good = false
			}
			if values[i] += share * change; positive {
				values[i] = math.Max(values[i], least)
			}
		}
	}
	before := append([]float64{}, it.point...)
	add(it.point, step.point, false)
	if !good {
		copy(it.point, before)
		return false
	}
	add(it.low, step.low, true)
	add(it.high, step.high, true)
	add(it.lower, step.lower, true)
	add(it.upper, step.upper, true)
	add(it.slack, step.slack, true)
	add(it.excess, step.excess, true)
	add(it.keep, step.keep, true)
	add(it.pay, step.pay, true)
	return good
}

// factorize replaces the lower half of a symmetric matrix by its Cholesky factor; false where it has none.
func factorize(a [][]float64) bool {
	for i := range a {
		for j := range i + 1 {
			sum := a[i][j] - floats.Dot(a[i][:j], a[j][:j])
			switch {
			case i != j:
				a[i][j] = sum / a[j][j]
			case !(sum > 0) || math.IsInf(sum, 0):
				return false
			default:
				a[i][i] = math.Sqrt(sum)
			}
		}
	}
	return true
}

// substitute solves the equations of a Cholesky factor in place.
func substitute(factor [][]float64, b []float64) {
	for i := range b {
		b[i] = (b[i] - floats.Dot(factor[i][:i], b[:i])) / factor[i][i]
	}
	for i := len(b) - 1; i >= 0; i-- {
		b[i] /= factor[i][i]
		floats.AddScaled(b[:i], -b[i], factor[i][:i])
	}
}
