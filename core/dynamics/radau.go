package dynamics

import (
	"errors"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// The method Radau IIA of order 5 for stiff equations, with the error estimate of E. Hairer and G. Wanner, Solving Ordinary
// Differential Equations II, 2nd edition (1996), sections IV.5 and IV.8. Its stages are found by Newton's method on exact
// derivatives, and those of the sensitivities, which are linear, with the same matrix.
var (
	root6       = math.Sqrt(6)
	collocation = [radauStages]float64{(4 - root6) / 10, (4 + root6) / 10, 1}
	stageShares = [radauStages][radauStages]float64{
		{(88 - 7*root6) / 360, (296 - 169*root6) / 1800, (-2 + 3*root6) / 225},
		{(296 + 169*root6) / 1800, (88 + 7*root6) / 360, (-2 - 3*root6) / 225},
		{(16 - root6) / 36, (16 + root6) / 36, 1. / 9},
	}
	radauErrors = [radauStages]float64{-(13 + 7*root6) / 3, (-13 + 7*root6) / 3, -1. / 3}
	radauPole   = 30 / (6 + math.Cbrt(81) - math.Cbrt(9)) // the real eigenvalue of the inverse of stageShares
)

const (
	radauStages      = 3
	newtonSteps      = 10
	newtonCloseness  = 1e-2 // of what is allowed as error: the next step of Newton's method would be far smaller
	easySteps        = 6    // in which the explicit method would be stable, before it is taken again
	easyBelow        = 1.0  // of h times the norm of the Jacobian
	newtonDivergence = 2.0  // by which a correction may be larger than the one before
)

// radau is the implicit method. It needs the Jacobian, which tangent gives.
type radau struct {
	*step
	tangent  *sensitivity
	states   int
	z        [radauStages][]float64 // what y has risen by at each stage
	rates    [radauStages][]float64 // of the states there; of sensitivities what does not hang on them
	jacobian [radauStages]*mat.Dense
	start    *mat.Dense // the Jacobian at the start of the step
	whole    *mat.Dense
	filter   mat.LU // of the estimate of errors
	errors   []float64
	scratch  []float64
	easy     int
}

func newRadau(s *step, tangent *sensitivity, states int) *radau {
	n := len(s.y0)
	m := &radau{step: s, tangent: tangent, states: states, start: mat.NewDense(states, states, nil), whole: mat.NewDense(radauStages*states, radauStages*states, nil),
		errors: make([]float64, n), scratch: make([]float64, n)}
	for i := range m.z {
		m.z[i], m.rates[i], m.jacobian[i] = make([]float64, n), make([]float64, n), mat.NewDense(states, states, nil)
	}
	return m
}

// take implements method.
func (s *radau) take(r *run) bool {
	n := s.states
	s.linearize(r, s.t, s.y0, s.start)
	for i := range s.z {
		clear(s.z[i])
	}
	right, correction := mat.NewVecDense(radauStages*n, nil), mat.NewVecDense(radauStages*n, nil)
	before := math.Inf(1)
	for range newtonSteps {
		lu := s.factorize(r)
		for i := range radauStages {
			for j := range n {
				sum := 0.0
				for l := range radauStages {
					sum += stageShares[i][l] * s.rates[l][j]
				}
				right.SetVec(i*n+j, s.h*sum-s.z[i][j])
			}
		}
		if !solve(lu, right, correction) {
			return false
		}
		size := 0.0
		for i := range radauStages {
			part := correction.RawVector().Data[i*n : (i+1)*n]
			for j, by := range part {
				s.z[i][j] += by
			}
			size = math.Max(size, r.norm(part, s.y0[:n]))
		}
		if !(size <= newtonDivergence*before) {
			return false
		}
		if before = size; size <= newtonCloseness {
			return s.finishStages(r)
		}
	}
	return false
}

// factorize evaluates rates and Jacobians at all stages, and factorizes the matrix of Newton's method.
func (s *radau) factorize(r *run) *mat.LU {
	n := s.states
	for l := range radauStages {
		for j := range s.scratch {
			s.scratch[j] = s.y0[j] + s.z[l][j]
		}
		s.tangent.differentiate(r, s.t+collocation[l]*s.h, s.scratch)
		copy(s.rates[l][:n], s.tangent.rates())
		s.tangent.jacobian(s.jacobian[l])
		for k := range s.tangent.wrt {
			for j := range n {
				s.rates[l][n*(1+k)+j] = s.tangent.rateRow(j)[1+n+k]
			}
		}
		for i := range radauStages {
			for j := range n {
				for m := range n {
					entry := -s.h * stageShares[i][l] * s.jacobian[l].At(j, m)
					if i == l && j == m {
						entry++
					}
					s.whole.Set(i*n+j, l*n+m, entry)
				}
			}
		}
	}
	var lu mat.LU
	lu.Factorize(s.whole)
	return &lu
}

// finishStages computes the sensitivities at the stages, and the error of the step.
func (s *radau) finishStages(r *run) bool {
	n := s.states
	if len(s.y0) > n {
		lu := s.factorize(r)
		right, z := mat.NewVecDense(radauStages*n, nil), mat.NewVecDense(radauStages*n, nil)
		for at := n; at < len(s.y0); at += n {
			for i := range radauStages {
				for j := range n {
					sum := 0.0
					for l := range radauStages {
						moves := s.rates[l][at+j]
						for m := range n {
							moves += s.jacobian[l].At(j, m) * s.y0[at+m]
						}
						sum += stageShares[i][l] * moves
					}
					right.SetVec(i*n+j, s.h*sum)
				}
			}
			if !solve(lu, right, z) {
				return false
			}
			for i := range radauStages {
				copy(s.z[i][at:at+n], z.RawVector().Data[i*n:(i+1)*n])
			}
		}
	}
	for j := range s.y1 {
		s.y1[j] = s.y0[j] + s.z[radauStages-1][j]
	}
	return s.estimate()
}

// estimate filters what an embedded method of order 3 would differ by through the stiff part of the equations.
func (s *radau) estimate() bool {
	n := s.states
	filter := mat.NewDense(n, n, nil)
	for j := range n {
		for m := range n {
			filter.Set(j, m, -s.start.At(j, m))
		}
		filter.Set(j, j, filter.At(j, j)+radauPole/s.h)
	}
	s.filter.Factorize(filter)
	right, e := mat.NewVecDense(n, nil), mat.NewVecDense(n, nil)
	for at := 0; at < len(s.y0); at += n {
		for j := range n {
			sum := s.rate[at+j]
			for i := range radauStages {
				sum += radauErrors[i] * s.z[i][at+j] / s.h
			}
			right.SetVec(j, sum)
		}
		if !solve(&s.filter, right, e) {
			return false
		}
		copy(s.errors[at:at+n], e.RawVector().Data)
	}
	return true
}

// solve is false where the matrix is singular or something is not finite. A matrix that is nearly singular is solved: the
// error of the step shows what comes of that.
func solve(lu *mat.LU, right, into *mat.VecDense) bool {
	var condition mat.Condition
	if err := lu.SolveVecTo(into, false, right); errors.As(err, &condition) && math.IsInf(float64(condition), 1) {
		return false
	}
	return !slices.ContainsFunc(into.RawVector().Data, func(value float64) bool { return !finite(value) })
}

// linearize evaluates the Jacobian.
func (s *radau) linearize(r *run, t float64, y []float64, into *mat.Dense) {
	s.tangent.differentiate(r, t, y)
	s.tangent.jacobian(into)
}

// failure implements method.
func (s *radau) failure(r *run) float64 { return r.norm(s.errors, s.y1) }

// change implements method.
func (s *radau) change(failure, _ float64) float64 {
	return bounded(safety * math.Pow(math.Max(failure, 1e-10), -0.25))
}

// interpolate sums the stages with the values, or the derivatives, of the polynomials of J. L. Lagrange on 0 and the nodes.
func (s *radau) interpolate(t float64, derivative bool, into []float64) {
	share := (t - s.t) / s.h
	at := [1 + radauStages]float64{0, collocation[0], collocation[1], collocation[2]}
	clear(into)
	for i := range radauStages {
		value, slope := 1.0, 0.0
		for k, node := range at {
			if k == i+1 {
				continue
			}
			factor := 1 / (at[i+1] - node)
			slope = slope*(share-node)*factor + value*factor
			value *= (share - node) * factor
		}
		if derivative {
			value = slope / s.h
		}
		for j := range into {
			into[j] += value * s.z[i][j]
		}
	}
}

// at implements method, to order 3.
func (s *radau) at(t float64, into []float64) {
	s.interpolate(t, false, into)
	for j := range into {
		into[j] += s.y0[j]
	}
}

// defect implements method: filtered as the error of the step is.
func (s *radau) defect(r *run, t float64, y, rates []float64) float64 {
	off := r.scratch[:s.states]
	s.interpolate(t, true, off)
	for j, rate := range rates {
		off[j] = rate - off[j]
	}
	e := mat.NewVecDense(s.states, nil)
	if !solve(&s.filter, mat.NewVecDense(s.states, off), e) {
		return math.Inf(1)
	}
	return r.norm(e.RawVector().Data, y[:s.states])
}

// finish implements method.
func (s *radau) finish(r *run) {
	if s.h*mat.Norm(s.start, math.Inf(1)) < easyBelow {
		s.easy++
	} else {
		s.easy = 0
	}
	r.rate(s.t+s.h, s.y1, s.rate)
}

// unfit implements method: the explicit method would be stable with such steps, and is less work.
func (s *radau) unfit() bool { return s.easy >= easySteps }
