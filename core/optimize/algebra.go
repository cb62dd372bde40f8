package optimize

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// convex replaces negative curvature by as much positive one.
func convex(h [][]float64) [][]float64 {
	n := len(h)
	symmetric := mat.NewSymDense(n, nil)
	for a := range n {
		for b := range a + 1 {
			symmetric.SetSym(a, b, h[a][b])
		}
	}
	var eigen mat.EigenSym
	if !eigen.Factorize(symmetric, true) {
		return identity(n)
	}
	values := eigen.Values(nil)
	if values[0] >= 0 {
		return h
	}
	var vectors mat.Dense
	eigen.VectorsTo(&vectors)
	for a := range n {
		for b := range n {
			h[a][b] = 0
			for i, value := range values {
				h[a][b] += vectors.At(a, i) * math.Abs(value) * vectors.At(b, i)
			}
		}
	}
	return h
}

func square(n int) [][]float64 {
	m := make([][]float64, n)
	for i := range m {
		m[i] = make([]float64, n)
	}
	return m
}

func identity(n int) [][]float64 {
	m := square(n)
	for i := range m {
		m[i][i] = 1
	}
	return m
}

func times(m [][]float64, v []float64) []float64 {
	product := make([]float64, len(m))
	for i, row := range m {
		product[i] = dot(row, v)
	}
	return product
}

func add(to, v []float64) {
	for i, x := range v {
		to[i] += x
	}
}

func scaled(v []float64, by float64) []float64 { return plus(v, v, by-1) }

func minus(a, b []float64) []float64 { return plus(a, b, -1) }

// plus is a + share*b.
func plus(a, b []float64, share float64) []float64 {
	sum := make([]float64, len(a))
	for i := range a {
		sum[i] = a[i] + share*b[i]
	}
	return sum
}

// largest is the largest absolute value.
func largest(v []float64) float64 {
	most := 0.0
	for _, x := range v {
		most = math.Max(most, math.Abs(x))
	}
	return most
}
