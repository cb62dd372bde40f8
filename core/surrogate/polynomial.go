package surrogate

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
)

// A Polynomial is a sum of terms of at most the second degree.
type Polynomial struct {
	Terms        []Term
	Coefficients []float64 // of the constant, and of each term
}

// A Term is a coordinate, or the product of two; coordinates count from the middle of the range, in halves of it.
type Term struct {
	A, B int // B is -1 in a linear term
}

// value is that of the term at coordinates.
func (t Term) value(x []float64) float64 {
	v := 2*x[t.A] - 1
	if t.B >= 0 {
		v *= 2*x[t.B] - 1
	}
	return v
}

// Mean predicts the value at coordinates.
func (p *Polynomial) Mean(x []float64) float64 {
	sum := p.Coefficients[0]
	for k, term := range p.Terms {
		sum += p.Coefficients[k+1] * term.value(x)
	}
	return sum
}

// Bounds on what a polynomial is chosen from.
const (
	mostCandidates = 700 // terms; where there are more, products of different coordinates are left out
	mostTerms      = 80
	patience       = 6 // terms that are looked at without a better cross-validation
)

// candidates lists the terms of so many coordinates.
func candidates(width int) []Term {
	var terms []Term
	for a := range width {
		terms = append(terms, Term{a, -1})
	}
	for a := range width {
		for b := range a + 1 {
			if a == b || width*(width+3)/2 <= mostCandidates {
				terms = append(terms, Term{b, a})
			}
		}
	}
	return terms
}

// fitPolynomial adds the term that explains most of what is left, one after the other, as long as the leave-one-out
// cross-validation gets better (its closed form: D. M. Allen, Technometrics 16 (1974)).
func fitPolynomial(x core.Matrix, y []float64) (*Polynomial, error) {
	n := len(y)
	terms := candidates(x.Columns)
	columns := make([][]float64, len(terms)) // orthogonal to those that are chosen, and scaled
	for k, term := range terms {
		columns[k] = make([]float64, n)
		for i := range n {
			columns[k][i] = term.value(x.Row(i))
		}
		takeOff(columns[k], 1/math.Sqrt(float64(n)), nil)
	}
	rest, leverage := append([]float64(nil), y...), make([]float64, n)
	takeOff(rest, 1/math.Sqrt(float64(n)), nil)
	for i := range leverage {
		leverage[i] = 1 / float64(n)
	}
	var order []Term
	least, best := press(rest, leverage), 0
	for len(order) < min(mostTerms, n-3) && len(order)-best < patience {
		k := explainsMost(columns, rest)
		if k < 0 {
			break
		}
		q := columns[k]
		columns[k] = nil
		order = append(order, terms[k])
		along := dot(q, rest)
		for i, v := range q {
			rest[i] -= along * v
			leverage[i] += v * v
		}
		for _, column := range columns {
			if column != nil {
				takeOff(column, 0, q)
			}
		}
		if now := press(rest, leverage); now < least*(1-1e-9) {
			least, best = now, len(order)
		}
	}
	return leastSquares(x, y, order[:best])
}

// takeOff makes a column orthogonal to another of unit length: to q, or to one of a constant.
func takeOff(column []float64, constant float64, q []float64) {
	along := 0.0
	for i, v := range column {
		if q != nil {
			along += v * q[i]
		} else {
			along += v * constant
		}
	}
	for i := range column {
		if q != nil {
			column[i] -= along * q[i]
		} else {
			column[i] -= along * constant
		}
	}
}

// leastColumn is the square of the length below which a column follows from those that are chosen, for each point.
const leastColumn = 1e-10

// explainsMost is the column along which most of what is left lies, scaled to unit length; -1 where there is none.
func explainsMost(columns [][]float64, rest []float64) int {
	most, at := 0.0, -1
	for k, column := range columns {
		if column == nil {
			continue
		}
		square := dot(column, column)
		if square < leastColumn*float64(len(rest)) {
			columns[k] = nil
			continue
		}
		along := dot(column, rest)
		if explained := along * along / square; explained > most {
			most, at = explained, k
		}
	}
	if at >= 0 {
		length := math.Sqrt(dot(columns[at], columns[at]))
		for i := range columns[at] {
			columns[at][i] /= length
		}
	}
	return at
}

// press is the sum of the squares of what leave-one-out cross-validation leaves; +Inf where a point decides alone.
func press(rest, leverage []float64) float64 {
	sum := 0.0
	for i, e := range rest {
		left := 1 - leverage[i]
		if left < 1e-8 {
			return math.Inf(1)
		}
		sum += e * e / left / left
	}
	return sum
}

func leastSquares(x core.Matrix, y []float64, terms []Term) (*Polynomial, error) {
	n := len(y)
	design := mat.NewDense(n, len(terms)+1, nil)
	for i := range n {
		design.Set(i, 0, 1)
		for k, term := range terms {
			design.Set(i, k+1, term.value(x.Row(i)))
		}
	}
	var qr mat.QR
	qr.Factorize(design)
	var coefficients mat.VecDense
	if err := qr.SolveVecTo(&coefficients, false, mat.NewVecDense(n, y)); err != nil {
		return nil, errNoFit
	}
	return &Polynomial{Terms: terms, Coefficients: coefficients.RawVector().Data}, nil
}
