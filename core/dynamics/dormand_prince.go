package dynamics

import "math"

// The method of J. R. Dormand and P. J. Prince, Journal of Computational and Applied Mathematics 6 (1980): order 5 with an
// embedded order 4, and the continuous extension, step control and test for stiffness of E. Hairer, S. P. Norsett and
// G. Wanner, Solving Ordinary Differential Equations I, 2nd edition (1993), sections II.4 to II.6 and IV.2.
var (
	nodes   = [7]float64{0, 1. / 5, 3. / 10, 4. / 5, 8. / 9, 1, 1}
	weights = [7][6]float64{
		{},
		{1. / 5},
		{3. / 40, 9. / 40},
		{44. / 45, -56. / 15, 32. / 9},
		{19372. / 6561, -25360. / 2187, 64448. / 6561, -212. / 729},
		{9017. / 3168, -355. / 33, 46732. / 5247, 49. / 176, -5103. / 18656},
		{35. / 384, 0, 500. / 1113, 125. / 192, -2187. / 6784, 11. / 84},
	}
	errors5 = [7]float64{71. / 57600, 0, -71. / 16695, 71. / 1920, -17253. / 339200, 22. / 525, -1. / 40}
	dense   = [7]float64{-12715105075. / 11282082432, 0, 87487479700. / 32700410799, -10690763975. / 1880347072,
		701980252875. / 199316789632, -1453857185. / 822651844, 69997945. / 29380423}
)

// dormandPrince is the explicit method.
type dormandPrince struct {
	*step
	k              [7][]float64 // rates at the stages
	stage          []float64    // the state of the last stage but one
	fifth          []float64    // the part of the continuous extension that is not known from the ends
	errors         []float64
	stiff, relaxed int // steps that were, and were not, as short as stability wants them
}

func newDormandPrince(s *step) *dormandPrince {
	n := len(s.y0)
	m := &dormandPrince{step: s, stage: make([]float64, n), fifth: make([]float64, n), errors: make([]float64, n)}
	m.k[0] = s.rate
	for i := range m.k[1:] {
		m.k[1+i] = make([]float64, n)
	}
	return m
}

// take implements method.
func (s *dormandPrince) take(r *run) bool {
	for i := 1; i < 7; i++ {
		for j := range s.y1 {
			sum := 0.0
			for l := range i {
				sum += weights[i][l] * s.k[l][j]
			}
			s.y1[j] = s.y0[j] + s.h*sum
		}
		if i == 5 {
			copy(s.stage, s.y1)
		}
		r.rate(s.t+nodes[i]*s.h, s.y1, s.k[i])
	}
	for j := range s.fifth {
		bend, e := 0.0, 0.0
		for i := range s.k {
			bend += dense[i] * s.k[i][j]
			e += errors5[i] * s.k[i][j]
		}
		s.fifth[j], s.errors[j] = s.h*bend, s.h*e
	}
	return true
}

// failure implements method.
func (s *dormandPrince) failure(r *run) float64 { return r.norm(s.errors, s.y1) }

// steadiness is how much the failure of the step before counts.
const steadiness = 0.04

// change implements method.
func (s *dormandPrince) change(failure, before float64) float64 {
	return bounded(safety * math.Pow(math.Max(failure, 1e-10), -(0.2-0.75*steadiness)) * math.Pow(before, steadiness))
}

// at implements method, to order 4.
func (s *dormandPrince) at(t float64, into []float64) {
	share := (t - s.t) / s.h
	rest := 1 - share
	for j := range into {
		rise := s.y1[j] - s.y0[j]
		bend := s.h*s.k[0][j] - rise
		into[j] = s.y0[j] + share*(rise+rest*(bend+share*(rise-s.h*s.k[6][j]-bend+rest*s.fifth[j])))
	}
}

// bulge is by how much, about, the solution between two places where its error is 0 is off, as a share of the step times the
// largest error of its slope.
const bulge = 0.2

// defect implements method.
func (s *dormandPrince) defect(r *run, t float64, y, rates []float64) float64 {
	off := r.scratch[:len(rates)]
	s.slope(t, off)
	for j, rate := range rates {
		off[j] = bulge * s.h * (rate - off[j])
	}
	return r.norm(off, y[:len(off)])
}

// slope is the derivative of at.
func (s *dormandPrince) slope(t float64, into []float64) {
	share := (t - s.t) / s.h
	rest := 1 - share
	for j := range into {
		rise := s.y1[j] - s.y0[j]
		bend := s.h*s.k[0][j] - rise
		inner := rise - s.h*s.k[6][j] - bend + rest*s.fifth[j]
		middle := bend + share*inner
		outer := rise + rest*middle
		into[j] = (outer + share*(rest*(inner-share*s.fifth[j])-middle)) / s.h
	}
}

// finish implements method.
func (s *dormandPrince) finish(*run) {
	switch stiffness := s.stiffness(); {
	case stiffness > stiffAbove:
		s.relaxed = 0
		s.stiff++
	case s.stiff > 0:
		if s.relaxed++; s.relaxed >= forgivingSteps {
			s.stiff = 0
		}
	}
	copy(s.rate, s.k[6])
}

// When equations are called stiff.
const (
	stiffAbove     = 2.0 // of h times the largest eigenvalue: the stability of the method ends at 3.3, and its continuous extension suffers before
	stiffSteps     = 15  // of that kind
	forgivingSteps = 6   // of the other kind, before that is forgotten
)

// unfit implements method: stability, and not accuracy, keeps the steps short.
func (s *dormandPrince) unfit() bool { return s.stiff >= stiffSteps }

// stiffness estimates h times the largest eigenvalue.
func (s *dormandPrince) stiffness() float64 {
	above, below := 0.0, 0.0
	for j := range s.y1 {
		dk, dy := s.k[6][j]-s.k[5][j], s.y1[j]-s.stage[j]
		above, below = above+dk*dk, below+dy*dy
	}
	if below == 0 {
		return 0
	}
	return s.h * math.Sqrt(above/below)
}
