package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"slices"

	"ropebench/core/optimize"
)

// A slow problem is one of which few evaluations are to be had.
type slow struct {
	name   string
	to     float64 // what the objective is to reach
	within int     // evaluations, the median of the seeds
}

var slowProblems = []slow{
	{name: "branin", to: 0.4, within: 30},
	{name: "hartmann6", to: -3.30, within: 60},
	{name: "g06", to: -6961.81387558015 * 0.99, within: 60},
	{name: "g08", to: -0.0958250414180359 * 0.99, within: 60},
	{name: "g24", to: -5.50801327159536 * 0.99, within: 60},
	{name: "g04", to: -30665.53867178333 * 0.999, within: 60},
	{name: "g09", to: 680.630057374402 * 1.05, within: 200},
	{name: "pressure_vessel", to: 6200, within: 120},
	{name: "spring", to: 0.0126652 * 1.02, within: 100},
}

// surrogates counts what the surrogate method needs to come near to what is known to be best.
func surrogates(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, s := range slowProblems {
		if only := os.Getenv("ONLY"); only != "" && only != s.name {
			continue
		}
		var costs []int
		seeds := seedsAsked()
		for seed := range uint64(seeds) {
			k := target{name: s.name, best: s.to, relative: math.SmallestNonzeroFloat64, budget: s.within * 3 / 2}
			at, _, err := k.run(ctx, seed+1, way{method: optimize.Surrogate})
			if err != nil {
				return nil, err
			}
			if at == 0 {
				at = math.MaxInt
			}
			costs = append(costs, at)
		}
		slices.Sort(costs)
		f := figure{name: "surrogate on " + s.name, asked: fmt.Sprintf("%g in %d", s.to, s.within), measured: fmt.Sprint(costs), reached: costs[seeds/2] <= s.within}
		figures = append(figures, f)
	}
	return figures, nil
}
