package optimize_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// A duo is a solver with a coarse variant that takes a part of its time.
type duo struct {
	fine, coarse   core.EvaluatorFunc
	share          float64
	fines, coarses int
	reached        int // fine evaluations until a value was reached
	value          float64
}

func (d *duo) search(t *testing.T, p optimize.Problem, o optimize.Options) optimize.Result {
	t.Helper()
	if d.coarse != nil {
		o.Coarse = core.EvaluatorFunc(func(x core.Design) core.Outcome {
			d.coarses++
			outcome := d.coarse(x)
			outcome.Seconds = 60 * d.share
			return outcome
		})
	}
	r, err := optimize.Surrogate(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		d.fines++
		outcome := d.fine(x)
		outcome.Seconds = 60
		if d.reached == 0 && outcome.State == core.OK && p.Feasible(outcome.Values) && outcome.Values[0] <= d.value {
			d.reached = d.fines
		}
		return outcome
	}), o, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, float64(r.Used)+float64(d.coarses)*d.share, float64(o.Budget)+1, "the budget is in evaluations of the solver")
	return r
}

// currin is that of C. Currin, T. Mitchell, M. Morris and D. Ylvisaker, Journal of the American Statistical Association 86 (1991), to be made
// most at 13.80, and coarsely the mean of four values about it: S. Xiong, P. Z. G. Qian and C. F. J. Wu, Technometrics 55 (2013).
func currin(x, y float64) float64 {
	first := 1.0
	if y > 0 {
		first = 1 - math.Exp(-1/(2*y))
	}
	return first * (2300*x*x*x + 1900*x*x + 2092*x + 60) / (100*x*x*x + 500*x*x + 4*x + 20)
}

func coarseCurrin(x core.Design) core.Outcome {
	low := math.Max(0, x[1]-0.05)
	mean := (currin(x[0]+0.05, x[1]+0.05) + currin(x[0]+0.05, low) + currin(x[0]-0.05, x[1]+0.05) + currin(x[0]-0.05, low)) / 4
	return core.Outcome{Values: []float64{-mean}}
}

var square = space.Space{{Name: "a", Lower: 0, Upper: 1}, {Name: "b", Lower: 0, Upper: 1}}

var currinProblem = optimize.Problem{Space: square, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}

// toReach is how many evaluations the solver needs, of three seeds the median, to come near to the most.
func (d duo) toReach(t *testing.T) int {
	var all []int
	for seed := range uint64(3) {
		one := d
		one.search(t, currinProblem, optimize.Options{Seed: seed + 1, Budget: 40})
		require.Positive(t, one.reached)
		all = append(all, one.reached)
	}
	slices.Sort(all)
	return all[1]
}

func TestACoarseVariantSavesEvaluations(t *testing.T) {
	t.Parallel()
	alone := duo{fine: fineCurrin, value: -13.79}.toReach(t)
	both := duo{fine: fineCurrin, coarse: coarseCurrin, share: 1.0 / 32, value: -13.79}.toReach(t)
	assert.Less(t, 1.5*float64(both), float64(alone))
}

// What is asked of the coarse variant hangs on what it costs, in steps, and not on the moods of a clock.
func TestCoarseEvaluationsAreCountedByTheirTime(t *testing.T) {
	t.Parallel()
	search := func(share float64) (*duo, optimize.Result) {
		d := &duo{fine: fineCurrin, coarse: coarseCurrin, share: share, value: -13.79}
		return d, d.search(t, currinProblem, optimize.Options{Seed: 1, Budget: 20})
	}
	cheap, r := search(1.0 / 64)
	assert.Equal(t, 1.0/64, r.Coarse.Share)
	assert.Equal(t, cheap.coarses, r.Coarse.Asked)
	assert.InDelta(t, 1, r.Coarse.Correlations[0], 0.05)
	assert.Empty(t, r.Coarse.Dropped)
	nearly, _ := search(1.1 / 64)
	assert.Equal(t, [2]int{cheap.fines, cheap.coarses}, [2]int{nearly.fines, nearly.coarses})
	dearer, _ := search(1.0 / 8)
	assert.Less(t, dearer.coarses, cheap.coarses)
	dear, r := search(0.9)
	assert.Equal(t, 3, dear.coarses)
	assert.Equal(t, "an evaluation by it takes about the time of one by the solver, which is too much for a budget of 20", r.Coarse.Dropped)
	assert.Equal(t, 17, r.Used, "these count as well")
}

func TestACoarseVariantThatMisleadsIsDropped(t *testing.T) {
	t.Parallel()
	d := &duo{fine: fineCurrin, share: 1.0 / 64, value: -13.79, coarse: func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{math.Sin(40*x[0]) * math.Cos(33*x[1])}}
	}}
	r := d.search(t, currinProblem, optimize.Options{Seed: 2, Budget: 40})
	assert.Contains(t, r.Coarse.Dropped, "none of its values goes with those of the solver (the largest correlation is 0.")
	assert.Positive(t, d.reached, "the search goes on without it")
	assert.Less(t, d.coarses, 60)
}

// The coarse variant fails where the solver does not, and says nothing of a limit that it has wrong.
func TestACoarseVariantOfLimits(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Space: square, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}, Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 1}}}}}
	with := func(dx float64) core.EvaluatorFunc {
		return func(x core.Design) core.Outcome {
			if dx > 0 && x[0] > 0.9 {
				return core.Outcome{State: core.Failed}
			}
			return core.Outcome{Values: []float64{-currin(x[0], x[1]), x[0]*(6+dx) + x[1] - dx}}
		}
	}
	d := &duo{fine: with(0), coarse: with(0.2), share: 1.0 / 32}
	r := d.search(t, p, optimize.Options{Seed: 1, Budget: 40})
	assert.True(t, p.Feasible(r.Best.Outcome.Values))
	assert.InDelta(t, 1, r.Best.Outcome.Values[1], 0.05, "the limit of the solver, not of its coarse variant, holds it")
	assert.Len(t, r.Coarse.Correlations, 2)
}

func fineCurrin(x core.Design) core.Outcome {
	return core.Outcome{Values: []float64{-currin(x[0], x[1])}}
}
