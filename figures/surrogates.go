package main

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// A slow problem is one of which few evaluations are to be had.
type slow struct {
	name   string
	to     float64 // what the objective is to reach
	within int     // evaluations, the median of the seeds
	budget int     // 0: half as many more
}

var slowProblems = []slow{
	{name: "branin", to: 0.4, within: 30},
	{name: "hartmann6", to: -3.30, within: 60, budget: 150},
	{name: "g06", to: -6961.81387558015 * 0.99, within: 60},
	{name: "g08", to: -0.0958250414180359 * 0.99, within: 60},
	{name: "g24", to: -5.50801327159536 * 0.99, within: 60},
	{name: "g04", to: -30665.53867178333 * 0.999, within: 60},
	{name: "g09", to: 680.630057374402 * 1.05, within: 200},
	{name: "pressure_vessel", to: 6200, within: 120},
	{name: "spring", to: 0.0126652 * 1.02, within: 100},
}

// A tenth of the space in which the solver fails, by problem.
var failing = map[string]func(core.Design) bool{
	"branin":    func(x core.Design) bool { return x[0] > 4 && x[0] < 7 && x[1] > 5 && x[1] < 12.5 },
	"hartmann6": func(x core.Design) bool { return x[2] > 0.9 },
}

// surrogates counts what the surrogate method needs to come near to what is known to be best.
func surrogates(ctx context.Context, _, _ string) ([]figure, error) {
	var figures []figure
	for _, s := range slowProblems {
		if only := os.Getenv("ONLY"); only != "" && only != s.name {
			continue
		}
		costs, err := s.costs(ctx, nil)
		if err != nil {
			return nil, err
		}
		middle := costs[len(costs)/2]
		figures = append(figures, figure{name: "surrogate on " + s.name, asked: fmt.Sprintf("%g in %d", s.to, s.within), measured: inWords(costs), reached: middle <= s.within})
		fails := failing[s.name]
		if fails == nil {
			continue
		}
		hampered, err := s.costs(ctx, fails)
		if err != nil {
			return nil, err
		}
		ratio := float64(hampered[len(costs)/2]) / float64(middle)
		figures = append(figures, figure{name: "and with failures in a tenth of the space", asked: "1.3 times at most", measured: fmt.Sprintf("%.2f times: %s", ratio, inWords(hampered)), reached: ratio <= 1.3})
	}
	if only := os.Getenv("ONLY"); only != "" && only != "own" {
		return figures, nil
	}
	took, err := nextDesign(ctx)
	if err != nil {
		return nil, err
	}
	resident, err := resident()
	if err != nil {
		return nil, err
	}
	figures = append(figures, figure{name: "memory after all that, at most", asked: "under 300 MB", measured: fmt.Sprintf("%d MB", resident), reached: resident < 300})
	return append(figures, figure{name: "the next design of 10 inputs and 5 constraints from 200 evaluations", asked: "under 300ms", measured: took.Round(time.Millisecond).String(), reached: took < 300*time.Millisecond}), nil
}

// resident is how many MB of memory this process has had at most.
func resident() (int, error) {
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		return 0, err
	}
	_, behind, _ := strings.Cut(string(status), "VmHWM:")
	kB, err := strconv.Atoi(strings.Fields(behind + " ?")[0])
	return kB / 1024, err
}

// costs are the evaluations to success of every seed, the least first; MaxInt where there was none.
func (s slow) costs(ctx context.Context, fails func(core.Design) bool) ([]int, error) {
	var costs []int
	for seed := range uint64(seedsAsked()) {
		k := target{name: s.name, best: s.to, relative: math.SmallestNonzeroFloat64, budget: cmp.Or(s.budget, s.within*3/2)}
		at, _, err := k.run(ctx, seed+1, way{method: optimize.Surrogate, fails: fails})
		if err != nil {
			return nil, err
		}
		costs = append(costs, cmp.Or(at, math.MaxInt))
	}
	slices.Sort(costs)
	return costs, nil
}

// inWords lists costs.
func inWords(costs []int) string {
	var words []string
	for _, cost := range costs {
		if cost == math.MaxInt {
			words = append(words, "never")
			continue
		}
		words = append(words, fmt.Sprint(cost))
	}
	return strings.Join(words, " ")
}

// nextDesign is the median of how long a search thinks before it asks again, once it knows 200 evaluations.
func nextDesign(ctx context.Context) (time.Duration, error) {
	const inputs, constraints, known, asked = 10, 5, 200, 20
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}
	for range inputs {
		p.Space = append(p.Space, space.Input{Lower: -1, Upper: 1})
	}
	for c := range constraints {
		p.Constraints = append(p.Constraints, core.Constraint{Value: c + 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0.5}})
	}
	solve := func(x core.Design) core.Outcome {
		values := make([]float64, constraints+1)
		for j, u := range x {
			values[0] += u*u + 0.3*math.Cos(3*u)
			for c := range constraints {
				values[c+1] += math.Sin(float64((j+2)*(c+1))) * u * (1 + 0.3*u)
			}
		}
		return core.Outcome{Values: values}
	}
	o := optimize.Options{Seed: 1, Budget: 3*inputs + 4 + asked}
	for _, point := range plan.Draw(plan.NewRand(1), known, inputs) {
		x := p.Space.Design(point)
		o.Earlier = append(o.Earlier, optimize.Evaluated{Design: x, Outcome: solve(x)})
	}
	var waited []time.Duration
	last := time.Time{}
	_, err := optimize.Surrogate(ctx, p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		if !last.IsZero() {
			waited = append(waited, time.Since(last))
		}
		outcome := solve(x)
		last = time.Now()
		return outcome
	}), o, nil)
	waited = waited[len(waited)-asked/2:]
	slices.Sort(waited)
	return waited[len(waited)/2], err
}
