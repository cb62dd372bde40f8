package dynamics

import (
	"fmt"
	"math"
	"slices"

	"ropebench/core/curve"
	"ropebench/core/decimal"
	"ropebench/core/formula"
)

// Bounds on one solution, named in messages.
const (
	maxSteps = 1_000_000
	runAway  = 1e60 // a state of this size has run away
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
	current  bool      // they are those of the row
	sampling []float64 // results of the plain program: signals, rates
	sense    *sensitivity

	step     *step
	method   method
	explicit *dormandPrince
	next     float64 // size of the next step
	most     float64 // what it may be at most: it grows from where something was not resolved
	before   float64 // failure of the step before
	steps    int
	switches int
	rallied  float64 // time at the last count of switches

	times   []float64
	sampled int
	state   []float64
	scratch []float64
	first   []float64 // guards at the start of the step, once begins is true
	begins  bool
	seen    [looks][]float64 // guards
	curves  [][]float64      // states, then signals
}

// begin evaluates the formulas of the inputs, and sets the state to its start.
func (m *Model) begin(inputs []float64, wrt []int) (*run, error) {
	frame := make([]float64, m.frame.Results())
	m.frame.NewMachine().One(inputs, frame)
	r := &run{model: m, inputs: inputs, from: frame[0], to: frame[1], motion: m.motion.NewMachine(), most: math.Inf(1), before: 1e-4}
	if err := checkTimes(r.from, r.to); err != nil {
		return nil, err
	}
	n := len(m.States)
	size := n * (1 + len(wrt))
	if wrt != nil {
		r.sense = m.newSensitivity(wrt)
	}
	r.switched = m.switched.Program.NewMachine()
	r.row = make([]float64, m.switched.Program.Variables())
	r.out = make([]float64, m.switched.Program.Results())
	r.sampling = make([]float64, m.motion.Results())
	copy(r.row[1+n:], inputs)
	r.step, r.state, r.scratch = newStep(size), make([]float64, size), make([]float64, size)
	r.explicit = newDormandPrince(r.step)
	r.method = r.explicit
	r.first = make([]float64, m.switched.Modes())
	for i := range r.seen {
		r.seen[i] = make([]float64, m.switched.Modes())
	}
	r.step.t, r.rallied = r.from, r.from
	copy(r.step.y0, frame[2:])
	r.curves = make([][]float64, n+len(m.Signals))
	r.times = make([]float64, m.Count)
	for i := range r.times {
		r.times[i] = decimal.Between(r.from, r.to, i, m.Count-1)
	}
	r.settle(r.from, r.step.y0)
	if r.sense != nil {
		r.sense.start(r)
	}
	r.rate(r.from, r.step.y0, r.step.rate)
	for i, state := range m.States {
		if !finite(r.step.y0[i]) || !finite(r.step.rate[i]) {
			return nil, fmt.Errorf("%s cannot begin: at time = %.6g it is %.6g and its rate %.6g; check its start and its rate", state.Name, r.from, r.step.y0[i], r.step.rate[i])
		}
	}
	if r.sense != nil {
		if err := r.sense.check(r); err != nil {
			return nil, err
		}
	}
	r.next = r.firstStep()
	r.sample(r.from, r.step.y0)
	return r, nil
}

// evaluate computes signals, rates and guards, with the modes held. What was evaluated last is not computed again.
func (r *run) evaluate(t float64, y []float64) {
	states := r.row[1 : 1+len(r.model.States)]
	if r.current && r.row[0] == t && slices.Equal(states, y[:len(states)]) {
		return
	}
	r.place(t, y)
	r.switched.One(r.row, r.out)
	r.current = true
}

// place enters time and states into the row.
func (r *run) place(t float64, y []float64) {
	r.row[0], r.current = t, false
	copy(r.row[1:1+len(r.model.States)], y)
}

// rate is the right side of the equations, with the modes held. Beyond its switch a mode may lead where a formula has no
// value, which is why the formula has the switch; there the formulas are taken as they are.
func (r *run) rate(t float64, y, into []float64) {
	if r.sense != nil {
		r.sense.rate(r, t, y, into)
		return
	}
	r.evaluate(t, y)
	n := len(r.model.States)
	if copy(into, r.out[len(r.model.Signals):][:n]); allFinite(into) {
		return
	}
	r.motion.One(r.row[:1+n+len(r.inputs)], r.sampling)
	copy(into, r.sampling[len(r.model.Signals):])
}

// firstStep guesses the size of the first step: after Hairer, Norsett and Wanner, section II.4.
func (r *run) firstStep() float64 {
	s := r.step
	d0, d1 := r.norm(s.y0, s.y0), r.norm(s.rate, s.y0)
	h := 1e-6
	if d0 > 1e-5 && d1 > 1e-5 {
		h = 0.01 * d0 / d1
	}
	h = math.Min(h, r.to-r.from)
	for j := range s.y1 {
		s.y1[j] = s.y0[j] + h*s.rate[j]
	}
	r.rate(r.from+h, s.y1, r.scratch)
	for j := range r.scratch {
		r.scratch[j] = (r.scratch[j] - s.rate[j]) / h
	}
	most := math.Max(d1, r.norm(r.scratch, s.y0))
	if !(most > 1e-15) || math.IsInf(most, 0) {
		return math.Min(math.Max(1e-6, 1e-3*h), r.to-r.from)
	}
	return math.Min(math.Min(100*h, math.Pow(0.01/most, 0.2)), r.to-r.from)
}

// advance makes one step: as far as accuracy allows, and no further than to the first switch.
func (r *run) advance() error {
	s := r.step
	h := math.Min(math.Min(r.next, r.most), r.to-s.t)
	for {
		if r.steps++; r.steps > maxSteps {
			return fmt.Errorf("after %d steps the time is %.6g only: ask for less accuracy, or a shorter time", maxSteps, s.t)
		}
		s.h = h
		if r.to-s.t-h < 1e-9*h {
			s.h = r.to - s.t
		}
		failure := math.Inf(1)
		if r.method.take(r) {
			failure = r.method.failure(r)
		}
		if failure <= 1 {
			found := r.look(r.end())
			if !found.clear {
				h = found.end - s.t
				r.most = h
				continue
			}
			if failure = math.Max(failure, found.defect); failure <= 1 {
				r.next = h * r.method.change(failure, r.before)
				r.before, r.most = math.Max(failure, 1e-4), 2*r.most
				return r.accept(found)
			}
		}
		if !finite(failure) {
			failure = 1e10
		}
		h *= math.Min(1, r.method.change(failure, 1))
		if h <= 16*ulp(s.t) {
			return r.ranAway()
		}
	}
}

// end is where the step ends: the last one to the last bit.
func (r *run) end() float64 {
	if end := r.step.t + r.step.h; end <= r.to && r.step.h != r.to-r.step.t {
		return end
	}
	return r.to
}

func ulp(t float64) float64 {
	return math.Max(math.Nextafter(math.Abs(t), math.Inf(1))-math.Abs(t), 1e-300)
}

// accept samples the step up to the first switch in it, and goes on from there.
func (r *run) accept(found sight) error {
	s := r.step
	if found.switched && found.end < s.t+s.h {
		s.h = found.end - s.t // the step is made anew, so that its end is as exact as that of any other
		if !r.method.take(r) {
			return r.ranAway()
		}
	}
	for r.sampled < r.model.Count && r.times[r.sampled] <= found.end {
		at := r.times[r.sampled]
		if at == found.end {
			copy(r.state, s.y1)
		} else {
			r.method.at(at, r.state)
		}
		r.sample(at, r.state)
	}
	for i, state := range r.model.States {
		if y := s.y1[i]; !(math.Abs(y) < runAway) {
			return fmt.Errorf("the solution runs away at time = %.6g: %s is %.4g there; check its rate, or keep inputs out of where that happens", found.end, state.Name, y)
		}
	}
	r.method.finish(r)
	copy(s.y0, s.y1)
	s.t = found.end
	r.choose()
	copy(r.first, r.seen[looks-1])
	if found.switched {
		return r.passSwitch()
	}
	return nil
}

// choose takes the other method where the one in use is the wrong one.
func (r *run) choose() {
	if !r.method.unfit() {
		return
	}
	r.before = 1e-4
	if r.method != r.explicit {
		r.explicit.stiff, r.explicit.relaxed = 0, 0
		r.method = r.explicit
		return
	}
	tangent := r.sense
	if tangent == nil {
		tangent = r.model.newSensitivity(nil)
	}
	r.method = newRadau(r.step, tangent, len(r.model.States))
}

func (r *run) ranAway() error {
	s := r.step
	if r.sense != nil {
		if err := r.sense.check(r); err != nil {
			return err
		}
	}
	worst := 0
	for i := range r.model.States {
		if !(math.Abs(s.rate[i]) <= math.Abs(s.rate[worst])) {
			worst = i
		}
	}
	return fmt.Errorf("the solution runs away at time = %.6g: %s is %.4g there, with a rate of %.3g; check that rate, or keep inputs out of where that happens", s.t, r.model.States[worst].Name, s.y0[worst], s.rate[worst])
}

// sample notes states and signals at a time. Signals are those of the formulas themselves, not of held modes.
func (r *run) sample(t float64, y []float64) {
	n := len(r.model.States)
	r.place(t, y)
	r.motion.One(r.row[:1+n+len(r.inputs)], r.sampling)
	for i := range n {
		r.curves[i] = append(r.curves[i], y[i])
	}
	for i := range r.model.Signals {
		r.curves[n+i] = append(r.curves[n+i], r.sampling[i])
	}
	if r.sense != nil {
		r.sense.sample(r, y)
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
