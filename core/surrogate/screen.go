package surrogate

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
)

// reduce takes the coordinates of some inputs, and numbers those inputs anew.
func (e Encoding) reduce(x core.Matrix, active []int) (part core.Matrix, inputs, columns []int) {
	for f, k := range e.Inputs {
		if at := slices.Index(active, k); at >= 0 {
			columns = append(columns, f)
			inputs = append(inputs, at)
		}
	}
	part = core.NewMatrix(x.Rows, len(columns))
	for i := range x.Rows {
		copy(part.Row(i), pick(x.Row(i), columns))
	}
	return part, inputs, columns
}

// pick takes some of the coordinates of a point.
func pick(x []float64, columns []int) []float64 {
	part := make([]float64, len(columns))
	for to, from := range columns {
		part[to] = x[from]
	}
	return part
}

// longEnough is the length, in ranges, from which on an input may not help.
const longEnough = 2

// screen finds the inputs that help: those of a Gaussian process whose length is long are left out one by one, as long as the likelihood
// does not lose more than the parameter is worth (G. Schwarz, Ann. Statist. 6 (1978)).
func (e Encoding) screen(ctx context.Context, o Options, x core.Matrix, y []float64) ([]int, error) {
	m := gaussianMethod{kernel: Matern52, noisy: true}
	active := make([]int, len(e.space))
	for k := range active {
		active[k] = k
	}
	if n := x.Rows; n > mostRefitted {
		x, y = x.Slice(0, mostRefitted), y[:mostRefitted]
	}
	part, inputs, _ := e.reduce(x, active)
	g, err := m.fit(ctx, plan.NewRand(o.Seed), part, inputs, len(active), y)
	if err != nil {
		return active, ctx.Err()
	}
	worth := math.Log(float64(len(y))) / 2
	for tried := map[int]bool{}; len(active) > 1; {
		longest := -1
		for at, k := range active {
			if !tried[k] && g.Lengths[at] > longEnough && (longest < 0 || g.Lengths[at] > g.Lengths[longest]) {
				longest = at
			}
		}
		if longest < 0 {
			break
		}
		tried[active[longest]] = true
		fewer := slices.Delete(slices.Clone(active), longest, longest+1)
		part, inputs, _ := e.reduce(x, fewer)
		from := *g
		from.inputs, from.Lengths = inputs, slices.Delete(slices.Clone(g.Lengths), longest, longest+1)
		from.parameters = slices.Delete(slices.Clone(g.parameters), longest, longest+1)
		shorter, err := m.again(&from, refitted, part, y)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err == nil && shorter.unlikely() <= g.unlikely()+worth {
			active, g = fewer, shorter
		}
	}
	return active, nil
}

// unlikely is the negative logarithm of the likelihood, up to a constant.
func (g *Gaussian) unlikely() float64 {
	return (float64(len(g.gamma))*math.Log(g.variance) + g.logDet) / 2
}
