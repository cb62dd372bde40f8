package main

import (
	"context"
	"fmt"
	"slices"
	"time"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/plan"
)

// g09 is the model of problems/g09.bench.yaml in Go, with its powers as multiplications.
func g09(x, out []float64) {
	_, _ = x[6], out[4]
	x1, x2, x3, x4, x5, x6, x7 := x[0], x[1], x[2], x[3], x[4], x[5], x[6]
	out[0] = (x1-10)*(x1-10) + 5*(x2-12)*(x2-12) + x3*x3*x3*x3 + 3*(x4-11)*(x4-11) + 10*x5*x5*x5*x5*x5*x5 + 7*x6*x6 + x7*x7*x7*x7 - 4*x6*x7 - 10*x6 - 8*x7
	out[1] = -127 + 2*x1*x1 + 3*x2*x2*x2*x2 + x3 + 4*x4*x4 + 5*x5
	out[2] = -282 + 7*x1 + 3*x2 + 10*x3*x3 + x4 - x5
	out[3] = -196 + 23*x1 + x2*x2 + 6*x6*x6 - 8*x7
	out[4] = 4*x1*x1 + x2*x2 - 3*x1*x2 + 2*x3*x3 + 5*x6 - 11*x7
}

const (
	rounds = 15
)

// compiledFormulas compares the formulas of g09 with the same function written in Go.
func compiledFormulas(context.Context, string, string) ([]figure, error) {
	b, _, err := problem("g09")
	if err != nil {
		return nil, err
	}
	var definitions []formula.Definition
	for _, f := range b.Solver.Formulas {
		definitions = append(definitions, formula.Definition{Name: f.Name, Expression: f.Formula})
	}
	program, err := formula.Compile(b.Variables(), definitions)
	if err != nil {
		return nil, err
	}
	value, derivatives := program.NewMachine(), program.Derivatives([]int{0, 1, 2, 3, 4, 5, 6}).NewMachine()
	points := plan.Draw(plan.NewRand(1), batchSize, 7)
	in, out := core.MatrixOf(points), core.NewMatrix(batchSize, 5*8)
	at := 0
	next := func() core.Matrix { return in.Slice(at%batchSize, at%batchSize+1) }
	into := func() core.Matrix { return out.Slice(at%batchSize, at%batchSize+1) }
	took := paces(1000,
		func() { at++; g09(next().Row(0), into().Row(0)) },
		func() { at++; value.Eval(next(), into()) },
		func() { at++; derivatives.Eval(next(), into()) },
		func() { at += batchSize; value.Eval(in, out) },
		func() { at += batchSize; derivatives.Eval(in, out) })
	native, one, oneDerivatives, batch, batchDerivatives := took[0], took[1], took[2], took[3]/batchSize, took[4]/batchSize
	share := func(name string, least, took float64) figure {
		got := native / took
		return figure{name: name, asked: fmt.Sprintf("at least %.0f %% of native", 100*least), measured: fmt.Sprintf("%.0f %% (%.0f ns, native %.0f ns)", 100*got, took, native), reached: got >= least}
	}
	ratio := func(name string, took, value float64) figure {
		return figure{name: name, asked: "at most 4 times the value", measured: fmt.Sprintf("%.1f times", took/value), reached: took/value <= 4}
	}
	return []figure{
		share("g09 by formulas, one at a time", 0.12, one), share("g09 by formulas, batches of 64", 0.5, batch),
		ratio("g09 with the derivatives of its 5 outputs, one at a time", oneDerivatives, one), ratio("g09 with the derivatives of its 5 outputs, batches of 64", batchDerivatives, batch),
	}, nil
}

// paces are the times of one call of each in nanoseconds, the medians of several rounds in which all have their turn: the
// speed of a machine drifts. The clock is read after so many calls together.
func paces(together int, calls ...func()) []float64 {
	times := make([][]float64, len(calls))
	for range rounds {
		for k, call := range calls {
			done, began := 0, time.Now()
			for time.Since(began) < 20*time.Millisecond {
				for range together {
					call()
				}
				done += together
			}
			times[k] = append(times[k], float64(time.Since(began).Nanoseconds())/float64(done))
		}
	}
	medians := make([]float64, len(calls))
	for k := range medians {
		slices.Sort(times[k])
		medians[k] = times[k][rounds/2]
	}
	return medians
}
