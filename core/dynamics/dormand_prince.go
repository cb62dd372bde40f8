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

// A step is one step of the method: y0 at t to y1 at t+h, with the rates at its stages.
type step struct {
	t, h   float64
	y0, y1 []float64
	k      [7][]float64
	stage  []float64 // the state of the last stage but one
	fifth  []float64 // the part of the continuous extension that is not known from the ends
}

func newStep(n int) *step {
	s := &step{y0: make([]float64, n), y1: make([]float64, n), stage: make([]float64, n), fifth: make([]float64, n)}
	for i := range s.k {
		s.k[i] = make([]float64, n)
	}
	return s
}

// take computes the stages; k[0] has the rate at the start already.
func (s *step) take(rate func(t float64, y, into []float64)) {
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
		rate(s.t+nodes[i]*s.h, s.y1, s.k[i])
	}
	for j := range s.fifth {
		sum := 0.0
		for i := range s.k {
			sum += dense[i] * s.k[i][j]
		}
		s.fifth[j] = s.h * sum
	}
}

// failure is the error of the step, as a share of what is allowed: the root of the mean square over the states. It is NaN
// or infinite where a state is.
func (s *step) failure(relative, absolute float64) float64 {
	sum := 0.0
	for j := range s.y1 {
		e := 0.0
		for i := range s.k {
			e += errors5[i] * s.k[i][j]
		}
		scale := absolute + relative*math.Max(math.Abs(s.y0[j]), math.Abs(s.y1[j]))
		sum += (s.h * e / scale) * (s.h * e / scale)
	}
	return math.Sqrt(sum / float64(max(1, len(s.y1))))
}

// at gives the state at a time within the step, to order 4.
func (s *step) at(t float64, into []float64) {
	share := (t - s.t) / s.h
	rest := 1 - share
	for j := range into {
		rise := s.y1[j] - s.y0[j]
		bend := s.h*s.k[0][j] - rise
		into[j] = s.y0[j] + share*(rise+rest*(bend+share*(rise-s.h*s.k[6][j]-bend+rest*s.fifth[j])))
	}
}

// stiffness estimates h times the largest eigenvalue.
func (s *step) stiffness() float64 {
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

// The numbers of the step control.
const (
	safety         = 0.9
	leastChange    = 0.2
	mostChange     = 10.0
	steadiness     = 0.04 // how much the step before counts
	stiffAbove     = 3.25 // of h times the largest eigenvalue: the stability of the method ends at 3.3
	stiffSteps     = 15   // of that kind, before the equations are called stiff
	forgivingSteps = 6    // of the other kind, before that is forgotten
)

// change is the factor by which the step changes after one with this failure, and before it the other.
func change(failure, before float64) float64 {
	factor := safety * math.Pow(math.Max(failure, 1e-10), -(0.2-0.75*steadiness)) * math.Pow(before, steadiness)
	return math.Min(mostChange, math.Max(leastChange, factor))
}
