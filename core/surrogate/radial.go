package surrogate

import (
	"math"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
)

// A Radial is an interpolation by radial basis functions with a linear tail.
type Radial struct {
	Basis   Basis
	shape   float64
	x       core.Matrix
	weights []float64 // of the points
	tail    []float64 // of 1 and of the coordinates
	form    radialForm
}

// A Basis is a function of the distance from a point.
type Basis uint8

// The bases (M. D. Buhmann, Radial Basis Functions, 2003).
const (
	Cubic Basis = iota
	Multiquadric
)

func (b Basis) String() string { return [...]string{"cubic", "multiquadric"}[b] }

func (b Basis) at(square, shape float64) float64 {
	if b == Cubic {
		return square * math.Sqrt(square)
	}
	return -math.Sqrt(square + shape*shape)
}

// A radialForm is a basis with its shape: in typical distances of neighbours.
type radialForm struct {
	basis Basis
	shape float64
}

var radialForms = []radialForm{{Cubic, 0}, {Multiquadric, 0.5}, {Multiquadric, 2}}

// fitRadial takes the form with the least leave-one-out error (its closed form: S. Rippa, Adv. Comput. Math. 11 (1999)).
func fitRadial(x core.Matrix, y []float64) (*Radial, error) {
	var best *Radial
	least := math.Inf(1)
	for _, form := range radialForms {
		system := form.system(x)
		var inverse mat.Dense
		if err := inverse.Inverse(system); err != nil {
			continue
		}
		r, err := form.fit(x, y)
		if err != nil {
			continue
		}
		sum := 0.0
		for i, weight := range r.weights {
			e := weight / inverse.At(i, i)
			sum += e * e
		}
		if sum < least {
			best, least = r, sum
		}
	}
	if best == nil {
		return nil, errNoFit
	}
	return best, nil
}

// fit solves for the weights of one form.
func (f radialForm) fit(x core.Matrix, y []float64) (*Radial, error) {
	n, q := x.Rows, x.Columns+1
	if n < q+1 {
		return nil, errNoFit
	}
	var solution mat.VecDense
	right := append(append([]float64(nil), y...), make([]float64, q)...)
	if err := solution.SolveVec(f.system(x), mat.NewVecDense(n+q, right)); err != nil {
		return nil, errNoFit
	}
	all := solution.RawVector().Data
	return &Radial{Basis: f.basis, form: f, shape: f.width(x), x: x, weights: all[:n], tail: all[n:]}, nil
}

// width is the shape in units of coordinates.
func (f radialForm) width(x core.Matrix) float64 {
	return f.shape * math.Pow(float64(x.Rows), -1/float64(x.Columns))
}

// system has the basis about every point, and the linear tail: n rows for the points, and one for each term of the tail, in which
// the weights have no part of it.
func (f radialForm) system(x core.Matrix) *mat.Dense {
	n, shape := x.Rows, f.width(x)
	system := mat.NewDense(n+x.Columns+1, n+x.Columns+1, nil)
	for i := range n {
		a := x.Row(i)
		for j := range i + 1 {
			v := f.basis.at(squareOf(a, x.Row(j)), shape)
			system.Set(i, j, v)
			system.Set(j, i, v)
		}
		system.Set(i, n, 1)
		system.Set(n, i, 1)
		for k, u := range a {
			system.Set(i, n+1+k, u)
			system.Set(n+1+k, i, u)
		}
	}
	return system
}

func squareOf(a, b []float64) float64 {
	sum := 0.0
	for k, u := range a {
		sum += (u - b[k]) * (u - b[k])
	}
	return sum
}

// Mean predicts the value at coordinates.
func (r *Radial) Mean(x []float64) float64 {
	sum := r.tail[0] + dot(r.tail[1:], x)
	for i, weight := range r.weights {
		sum += weight * r.Basis.at(squareOf(x, r.x.Row(i)), r.shape)
	}
	return sum
}
