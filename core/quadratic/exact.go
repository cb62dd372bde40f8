package quadratic

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// agreement is by how much the point of the equations may miss what the interior point says of the sides, in the units of
// the scaled program; multipliers in those of its gradient.
const agreement = 1e-7

// exact solves the equations of the sides and bounds on which the interior point stands. It is false where these are not
// told apart well enough to do so.
func (s *scaling) exact(it iterate) (answer, bool) {
	var free, held []int // sides that hold the point
	gradient := append([]float64{}, s.gradient...)
	a := answer{point: make([]float64, len(s.moves)), sides: make([]float64, len(s.sides)), lower: make([]float64, len(s.moves)), upper: make([]float64, len(s.moves))}
	for i := range s.moves {
		switch {
		case it.lower[i] > it.low[i]:
			a.point[i] = 0
		case it.upper[i] > it.high[i]:
			a.point[i] = 1
		default:
			free = append(free, i)
		}
	}
	for k, one := range s.sides {
		switch {
		case it.pay[k] < it.excess[k]: // violated: it costs its price
			a.sides[k] = one.price
			for i := range gradient {
				gradient[i] -= one.price * one.of[i]
			}
		case one.isEquation && !one.isSecondOne && it.pay[k+1] >= it.excess[k+1], !one.isEquation && it.keep[k] > it.slack[k]:
			held = append(held, k)
		}
	}
	if len(held) > len(free) || !s.solveHeld(free, held, gradient, &a) {
		return a, false
	}
	return a, s.agrees(free, held, gradient, &a)
}

// solveHeld solves for the variables that are free and the multipliers of the sides that are held.
func (s *scaling) solveHeld(free, held []int, gradient []float64, a *answer) bool {
	f, size := len(free), len(free)+len(held)
	if size == 0 {
		return true
	}
	system, right := mat.NewDense(size, size, nil), mat.NewVecDense(size, nil)
	for r, i := range free {
		right.SetVec(r, -gradient[i]-dot(s.hessian[i], a.point))
		for c, j := range free {
			system.Set(r, c, s.hessian[i][j])
		}
		for c, k := range held {
			system.Set(r, f+c, -s.sides[k].of[i])
			system.Set(f+c, r, s.sides[k].of[i])
		}
	}
	for c, k := range held {
		right.SetVec(f+c, s.sides[k].bound-dot(s.sides[k].of, a.point))
	}
	var solved mat.VecDense
	if err := solved.SolveVec(system, right); err != nil {
		return false
	}
	for r, i := range free {
		a.point[i] = solved.AtVec(r)
	}
	for c, k := range held {
		a.sides[k] = solved.AtVec(f + c)
	}
	return true
}

// agrees is true where the point is within the bounds and every multiplier has its sign. It gives the bounds theirs.
func (s *scaling) agrees(free, held []int, gradient []float64, a *answer) bool {
	slight := 0.0
	for _, g := range s.gradient {
		slight = math.Max(slight, agreement*math.Abs(g))
	}
	for _, x := range a.point {
		if !(x >= -agreement && x <= 1+agreement) {
			return false
		}
	}
	isHeld := make([]bool, len(s.sides))
	for _, k := range held {
		isHeld[k] = true
		if least := a.sides[k]; s.sides[k].isEquation && math.Abs(least) > s.sides[k].price+slight || !s.sides[k].isEquation && !(least >= -slight && least <= s.sides[k].price+slight) {
			return false
		}
	}
	for k, one := range s.sides {
		over := dot(one.of, a.point) - one.bound
		switch {
		case isHeld[k] || one.isSecondOne && isHeld[k-1]:
		case a.sides[k] > 0: // violated
			if over > agreement {
				return false
			}
		case !one.isEquation && over < -agreement:
			return false
		}
	}
	isFree := make([]bool, len(a.point))
	for _, i := range free {
		isFree[i] = true
	}
	for i := range a.point {
		if isFree[i] {
			continue
		}
		pull := gradient[i] + dot(s.hessian[i], a.point)
		for _, k := range held {
			pull -= a.sides[k] * s.sides[k].of[i]
		}
		switch {
		case a.point[i] == 0 && pull >= -slight:
			a.lower[i] = math.Max(0, pull)
		case a.point[i] == 1 && pull <= slight:
			a.upper[i] = math.Max(0, -pull)
		default:
			return false
		}
	}
	return true
}
