package dynamics

import "math"

// A step goes from y0 at t to y1 at t+h. Both hold the states and, behind them, their sensitivities.
type step struct {
	t, h   float64
	y0, y1 []float64
	rate   []float64 // at the start
}

func newStep(n int) *step {
	return &step{y0: make([]float64, n), y1: make([]float64, n), rate: make([]float64, n)}
}

// A method makes the steps of a run.
type method interface {
	// take computes the end of the step; false means that it finds none.
	take(r *run) bool
	// failure is the error of the step, as a share of what is allowed: the root of the mean square over all that y holds.
	// It is NaN or infinite where something in it is.
	failure(r *run) float64
	// change is the factor by which the step changes after one with this failure, and before it the other.
	change(failure, before float64) float64
	// at gives y at a time within the step.
	at(t float64, into []float64)
	// defect is by how much the solution is off about a time within the step, as a share of what is allowed, judging by the rates
	// of the formulas there and its own slope. It may be NaN.
	defect(r *run, t float64, y, rates []float64) float64
	// finish makes the rate at the end that at the start of the next step.
	finish(r *run)
	// unfit is true where the method is the wrong one for what the equations are like here.
	unfit() bool
}

// norm is the root of the mean square of e, as shares of what is allowed for y.
func (r *run) norm(e, y []float64) float64 {
	sum := 0.0
	for j := range e {
		scale := r.model.Absolute + r.model.Relative*math.Max(math.Abs(r.step.y0[j]), math.Abs(y[j]))
		sum += (e[j] / scale) * (e[j] / scale)
	}
	return math.Sqrt(sum / float64(max(1, len(e))))
}

// The numbers of the step control.
const (
	safety      = 0.9
	leastChange = 0.2
	mostChange  = 10.0
)

func bounded(factor float64) float64 {
	return math.Min(mostChange, math.Max(leastChange, factor))
}
