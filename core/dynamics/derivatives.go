package dynamics

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A differentiated model has the programs of its derivatives with respect to time, the states and some inputs.
type differentiated struct {
	wrt      []int
	switched *formula.Program
	plain    *formula.Program
	frame    *formula.Program // the derivatives of the formulas of inputs, with respect to wrt alone
}

// differentiate compiles the derivatives with respect to some inputs, once for all solutions.
func (m *Model) differentiate(wrt []int) *differentiated {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if at := slices.IndexFunc(m.differentiated, func(d *differentiated) bool { return slices.Equal(d.wrt, wrt) }); at >= 0 {
		return m.differentiated[at]
	}
	n := len(m.States)
	by := []int{0}
	for i := range n {
		by = append(by, 1+i)
	}
	for _, input := range wrt {
		by = append(by, 1+n+input)
	}
	d := &differentiated{wrt: slices.Clone(wrt), switched: m.switched.Program.Derivatives(by), plain: m.motion.Derivatives(by), frame: m.frame.Derivatives(wrt)}
	m.differentiated = append(m.differentiated, d)
	return d
}

// A sensitivity carries the derivatives of the states with respect to some inputs behind the states: those by the first
// input, then those by the second, and so on.
type sensitivity struct {
	wrt             []int
	states, signals int
	held, plain     evaluated // of the switched program by time, states and the inputs, and of the plain program
	now             *evaluated
	frame           *formula.Machine // of the formulas of inputs
	frameOut        []float64
	derivatives     [][]curve.Derivative // of the states and signals, by input
	fromMoves       []float64
	toMoves         []float64
}

// evaluated is a differentiated program with its last results: the values, then for each its derivatives.
type evaluated struct {
	machine *formula.Machine
	values  int
	out     []float64
}

func newEvaluated(program *formula.Program, values int) evaluated {
	return evaluated{machine: program.NewMachine(), values: values, out: make([]float64, program.Results())}
}

func (m *Model) newSensitivity(wrt []int) *sensitivity {
	d, n := m.differentiate(wrt), len(m.States)
	return &sensitivity{wrt: wrt, states: n, signals: len(m.Signals), held: newEvaluated(d.switched, m.switched.Program.Results()), plain: newEvaluated(d.plain, m.motion.Results()),
		frame: d.frame.NewMachine(), frameOut: make([]float64, d.frame.Results()), derivatives: make([][]curve.Derivative, n+len(m.Signals))}
}

// start sets the derivatives at the beginning: those of the start values, and where the beginning itself moves, what the
// states have moved until then.
func (s *sensitivity) start(r *run) {
	n, p := s.states, len(s.wrt)
	s.frame.One(r.inputs, s.frameOut)
	derivatives := s.frameOut[2+n:]
	s.fromMoves, s.toMoves = derivatives[:p], derivatives[p:2*p]
	r.evaluate(r.from, r.step.y0)
	for k := range p {
		for i := range n {
			r.step.y0[n*(1+k)+i] = derivatives[(2+i)*p+k] - r.out[s.signals+i]*s.fromMoves[k]
		}
	}
}

// holding evaluates the switched program with its derivatives, the modes held.
func (s *sensitivity) holding(r *run, t float64, y []float64) {
	r.place(t, y)
	s.held.machine.One(r.row, s.held.out)
	s.now = &s.held
}

// differentiate does so too, and takes the formulas as they are where the modes that are held let them run away.
func (s *sensitivity) differentiate(r *run, t float64, y []float64) {
	if s.holding(r, t, y); s.ratesAreFinite() {
		return
	}
	s.plain.machine.One(r.row[:1+s.states+len(r.inputs)], s.plain.out)
	s.now = &s.plain
}

// ratesAreFinite is true where the rates and their derivatives are.
func (s *sensitivity) ratesAreFinite() bool {
	for i, rate := range s.rates() {
		if !finite(rate) || !allFinite(s.rateRow(i)) {
			return false
		}
	}
	return true
}

func (s *sensitivity) rates() []float64 { return s.now.out[s.signals : s.signals+s.states] }

// row has the derivatives of a result: by time, each state and each input.
func (s *sensitivity) row(result int) []float64 {
	width := 1 + s.states + len(s.wrt)
	at := s.now.values + result*width
	return s.now.out[at : at+width]
}

func (s *sensitivity) rateRow(state int) []float64 { return s.row(s.signals + state) }

// jacobian is the matrix of the derivatives of the rates by the states.
func (s *sensitivity) jacobian(into *mat.Dense) {
	for i := range s.states {
		into.SetRow(i, s.rateRow(i)[1:1+s.states])
	}
}

// total is the derivative of a result by the k-th input at a fixed time, through the states as well: row holds its partial
// derivatives.
func (s *sensitivity) total(row, y []float64, k int) float64 {
	sum := row[1+s.states+k]
	for i := range s.states {
		sum += row[1+i] * y[s.states*(1+k)+i]
	}
	return sum
}

// rate is the right side of the equations of states and sensitivities.
func (s *sensitivity) rate(r *run, t float64, y, into []float64) {
	s.differentiate(r, t, y)
	copy(into[:s.states], s.rates())
	for i := range s.states {
		row := s.rateRow(i)
		for k := range s.wrt {
			into[s.states*(1+k)+i] = s.total(row, y, k)
		}
	}
}

// check says where the solution goes on but its derivatives do not.
func (s *sensitivity) check(r *run) error {
	s.differentiate(r, r.step.t, r.step.y0)
	for i, rate := range s.rates() {
		if finite(rate) && !allFinite(s.rateRow(i)) {
			return fmt.Errorf("%w at time = %.6g: the rate of %s has no finite derivative there", ErrNotDifferentiable, r.step.t, r.model.States[i].Name)
		}
	}
	return nil
}

// jump adds what the sensitivities change by at a switch: the switch comes earlier or later when an input moves, and
// meanwhile the rates are others. Several guards may be passed at one time; each moves that time in its own way, so they are
// taken one after the other, each with the modes that hang on it. old are the modes before.
func (s *sensitivity) jump(r *run, old []float64) {
	t, y, modes := r.step.t, r.step.y0, r.modes()
	after := slices.Clone(modes)
	copy(modes, old)
	s.holding(r, t, y)
	passed := r.changes(s.held.out[s.signals+s.states : s.held.values])
	for _, k := range passed {
		if modes[k] != old[k] {
			continue // it hung on one before
		}
		s.holding(r, t, y)
		before := slices.Clone(s.rates())
		row := s.row(s.signals + s.states + k)
		passing := row[0]
		for i := range s.states {
			passing += row[1+i] * before[i]
		}
		delays := make([]float64, len(s.wrt))
		for j := range delays {
			if passing != 0 { // else it only touches
				delays[j] = -s.total(row, y, j) / passing
			}
		}
		modes[k] = after[k]
		if k == passed[len(passed)-1] {
			copy(modes, after)
		} else {
			r.follow(t, y, passed)
		}
		s.holding(r, t, y)
		for j, delay := range delays {
			for i, rate := range s.rates() {
				if change := (before[i] - rate) * delay; change != 0 {
					y[s.states*(1+j)+i] += change
				}
			}
		}
	}
	copy(modes, after)
	r.current = false
}

// sample notes how the samples of states and signals move with each input, together with the time at which they stand.
func (s *sensitivity) sample(r *run, y []float64) {
	s.plain.machine.One(r.row[:1+s.states+len(r.inputs)], s.plain.out)
	s.now = &s.plain
	share := 0.0
	if r.sampled > 0 {
		share = float64(r.sampled) / float64(r.model.Count-1)
	}
	for i := range s.derivatives {
		if s.derivatives[i] == nil {
			s.derivatives[i] = make([]curve.Derivative, len(s.wrt))
		}
		for k := range s.wrt {
			timeMoves := s.fromMoves[k] + share*(s.toMoves[k]-s.fromMoves[k])
			var moves float64
			if i < s.states {
				moves = y[s.states*(1+k)+i] + s.rates()[i]*timeMoves
			} else {
				row := s.row(i - s.states)
				moves = s.total(row, y, k) + row[0]*timeMoves
				for l, rate := range s.rates() {
					moves += row[1+l] * rate * timeMoves
				}
			}
			derivative := &s.derivatives[i][k]
			derivative.X, derivative.Y = append(derivative.X, timeMoves), append(derivative.Y, moves)
		}
	}
}

func finite(x float64) bool { return !math.IsNaN(x) && !math.IsInf(x, 0) }

func allFinite(values []float64) bool {
	return !slices.ContainsFunc(values, func(x float64) bool { return !finite(x) })
}
