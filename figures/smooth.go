package main

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"time"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/published"
)

// smooth counts how many published smooth examples auto solves from their start in 400 evaluations, and what the first success costs.
func smooth(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, mode := range []struct {
		name         string
		exact, ahead bool
		most         int
	}{
		{name: "derivatives, constraints on inputs alone", exact: true, ahead: true, most: 21},
		{name: "derivatives, constraints by the solver", exact: true, most: 21},
		{name: "no derivatives, constraints on inputs alone", ahead: true, most: 60},
		{name: "no derivatives, constraints by the solver", most: 60},
	} {
		var costs, wholes []int
		solved := 0
		for _, s := range published.SmoothExamples {
			m, err := s.Model()
			if err != nil {
				return nil, err
			}
			var e core.Evaluator = m
			if mode.exact {
				e = published.Differentiated{Model: m}
			}
			p := optimize.Problem{Space: s.Space(), Goal: s.Goal()}
			if mode.ahead {
				p.Ahead, m.Screens = published.Ahead{Model: m}, true
			}
			if _, err := optimize.Auto(ctx, p, e, optimize.Options{Seed: 1, Budget: 400, Start: s.Start}, nil); err != nil {
				return nil, err
			}
			cost := m.ToSuccess(1e-5)
			if cost > 0 {
				solved++
			} else {
				cost = math.MaxInt
			}
			costs, wholes = append(costs, cost), append(wholes, m.Asked+m.Derived)
		}
		slices.Sort(costs)
		slices.Sort(wholes)
		n := len(costs)
		figures = append(figures, figure{name: fmt.Sprintf("auto on %d published smooth examples, %s", n, mode.name), asked: fmt.Sprintf("all but 1 in 64, median at most %d", mode.most),
			measured: fmt.Sprintf("%d, quarters of the cost %d, %d, %d; %d in all", solved, costs[n/4], costs[n/2], costs[3*n/4], wholes[n/2]), reached: 64*solved >= 63*n && costs[n/2] <= mode.most})
	}
	return figures, nil
}

// targets times a study with ten weighted targets on a formula model from the command line, with the start of a service.
func targets(_ context.Context, programs, folder string) ([]figure, error) {
	text := "bench: 1\ninputs: {a: {nominal: 1, range: [0, 5]}, b: {nominal: 1, range: [0, 5]}, c: {nominal: 1, range: [0, 5]}}\nsolver:\n  formulas:\n"
	approach := ""
	for i := range 10 {
		text += fmt.Sprintf("    f%d: a*exp(-b*%g) + c*sin(%g*a)\n", i, float64(i)/3, float64(i)/4)
		approach += fmt.Sprintf("{of: f%d, to: %g, weight: %d}, ", i, 2-float64(i)/9, 1+i%3)
	}
	text += "studies:\n  near: {kind: optimize, approach: [" + approach[:len(approach)-2] + "]}\n"
	file := filepath.Join(folder, "targets.bench.yaml")
	if err := errors.Join(os.MkdirAll(folder, 0o755), os.WriteFile(file, []byte(text), 0o644)); err != nil {
		return nil, err
	}
	var took []float64
	for range rounds {
		one, err := timed(folder, filepath.Join(programs, "ropebench"), "run", file, "near", "--fresh", "--data", filepath.Join(folder, "data"))
		if err != nil {
			return nil, err
		}
		took = append(took, one.Seconds())
	}
	const most = 0.5
	return []figure{{name: "ten weighted targets on a formula model, from the command line with the start of a service", asked: fmt.Sprintf("under %g s", most),
		measured: fmt.Sprintf("%.2f s (median of %d)", median(took), rounds), reached: median(took) < most}}, nil
}

// ownCost measures what methods cost themselves.
func ownCost(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{}}}}
	p.Space = published.Cube(10)
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		sum := 0.0
		for i := range len(x) - 1 {
			sum += 100*(x[i+1]-x[i]*x[i])*(x[i+1]-x[i]*x[i]) + (1-x[i])*(1-x[i])
		}
		return core.Outcome{Values: []float64{sum}}
	})
	const asked = 100_000
	for _, name := range []string{"differential-evolution", "cma-es"} {
		began := time.Now()
		r, err := optimize.Methods[name](ctx, p, e, optimize.Options{Seed: 1, Budget: asked}, nil)
		if err != nil {
			return nil, err
		}
		each := float64(time.Since(began).Microseconds()) / float64(r.Used)
		figures = append(figures, figure{name: name + " itself, 10 inputs, an evaluation", asked: "under 10 us", measured: fmt.Sprintf("%.1f us", each), reached: each < 10})
	}
	return figures, nil
}
