package dynamics

import (
	"ropebench/core/curve"
	"ropebench/core/formula"
)

// A sensitivity carries the derivatives of the states with respect to some inputs behind the states: those by the first
// input, then those by the second, and so on.
type sensitivity struct {
	wrt         []int
	switched    *formula.Machine // of the switched program, by time, states and the inputs
	sampling    *formula.Machine // of the plain program, the same
	frame       *formula.Machine // of the formulas of inputs
	out         []float64
	sampled     []float64
	frameOut    []float64
	results     int                  // of the switched program
	plain       int                  // results of the plain program
	derivatives [][]curve.Derivative // of the states and signals, by input
	fromMoves   []float64
	toMoves     []float64
}

func (m *Model) newSensitivity(wrt []int) *sensitivity {
	n := len(m.States)
	by := []int{0}
	for i := range n {
		by = append(by, 1+i)
	}
	for _, input := range wrt {
		by = append(by, 1+n+input)
	}
	switched, sampling, frame := m.switched.Program.Derivatives(by), m.motion.Derivatives(by), m.frame.Derivatives(wrt)
	return &sensitivity{wrt: wrt, switched: switched.NewMachine(), sampling: sampling.NewMachine(), frame: frame.NewMachine(),
		out: make([]float64, switched.Results()), sampled: make([]float64, sampling.Results()), frameOut: make([]float64, frame.Results()),
		results: m.switched.Program.Results(), plain: m.motion.Results(), derivatives: make([][]curve.Derivative, n+len(m.Signals))}
}

// width is how many derivatives each result has: by time, each state and each input.
func (s *sensitivity) width(n int) int { return 1 + n + len(s.wrt) }

// start sets the derivatives at the beginning: those of the start values, and where the beginning itself moves, what the
// states have moved until then.
func (s *sensitivity) start(r *run) {
	n, p := len(r.model.States), len(s.wrt)
	s.frame.One(r.inputs, s.frameOut)
	derivatives := s.frameOut[2+n:]
	s.fromMoves, s.toMoves = derivatives[:p], derivatives[p:2*p]
	r.evaluate(r.from, r.step.y0)
	for k := range p {
		for i := range n {
			r.step.y0[n*(1+k)+i] = derivatives[(2+i)*p+k] - r.out[len(r.model.Signals)+i]*s.fromMoves[k]
		}
	}
}

// differentiate evaluates the switched program with its derivatives, the modes held.
func (s *sensitivity) differentiate(r *run, t float64, y []float64) {
	r.row[0] = t
	copy(r.row[1:1+len(r.model.States)], y)
	s.switched.One(r.row, s.out)
}

// total is the derivative of a result by the k-th input at a fixed time, through the states as well: row holds its partial
// derivatives.
func (s *sensitivity) total(row, y []float64, n, k int) float64 {
	sum := row[1+n+k]
	for i := range n {
		sum += row[1+i] * y[n*(1+k)+i]
	}
	return sum
}

func (s *sensitivity) row(result, results, n int, out []float64) []float64 {
	at := results + result*s.width(n)
	return out[at : at+s.width(n)]
}

// rate is the right side of the equations of states and sensitivities.
func (s *sensitivity) rate(r *run, t float64, y, into []float64) {
	n, first := len(r.model.States), len(r.model.Signals)
	s.differentiate(r, t, y)
	copy(into[:n], s.out[first:])
	for i := range n {
		row := s.row(first+i, s.results, n, s.out)
		for k := range s.wrt {
			into[n*(1+k)+i] = s.total(row, y, n, k)
		}
	}
}

// jump adds what the sensitivities change by at a switch: the switch comes earlier or later when an input moves, and
// meanwhile the rates are others. The modes are the new ones already; old has those before.
func (s *sensitivity) jump(r *run, old []float64) {
	n, first := len(r.model.States), len(r.model.Signals)
	t, y := r.step.t, r.step.y0
	modes := r.modes()
	after := append([]float64{}, modes...)
	r.evaluate(t, y)
	ratesAfter := append([]float64{}, r.out[first:first+n]...)
	copy(modes, old)
	s.differentiate(r, t, y)
	ratesBefore := append([]float64{}, s.out[first:first+n]...)
	var delays []float64
	for k := range after {
		if after[k] == old[k] {
			continue
		}
		row := s.row(first+n+k, s.results, n, s.out) // of the guard that was passed
		passing := row[0]
		for i := range n {
			passing += row[1+i] * ratesBefore[i]
		}
		if passing == 0 {
			continue // it only touches
		}
		for j := range s.wrt {
			delays = append(delays, -s.total(row, y, n, j)/passing)
		}
		break // modes that change together are passed at one time
	}
	copy(modes, after)
	if delays == nil {
		return
	}
	for j := range s.wrt {
		for i := range n {
			y[n*(1+j)+i] += (ratesBefore[i] - ratesAfter[i]) * delays[j]
		}
	}
}

// sample notes how the samples of states and signals move with each input, together with the time at which they stand.
func (s *sensitivity) sample(r *run, t float64, y []float64) {
	n, signals := len(r.model.States), len(r.model.Signals)
	s.sampling.One(r.row[:1+n+len(r.inputs)], s.sampled)
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
			if i < n {
				moves = y[n*(1+k)+i] + s.sampled[signals+i]*timeMoves
			} else {
				row := s.row(i-n, s.plain, n, s.sampled)
				moves = s.total(row, y, n, k) + row[0]*timeMoves
				for l := range n {
					moves += row[1+l] * s.sampled[signals+l] * timeMoves
				}
			}
			derivative := &s.derivatives[i][k]
			derivative.X, derivative.Y = append(derivative.X, timeMoves), append(derivative.Y, moves)
		}
	}
}
