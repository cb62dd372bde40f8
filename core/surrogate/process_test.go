package surrogate

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
	"ropebench/core/plan"
)

func constantTrend(n int) core.Matrix {
	trend := core.NewMatrix(n, 1)
	for i := range trend.Data {
		trend.Data[i] = 1
	}
	return trend
}

func TestLikelihoodHasItsGradient(t *testing.T) {
	t.Parallel()
	r := plan.NewRand(1)
	x := core.MatrixOf(plan.Draw(r, 30, 4))
	y := make([]float64, 30)
	for i := range y {
		row := x.Row(i)
		y[i] = math.Sin(4*row[0]) + row[1]*row[2] + 0.01*r.NormFloat64()
	}
	for _, kernel := range []Kernel{Matern52, SquaredExponential} {
		p := newProcess(kernel, true, x, []int{0, 1, 1, 2}, 3, y, constantTrend(30))
		at := []float64{-0.5, 0.2, 0.7, math.Log(0.01)}
		gradient, none := make([]float64, 4), make([]float64, 4)
		p.likelihood(at, gradient)
		for k := range at {
			const h = 1e-5
			up, down := append([]float64(nil), at...), append([]float64(nil), at...)
			up[k] += h
			down[k] -= h
			assert.InDelta(t, (p.likelihood(up, none)-p.likelihood(down, none))/(2*h), gradient[k], 1e-5*(1+math.Abs(gradient[k])), "%s %d", kernel, k)
		}
	}
}
