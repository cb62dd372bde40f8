package optimize_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/pareto"
	"ropebench/core/space"
)

// archive runs NSGA-II and gives the objectives of all feasible designs that were asked.
func archive(t *testing.T, p optimize.Problem, budget int, of func(core.Design) core.Outcome) [][]float64 {
	var all [][]float64
	asked := 0
	_, err := optimize.NSGA2(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked++
		outcome := of(x)
		if outcome.State == core.OK && p.Feasible(outcome.Values) {
			var objectives []float64
			for _, o := range p.Objectives {
				objectives = append(objectives, o.Least(outcome.Values))
			}
			all = append(all, objectives)
		}
		return outcome
	}), optimize.Options{Seed: 1, Budget: budget}, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, asked, budget)
	return all
}

// ZDT1 is that of E. Zitzler, K. Deb and L. Thiele, Evolutionary Computation 8 (2000), with 30 inputs; its front is f2 = 1 - sqrt(f1).
func TestNSGA2FindsTheFront(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1, Maximize: true}}}}
	for j := range 30 {
		p.Space = append(p.Space, space.Input{Name: fmt.Sprint("x", j), Upper: 1})
	}
	all := archive(t, p, 10_000, func(x core.Design) core.Outcome {
		g := 1.0
		for _, v := range x[1:] {
			g += 9 * v / 29
		}
		return core.Outcome{Values: []float64{x[0], -g * (1 - math.Sqrt(x[0]/g))}}
	})
	// the true front covers 1.1 * 1.1 less the integral of 1 - sqrt(f) from 0 to 1, less the corner
	truth := 1.1*1.1 - 1.0/3
	assert.Greater(t, pareto.Hypervolume(all, []float64{1.1, 1.1}), 0.99*truth)
}

// A beam of a length between posts: the stiffer, the heavier, with a limit that only the solver decides, steps and a word; some designs fail.
func TestNSGA2KeepsLimitsOfMixedInputs(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{
		Space: space.Space{{Name: "height", Lower: 1, Upper: 10}, {Name: "plies", Lower: 1, Upper: 9, Step: 1}, {Name: "wood", Values: []float64{0, 1, 2}, Unordered: true}},
		Goal:  core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1}}, Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0.05}}}},
	}
	weight, stiffness := []float64{1, 0.8, 1.4}, []float64{1, 0.5, 1.6}
	of := func(x core.Design) core.Outcome {
		if x[0] > 9 && x[1] > 8 {
			return core.Outcome{State: core.Failed}
		}
		wood := int(x[2])
		return core.Outcome{Values: []float64{x[0] * x[1] * weight[wood], 1 / (stiffness[wood] * x[1] * x[0] * x[0])}}
	}
	all := archive(t, p, 1500, of)
	require.NotEmpty(t, all)
	var truth [][]float64
	for h := 1.0; h <= 10; h += 0.05 {
		for plies := 1.0; plies <= 9; plies++ {
			for wood := range 3 {
				if o := of(core.Design{h, plies, float64(wood)}); o.State == core.OK && p.Feasible(o.Values) {
					truth = append(truth, o.Values)
				}
			}
		}
	}
	reference := []float64{90, 0.05}
	assert.Greater(t, pareto.Hypervolume(all, reference), 0.99*pareto.Hypervolume(truth, reference))
}
