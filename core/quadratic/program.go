// Package quadratic solves convex quadratic programs whose rows may be violated at a price: the problems that methods of
// sequential quadratic programming ask at every step. There is always an answer, since no row has to be kept.
package quadratic

import (
	"math"

	"gonum.org/v1/gonum/floats"
)

// A Program is to make d'Hd/2 + g'd, and the prices of what the rows are violated by, least within bounds.
type Program struct {
	Hessian      [][]float64 // symmetric and positive semidefinite
	Gradient     []float64
	Lower, Upper []float64 // of each variable, finite
	Rows         []Row
}

// A Row keeps a sum of the variables within limits; equal limits are an equation. Open sides are infinite.
type Row struct {
	Of           []float64 // a coefficient for each variable
	Lower, Upper float64
	Price        float64 // of one unit of violation, finite and positive
}

// A Solution is the least point of a program.
type Solution struct {
	Point []float64
	// Rows has the multiplier of each row, by how much the least value grows where its limit grows by one: positive where
	// the lower limit holds the point, negative where the upper one does, plus or minus the price where it is violated.
	Rows []float64
	// Bounds has the same for the bounds of each variable.
	Bounds []float64
	// Violations has by how much each row is violated.
	Violations []float64
}

// Solve finds the least point by an interior-point method with Mehrotra's predictor and corrector (J. Nocedal and
// S. J. Wright, Numerical Optimization, 2nd edition (2006), section 16.6), and then by the equations of the sides that
// hold it, so that it stands on them to rounding.
func Solve(p Program) Solution {
	n := len(p.Gradient)
	s := Solution{Point: make([]float64, n), Rows: make([]float64, len(p.Rows)), Bounds: make([]float64, n), Violations: make([]float64, len(p.Rows))}
	scaled := scale(p)
	if len(scaled.moves) > 0 {
		scaled.write(scaled.interior(), &s)
	}
	for i := range s.Point {
		s.Point[i] = math.Min(p.Upper[i], math.Max(p.Lower[i], s.Point[i]))
	}
	for j, row := range p.Rows {
		value := dot(row.Of, s.Point)
		s.Violations[j] = math.Max(0, math.Max(row.Lower-value, value-row.Upper))
	}
	return s
}

// A scaling is a program in which every variable that moves goes from 0 to 1, the largest coefficient of each row is 1, and
// the objective is about 1.
type scaling struct {
	original Program
	moves    []int // variables whose bounds leave them room
	width    []float64
	unit     float64 // of the objective
	units    []float64
	hessian  [][]float64
	gradient []float64
	sides    []side
}

// A side is one limit of a row: of'd >= bound, or the price for each unit below it.
type side struct {
	row         int
	sign        float64 // of the row: -1 for its upper limit
	of          []float64
	bound       float64
	price       float64
	isEquation  bool // the other side has the same limit
	isSecondOne bool // of an equation
}

const noWidth = 1e-15 // bounds that are closer than this leave no room

func scale(p Program) scaling {
	s := scaling{original: p, units: make([]float64, len(p.Rows))}
	for i := range p.Gradient {
		if p.Upper[i]-p.Lower[i] > noWidth {
			s.moves = append(s.moves, i)
			s.width = append(s.width, p.Upper[i]-p.Lower[i])
		}
	}
	m := len(s.moves)
	s.gradient, s.hessian = make([]float64, m), make([][]float64, m)
	for a, i := range s.moves {
		s.gradient[a] = p.Gradient[i] + dot(p.Hessian[i], p.Lower)
		s.gradient[a] *= s.width[a]
		s.hessian[a] = make([]float64, m)
		for b, j := range s.moves {
			s.hessian[a][b] = p.Hessian[i][j] * s.width[a] * s.width[b]
		}
		s.unit = math.Max(s.unit, math.Max(math.Abs(s.gradient[a]), s.hessian[a][a]))
	}
	for j, row := range p.Rows {
		s.addRow(j, row)
	}
	if s.unit == 0 {
		for _, one := range s.sides {
			s.unit = math.Max(s.unit, one.price)
		}
	}
	if s.unit == 0 {
		s.unit = 1
	}
	for a := range s.gradient {
		s.gradient[a] /= s.unit
		for b := range s.hessian[a] {
			s.hessian[a][b] /= s.unit
		}
	}
	for k := range s.sides {
		s.sides[k].price /= s.unit
	}
	return s
}

func (s *scaling) addRow(j int, row Row) {
	of, at := make([]float64, len(s.moves)), dot(row.Of, s.original.Lower)
	for a, i := range s.moves {
		of[a] = row.Of[i] * s.width[a]
		s.units[j] = math.Max(s.units[j], math.Abs(of[a]))
	}
	if s.units[j] == 0 {
		return // nothing moves it
	}
	negative := make([]float64, len(of))
	for a := range of {
		of[a] /= s.units[j]
		negative[a] = -of[a]
	}
	price, equation := row.Price*s.units[j], row.Lower == row.Upper
	if !math.IsInf(row.Lower, 0) {
		s.sides = append(s.sides, side{row: j, sign: 1, of: of, bound: (row.Lower - at) / s.units[j], price: price, isEquation: equation})
	}
	if !math.IsInf(row.Upper, 0) {
		s.sides = append(s.sides, side{row: j, sign: -1, of: negative, bound: -(row.Upper - at) / s.units[j], price: price, isEquation: equation, isSecondOne: equation})
	}
}

// An answer is a point of the scaled program with the multipliers of its sides and of the lower and upper bounds.
type answer struct {
	point        []float64
	sides        []float64
	lower, upper []float64
}

func (s *scaling) write(a answer, into *Solution) {
	copy(into.Point, s.original.Lower)
	for k, i := range s.moves {
		into.Point[i] = s.original.Lower[i] + a.point[k]*s.width[k]
		if a.point[k] == 1 {
			into.Point[i] = s.original.Upper[i]
		}
		into.Bounds[i] = (a.lower[k] - a.upper[k]) * s.unit / s.width[k]
	}
	for k, one := range s.sides {
		into.Rows[one.row] += one.sign * a.sides[k] * s.unit / s.units[one.row]
	}
}

func dot(a, b []float64) float64 { return floats.Dot(a, b) }
