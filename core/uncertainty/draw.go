package uncertainty

import (
	"math/rand/v2"

	"ropebench/core"
)

// Draw gives n draws of independent inputs, a row for each: at random, or as a Latin hypercube, in which every input has one draw in each of n
// parts of equal probability (M. D. McKay, R. J. Beckman and W. J. Conover, Technometrics 21 (1979)).
func Draw(r *rand.Rand, inputs []Distribution, n int, latin bool) core.Matrix {
	draws := core.NewMatrix(n, len(inputs))
	for k, d := range inputs {
		var parts []int
		if latin {
			parts = r.Perm(n)
		}
		for i := range n {
			p := open(r)
			if latin {
				p = (float64(parts[i]) + p) / float64(n)
			}
			draws.Row(i)[k] = d.Quantile(p)
		}
	}
	return draws
}

// open is a random number between 0 and 1, and neither: a quantile there may be infinite.
func open(r *rand.Rand) float64 {
	for {
		if p := r.Float64(); p > 0 {
			return p
		}
	}
}
