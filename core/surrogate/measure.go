package surrogate

import (
	"context"

	"ropebench/core"
	"ropebench/core/plan"
)

// Likelihood returns a function that computes one likelihood with its gradient, of a Gaussian process over points in the unit cube: what
// a fit does most.
func Likelihood(x core.Matrix, y []float64) func() float64 {
	z, _, _ := standardized(y)
	p := newProcess(Matern52, true, x, ownInputs(x), x.Columns, z, trendOf(x, false))
	at, gradient := make([]float64, p.parameters()), make([]float64, p.parameters())
	return func() float64 { return p.likelihood(at, gradient) }
}

// FitOne fits one Gaussian process over points in the unit cube, from all its starts.
func FitOne(ctx context.Context, x core.Matrix, y []float64) error {
	_, err := gaussianMethod{kernel: Matern52, noisy: true}.fit(ctx, plan.NewRand(1), x, ownInputs(x), x.Columns, y)
	return err
}

// ownInputs says that each column is an input of its own.
func ownInputs(x core.Matrix) []int {
	inputs := make([]int, x.Columns)
	for k := range inputs {
		inputs[k] = k
	}
	return inputs
}
