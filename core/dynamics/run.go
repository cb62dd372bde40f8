package dynamics

import (
	"fmt"
	"math"

	"ropebench/core/curve"
	"ropebench/core/formula"
)

// Bounds on one solution, named in messages.
const (
	maxSteps      = 1_000_000
	maxStiffSteps = 20_000
	maxSwitches   = 10_000
	runAway       = 1e60 // a state of this size has run away
)

// A run is one solution on its way.
type run struct {
	model    *Model
	inputs   []float64
	from, to float64
	motion   *formula.Machine
	switched *formula.Machine
	row      []float64 // variables of the switched program: time, states, inputs, modes
	out      []float64 // its results: signals, rates, guards
	sampling []float64 // results of the plain program: signals, rates
	sense    *sensitivity

	step           *step
	next           float64 // size of the next step
	before         float64 // failure of the step before
	steps          int
	switchesDone   int
	stiff, relaxed int
	isStiff        bool

	times   []float64
	sampled int
	state   []float64
	curves  [][]float64 // states, then signals
}

// begin evaluates the formulas of the inputs, and sets the state to its start.
func (m *Model) begin(inputs []float64, wrt []int) (*run, error) {
	frame := make([]float64, m.frame.Results())
	m.frame.NewMachine().One(inputs, frame)
	r := &run{model: m, inputs: inputs, from: frame[0], to: frame[1], motion: m.motion.NewMachine(), before: 1e-4}
	if err := checkTimes(r.from, r.to); err != nil {
		return nil, err
	}
	n := len(m.States)
	size := n
	if wrt != nil {
		r.sense = m.newSensitivity(wrt)
		size = n * (1 + len(wrt))
	}
	r.switched = m.switched.Program.NewMachine()
	r.row = make([]float64, m.switched.Program.Variables())
	r.out = make([]float64, m.switched.Program.Results())
	r.sampling = make([]float64, m.motion.Results())
	copy(r.row[1+n:], inputs)
	r.step, r.state = newStep(size), make([]float64, size)
	r.step.t = r.from
	copy(r.step.y0, frame[2:])
	r.curves = make([][]float64, n+len(m.Signals))
	r.times = make([]float64, m.Count)
	for i := range r.times {
		r.times[i] = r.from + (r.to-r.from)*float64(i)/float64(m.Count-1)
	}
	r.times[m.Count-1] = r.to
	r.settle(r.from, r.step.y0)
	if r.sense != nil {
		r.sense.start(r)
	}
	r.rate(r.from, r.step.y0, r.step.k[0])
	for i, state := range m.States {
		if !finite(r.step.y0[i]) || !finite(r.step.k[0][i]) {
			return nil, fmt.Errorf("%s cannot begin: at time = %.6g it is %.6g and its rate %.6g; check its start and its rate", state.Name, r.from, r.step.y0[i], r.step.k[0][i])
		}
	}
	r.next = r.firstStep()
	r.sample(r.from, r.step.y0)
	return r, nil
}

func finite(x float64) bool { return !math.IsNaN(x) && !math.IsInf(x, 0) }

// modes is the part of the row that holds them.
func (r *run) modes() []float64 { return r.row[1+len(r.model.States)+len(r.inputs):] }

// evaluate computes signals, rates and guards, with the modes held.
func (r *run) evaluate(t float64, y []float64) {
	r.row[0] = t
	copy(r.row[1:1+len(r.model.States)], y)
	r.switched.One(r.row, r.out)
}

func (r *run) guards() []float64 { return r.out[len(r.model.Signals)+len(r.model.States):] }

// settle takes the modes from what the formulas say at a time. One mode may hang on another, so that it is done until
// nothing changes.
func (r *run) settle(t float64, y []float64) {
	for range len(r.modes()) + 1 {
		r.evaluate(t, y)
		changed := false
		for k, guard := range r.guards() {
			if mode := r.model.switched.Mode(k, guard); mode != r.modes()[k] {
				r.modes()[k], changed = mode, true
			}
		}
		if !changed {
			return
		}
	}
}

// holds is true where the modes are still those that the formulas give.
func (r *run) holds(t float64, y []float64) bool {
	r.evaluate(t, y)
	for k, guard := range r.guards() {
		if r.model.switched.Mode(k, guard) != r.modes()[k] {
			return false
		}
	}
	return true
}

// rate is the right side of the equations, with the modes held.
func (r *run) rate(t float64, y, into []float64) {
	if r.sense != nil {
		r.sense.rate(r, t, y, into)
		return
	}
	r.evaluate(t, y)
	copy(into, r.out[len(r.model.Signals):])
}

// firstStep guesses the size of the first step: after Hairer, Norsett and Wanner, section II.4.
func (r *run) firstStep() float64 {
	s := r.step
	size := func(y []float64) float64 {
		sum := 0.0
		for j := range y {
			scale := r.model.Absolute + r.model.Relative*math.Abs(s.y0[j])
			sum += (y[j] / scale) * (y[j] / scale)
		}
		return math.Sqrt(sum / float64(max(1, len(y))))
	}
	d0, d1 := size(s.y0), size(s.k[0])
	h := 1e-6
	if d0 > 1e-5 && d1 > 1e-5 {
		h = 0.01 * d0 / d1
	}
	h = math.Min(h, r.to-r.from)
	for j := range s.y1 {
		s.y1[j] = s.y0[j] + h*s.k[0][j]
	}
	r.rate(r.from+h, s.y1, s.k[1])
	for j := range s.y1 {
		s.k[1][j] = (s.k[1][j] - s.k[0][j]) / h
	}
	most := math.Max(d1, size(s.k[1]))
	if most <= 1e-15 {
		return math.Min(math.Max(1e-6, 1e-3*h), r.to-r.from)
	}
	return math.Min(math.Min(100*h, math.Pow(0.01/most, 0.2)), r.to-r.from)
}

// advance makes one step: as far as accuracy allows, and no further than to the first switch.
func (r *run) advance() error {
	s := r.step
	h := math.Min(r.next, r.to-s.t)
	if len(r.modes()) > 0 { // so that no switch there and back is overlooked
		h = math.Min(h, (r.to-r.from)/float64(r.model.Count-1))
	}
	for {
		if r.steps++; r.steps > maxSteps || r.isStiff && r.steps > maxStiffSteps {
			return r.tooManySteps()
		}
		s.h = h
		if r.to-s.t-h < 1e-9*h {
			s.h = r.to - s.t
		}
		s.take(r.rate)
		failure := s.failure(r.model.Relative, r.model.Absolute)
		if failure <= 1 {
			r.next = h * change(failure, r.before)
			r.before = math.Max(failure, 1e-4)
			break
		}
		if !finite(failure) {
			failure = 1e10
		}
		h *= math.Min(1, change(failure, 1))
		if h <= 16*ulp(s.t) {
			return r.ranAway()
		}
	}
	return r.accept()
}

func ulp(t float64) float64 {
	return math.Max(math.Nextafter(math.Abs(t), math.Inf(1))-math.Abs(t), 1e-300)
}

// accept samples the step up to the first switch in it, and goes on from there.
func (r *run) accept() error {
	s := r.step
	end, switched := s.t+s.h, false
	if s.t+s.h > r.to || s.h == r.to-s.t {
		end = r.to
	}
	if len(r.modes()) > 0 {
		end, switched = r.firstSwitch(end)
	}
	if switched && end < s.t+s.h {
		s.h = end - s.t // the step is made anew, so that its end is as exact as that of any other
		s.take(r.rate)
	}
	for r.sampled < r.model.Count && r.times[r.sampled] <= end {
		at := r.times[r.sampled]
		if at == end {
			copy(r.state, s.y1)
		} else {
			s.at(at, r.state)
		}
		r.sample(at, r.state)
	}
	for i, state := range r.model.States {
		if y := s.y1[i]; !(math.Abs(y) < runAway) {
			return fmt.Errorf("the solution runs away at time = %.6g: %s is %.4g there; check its rate, or keep inputs out of where that happens", end, state.Name, y)
		}
	}
	r.watchStiffness()
	copy(s.y0, s.y1)
	copy(s.k[0], s.k[6])
	s.t = end
	if switched {
		return r.passSwitch()
	}
	return nil
}

// looks is how many times within a step are looked at for a switch.
const looks = 4

// firstSwitch finds the first time, up to end, at which the modes are others than at the start of the step: right behind
// the switch, as near as numbers stand to each other.
func (r *run) firstSwitch(end float64) (float64, bool) {
	s := r.step
	left := s.t
	for i := 1; i <= looks; i++ {
		right := s.t + (end-s.t)*float64(i)/looks
		s.at(right, r.state)
		if r.holds(right, r.state) {
			left = right
			continue
		}
		for {
			middle := left + (right-left)/2
			if middle <= left || middle >= right {
				return right, true
			}
			s.at(middle, r.state)
			if r.holds(middle, r.state) {
				left = middle
			} else {
				right = middle
			}
		}
	}
	return end, false
}

// passSwitch takes the new modes at the start of the next step.
func (r *run) passSwitch() error {
	s := r.step
	if r.switchesDone++; r.switchesDone > maxSwitches {
		return fmt.Errorf("the equations switch more than %d times, at last at time = %.6g: they switch there and back; leave a band between switching there and back", maxSwitches, s.t)
	}
	old := append([]float64{}, r.modes()...)
	r.settle(s.t, s.y0)
	if r.sense != nil {
		r.sense.jump(r, old)
	}
	r.rate(s.t, s.y0, s.k[0])
	r.next = math.Max(r.next, 1e3*ulp(s.t)) // what is behind a switch may be quicker, which the next failure shows
	r.before = 1e-4
	return nil
}

func (r *run) watchStiffness() {
	switch stiffness := r.step.stiffness(); {
	case stiffness > stiffAbove:
		r.relaxed = 0
		if r.stiff++; r.stiff >= stiffSteps {
			r.isStiff = true
		}
	case r.stiff > 0:
		if r.relaxed++; r.relaxed >= forgivingSteps {
			r.stiff = 0
		}
	}
}

func (r *run) tooManySteps() error {
	if r.isStiff {
		return fmt.Errorf("the equations are stiff: after %d steps the time is %.6g, since steps of %.2g are all that stays stable; take the fastest motion out of the model, or make it slower", maxStiffSteps, r.step.t, r.step.h)
	}
	return fmt.Errorf("after %d steps the time is %.6g only: ask for less accuracy, or a shorter time", maxSteps, r.step.t)
}

func (r *run) ranAway() error {
	s := r.step
	worst := 0
	for i := range r.model.States {
		if !(math.Abs(s.k[0][i]) <= math.Abs(s.k[0][worst])) {
			worst = i
		}
	}
	return fmt.Errorf("the solution runs away at time = %.6g: %s is %.4g there, with a rate of %.3g; check that rate, or keep inputs out of where that happens", s.t, r.model.States[worst].Name, s.y0[worst], s.k[0][worst])
}

// sample notes states and signals at a time. Signals are those of the formulas themselves, not of held modes.
func (r *run) sample(t float64, y []float64) {
	n := len(r.model.States)
	r.row[0] = t
	copy(r.row[1:1+n], y[:n])
	r.motion.One(r.row[:1+n+len(r.inputs)], r.sampling)
	for i := range n {
		r.curves[i] = append(r.curves[i], y[i])
	}
	for i := range r.model.Signals {
		r.curves[n+i] = append(r.curves[n+i], r.sampling[i])
	}
	if r.sense != nil {
		r.sense.sample(r, t, y)
	}
	r.sampled++
}

func (r *run) solution() Solution {
	solution := Solution{Steps: r.steps}
	for _, y := range r.curves {
		solution.Curves = append(solution.Curves, curve.Curve{X: r.times, Y: y})
	}
	if r.sense != nil {
		solution.Derivatives = r.sense.derivatives
	}
	return solution
}
