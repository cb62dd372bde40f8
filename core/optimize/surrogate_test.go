package optimize_test

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/pareto"
	"ropebench/core/space"
)

// branin is that of L. C. W. Dixon and G. P. Szego (1978): three places that are as good, at 0.397887.
func branin(x core.Design) core.Outcome {
	a := x[1] - 5.1/(4*math.Pi*math.Pi)*x[0]*x[0] + 5/math.Pi*x[0] - 6
	return core.Outcome{Values: []float64{a*a + 10*(1-1/(8*math.Pi))*math.Cos(x[0]) + 10}}
}

var braninProblem = optimize.Problem{Space: space.Space{{Name: "a", Lower: -5, Upper: 10}, {Name: "b", Lower: 0, Upper: 15}}, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}

// after searches by surrogates, and gives after how many evaluations a value is reached; 0: never.
func after(t *testing.T, p optimize.Problem, e core.EvaluatorFunc, seed uint64, budget int, value float64) int {
	asked, reached := 0, 0
	r, err := optimize.Surrogate(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked++
		outcome := e(x)
		if reached == 0 && outcome.State == core.OK && p.Feasible(outcome.Values) && outcome.Values[0] <= value {
			reached = asked
		}
		return outcome
	}), optimize.Options{Seed: seed, Budget: budget}, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, r.Used, budget)
	return reached
}

// median of three seeds.
func median(t *testing.T, p optimize.Problem, e core.EvaluatorFunc, budget int, value float64) int {
	var all []int
	for seed := range uint64(3) {
		reached := after(t, p, e, seed+1, budget, value)
		if reached == 0 {
			reached = math.MaxInt
		}
		all = append(all, reached)
	}
	slices.Sort(all)
	return all[1]
}

func TestSurrogatesNeedFewEvaluations(t *testing.T) {
	t.Parallel()
	assert.LessOrEqual(t, median(t, braninProblem, branin, 50, 0.4), 35)
}

// Where the solver fails in a part of the space, here on a place that is best and about it, the search goes on beside.
func TestSurrogatesKeepAwayFromFailures(t *testing.T) {
	t.Parallel()
	failed := 0
	e := func(x core.Design) core.Outcome {
		if math.Abs(x[0]+math.Pi) < 2.4 && math.Abs(x[1]-12.275) < 2.4 {
			failed++
			return core.Outcome{State: core.Failed}
		}
		return branin(x)
	}
	assert.LessOrEqual(t, median(t, braninProblem, e, 60, 0.4), 45)
	assert.Less(t, failed, 3*12, "of three runs")
}

func TestSurrogatesOfFewDigits(t *testing.T) {
	t.Parallel()
	e := func(x core.Design) core.Outcome {
		outcome := branin(x)
		outcome.Values[0], _ = strconv.ParseFloat(strconv.FormatFloat(outcome.Values[0], 'e', 2, 64), 64)
		return outcome
	}
	assert.LessOrEqual(t, median(t, braninProblem, e, 60, 0.405), 45)
}

// A closed can of at least 300 cm3 out of sheets of three thicknesses, of which the thinner one must not be deep: mixed inputs, an equation
// and a limit that only the solver decides.
func TestSurrogatesWithStepsAndEquations(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{
		Space: space.Space{{Name: "radius", Lower: 1, Upper: 8}, {Name: "height", Lower: 1, Upper: 20}, {Name: "sheet", Values: []float64{1, 2, 4}}},
		Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}, Constraints: []core.Constraint{
			{Value: 1, Limit: core.Limit{Lower: 299.9, Upper: 300.1}, Equal: true}, {Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 3}},
		}},
	}
	e := func(x core.Design) core.Outcome {
		r, h, sheet := x[0], x[1], x[2]
		return core.Outcome{Values: []float64{2 * math.Pi * r * (r + h) * sheet, math.Pi * r * r * h, h / sheet}}
	}
	// with sheets of 2 the height is 6 at most; the least surface would be at a height of twice the radius
	best := math.Inf(1)
	for _, sheet := range []float64{1, 2, 4} {
		h := math.Min(3*sheet, 2*math.Cbrt(300/(2*math.Pi)))
		r := math.Sqrt(300 / (math.Pi * h))
		best = math.Min(best, 2*math.Pi*r*(r+h)*sheet)
	}
	assert.LessOrEqual(t, median(t, p, e, 80, 1.01*best), 60)
}

func TestSurrogatesSayWhyTheyEnd(t *testing.T) {
	t.Parallel()
	for name, e := range map[string]core.EvaluatorFunc{
		"constant":       func(core.Design) core.Outcome { return core.Outcome{Values: []float64{3}} },
		"fails always":   func(core.Design) core.Outcome { return core.Outcome{State: core.Failed} },
		"a plain number": func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{x[0]}} },
	} {
		r, err := optimize.Surrogate(t.Context(), braninProblem, e, optimize.Options{Seed: 1, Budget: 40}, nil)
		require.NoError(t, err, name)
		assert.NotEmpty(t, r.Reason, name)
		assert.LessOrEqual(t, r.Used, 40, name)
	}
	small := optimize.Problem{Space: space.Space{{Name: "a", Values: []float64{1, 2, 3, 4}}}, Goal: braninProblem.Goal}
	r, err := optimize.Surrogate(t.Context(), small, core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: []float64{-x[0]}} }), optimize.Options{Seed: 1, Budget: 40}, nil)
	require.NoError(t, err)
	assert.Equal(t, core.Design{4}, r.Best.Design)
	r, err = optimize.Surrogate(t.Context(), small, core.EvaluatorFunc(func(core.Design) core.Outcome { return core.Outcome{State: core.Failed} }), optimize.Options{Seed: 1, Budget: 40}, nil)
	require.NoError(t, err)
	assert.LessOrEqual(t, r.Used, 40)
}

// sloped is branin with its derivatives.
type sloped struct{ core.EvaluatorFunc }

func (s sloped) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := s.Evaluate(ctx, designs)
	var all []core.Derivatives
	for _, x := range designs {
		c, d := 5.1/(4*math.Pi*math.Pi), 5/math.Pi
		a := x[1] - c*x[0]*x[0] + d*x[0] - 6
		rows := core.MatrixOf([][]float64{{2*a*(d-2*c*x[0]) - 10*(1-1/(8*math.Pi))*math.Sin(x[0]), 2 * a}})
		all = append(all, &rows)
	}
	return outcomes, all, err
}

func TestSurrogatesEndWithExactSlopes(t *testing.T) {
	t.Parallel()
	r, err := optimize.Surrogate(t.Context(), braninProblem, sloped{branin}, optimize.Options{Seed: 1, Budget: 120}, nil)
	require.NoError(t, err)
	assert.InDelta(t, 0.39788735772973816, r.Best.Outcome.Values[0], 1e-9, "no surface is as precise as that")
	assert.Contains(t, r.Reason, "no small change betters it")
}

func TestSurrogatesBeginAtTheStartsThatAreGiven(t *testing.T) {
	t.Parallel()
	var asked []core.Design
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked = append(asked, x)
		return branin(x)
	})
	first, second := core.Design{1.25, 7.5}, core.Design{-3, 2}
	_, err := optimize.Surrogate(t.Context(), braninProblem, e, optimize.Options{Seed: 1, Budget: 20, Start: first, Then: second}, nil)
	require.NoError(t, err)
	assert.Equal(t, first, asked[0])
	assert.InDeltaSlice(t, []float64(second), []float64(asked[1]), 1e-9)
	_, err = optimize.Surrogate(t.Context(), optimize.Problem{}, e, optimize.Options{Seed: 1, Budget: 20}, nil)
	assert.ErrorContains(t, err, "no input is varied")
}

func TestSurrogatesAreTheSameForTheSameSeed(t *testing.T) {
	t.Parallel()
	run := func(seed uint64) []core.Design {
		var asked []core.Design
		_, err := optimize.Surrogate(t.Context(), braninProblem, core.EvaluatorFunc(func(x core.Design) core.Outcome {
			asked = append(asked, x)
			return branin(x)
		}), optimize.Options{Seed: seed, Budget: 25}, nil)
		require.NoError(t, err)
		return asked
	}
	assert.Equal(t, run(5), run(5))
	assert.NotEqual(t, run(5), run(6))
}

// Without an objective any design that meets everything ends the search; with targets the sum of squares is made least.
func TestSurrogatesOfOtherGoals(t *testing.T) {
	t.Parallel()
	feasible := optimize.Problem{Space: braninProblem.Space, Goal: core.Goal{Constraints: []core.Constraint{{Value: 0, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0.6}}}}}
	r, err := optimize.Surrogate(t.Context(), feasible, core.EvaluatorFunc(branin), optimize.Options{Seed: 1, Budget: 60}, nil)
	require.NoError(t, err)
	assert.True(t, r.Best.Rank.Feasible(), r.Reason)
	assert.Less(t, r.Used, 60, "it ends there")
	targets := optimize.Problem{Space: braninProblem.Space, Goal: core.Goal{Targets: []core.Target{{Value: 0, To: 7, Weight: 1}, {Value: 1, To: 3, Weight: 4}}}}
	r, err = optimize.Surrogate(t.Context(), targets, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[0] + x[1], x[0] * x[1] / 4}}
	}), optimize.Options{Seed: 1, Budget: 60}, nil)
	require.NoError(t, err)
	assert.InDelta(t, 7, r.Best.Outcome.Values[0], 0.005)
	assert.InDelta(t, 3, r.Best.Outcome.Values[1], 0.005)
}

// A limit with a price is soft: what it costs to miss it stands against the objective.
func TestSurrogatesWeighPrices(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Space: space.Space{{Name: "a", Upper: 10}, {Name: "b", Upper: 10}}, Goal: core.Goal{
		Objectives:  []core.Objective{{Value: 0, Maximize: true}},
		Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 6}, Price: 0.25}},
	}}
	// one more of the objective costs a quarter beyond the limit, until the objective falls off
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[0] - 0.05*x[0]*x[0] - 0.1*math.Pow(x[1]-2, 2), x[0]}}
	})
	r, err := optimize.Surrogate(t.Context(), p, e, optimize.Options{Seed: 1, Budget: 60}, nil)
	require.NoError(t, err)
	assert.InDelta(t, 7.5, r.Best.Design[0], 0.1, "where the slope of the objective is the price")
	assert.InDelta(t, 2, r.Best.Design[1], 0.2)
}

// zdt1 is that of E. Zitzler, K. Deb and L. Thiele (2000) with six inputs, with a third value that limits the front.
func zdt1(x core.Design) core.Outcome {
	g := 1.0
	for _, u := range x[1:] {
		g += 9.0 / 5 * u
	}
	return core.Outcome{Values: []float64{x[0], g * (1 - math.Sqrt(x[0]/g)), x[0] + x[1]}}
}

// gained is the hypervolume, up to 1.1 in both objectives, of the feasible designs among those that are asked.
func gained(t *testing.T, method optimize.Method, p optimize.Problem, e core.EvaluatorFunc, o optimize.Options) float64 {
	var points [][]float64
	r, err := method(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		outcome := e(x)
		if outcome.State == core.OK && p.Feasible(outcome.Values) {
			points = append(points, []float64{p.Objectives[0].Least(outcome.Values), p.Objectives[1].Least(outcome.Values)})
		}
		return outcome
	}), o, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, r.Used, o.Budget)
	return pareto.Hypervolume(points, []float64{1.1, 1.1})
}

func TestSurrogatesFillAFront(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1}}}}
	for range 6 {
		p.Space = append(p.Space, space.Input{Lower: 0, Upper: 1})
	}
	const whole = 1.1*1.1 - 1.0/3 // what the true front covers
	assert.Greater(t, gained(t, optimize.Surrogate, p, zdt1, optimize.Options{Seed: 1, Budget: 70}), 0.95*whole)

	// the same with a limit that cuts the front, the other one to be made most, and failures in a corner
	p.Constraints = []core.Constraint{{Value: 2, Limit: core.Limit{Lower: 0.25, Upper: math.Inf(1)}}}
	p.Objectives[1].Maximize = true
	cut := func(x core.Design) core.Outcome {
		outcome := zdt1(x)
		if outcome.Values[1] *= -1; x[1] > 0.8 && x[2] > 0.8 {
			return core.Outcome{State: core.Failed}
		}
		return outcome
	}
	covered := gained(t, optimize.Surrogate, p, cut, optimize.Options{Seed: 1, Budget: 70})
	assert.Greater(t, covered, 0.9*(whole-0.25*0.6), "with little of what lies before the limit")
	assert.Less(t, covered, whole)
}

func TestFrontsOfThreeObjectives(t *testing.T) {
	t.Parallel()
	// as near as may be to three corners of a square: all that lies between them is on the front
	p := optimize.Problem{Space: space.Space{{Lower: 0, Upper: 1}, {Lower: 0, Upper: 1}}, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1}, {Value: 2}}}}
	away := func(x core.Design, a, b float64) float64 { return (x[0]-a)*(x[0]-a) + (x[1]-b)*(x[1]-b) }
	for name, method := range map[string]optimize.Method{"surrogate": optimize.Surrogate, "nsga2": optimize.NSGA2, "epsilon-constraint": optimize.EpsilonConstraint, "weighted-sum": optimize.WeightedSum} {
		var points [][]float64
		_, err := method(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
			values := []float64{away(x, 0, 0), away(x, 1, 0), away(x, 0, 1)}
			points = append(points, values)
			return core.Outcome{Values: values}
		}), optimize.Options{Seed: 2, Budget: 60}, nil)
		require.NoError(t, err, name)
		volume := pareto.Hypervolume(points, []float64{2, 2, 2})
		// the whole front covers 6.33, and 60 designs at random 5.9
		assert.Greater(t, volume, map[string]float64{"surrogate": 6.05, "nsga2": 5.4, "epsilon-constraint": 5.3, "weighted-sum": 5.3}[name], name)
	}
}

func TestSurrogatesSayWhatTheyExpect(t *testing.T) {
	t.Parallel()
	var says []string
	_, err := optimize.Surrogate(t.Context(), braninProblem, core.EvaluatorFunc(branin), optimize.Options{Seed: 1, Budget: 40}, func(note string) { says = append(says, note) })
	require.NoError(t, err)
	require.NotEmpty(t, says)
	assert.Regexp(t, `^(goes for|explores|improves).*, after \d+ evaluations: [-0-9.e+]+ is believed, between [-0-9.e+]+ and [-0-9.e+]+; it betters the best by 1 % with a chance of \d+ %$`, says[0])
}

// What is known before is neither asked for again nor counted, but for the best of it.
func TestSurrogatesBeginWithWhatIsKnown(t *testing.T) {
	t.Parallel()
	o := optimize.Options{Seed: 1, Budget: 25}
	for k := range 20 {
		x := core.Design{-5 + 0.7*float64(k), math.Mod(4.3*float64(k), 15)}
		o.Earlier = append(o.Earlier, optimize.Evaluated{Design: x, Outcome: branin(x)})
	}
	best := slices.MinFunc(o.Earlier, func(a, b optimize.Evaluated) int { return cmp.Compare(a.Outcome.Values[0], b.Outcome.Values[0]) })
	var asked []core.Design
	r, err := optimize.Surrogate(t.Context(), braninProblem, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked = append(asked, slices.Clone(x))
		return branin(x)
	}), o, nil)
	require.NoError(t, err)
	assert.Equal(t, 20, r.Knew)
	assert.Equal(t, best.Design, asked[0], "to the last bit")
	assert.Less(t, r.Best.Outcome.Values[0], 0.4)
	for _, e := range o.Earlier {
		if !slices.Equal(e.Design, best.Design) {
			assert.NotContains(t, asked, e.Design)
		}
	}
	assert.LessOrEqual(t, slices.IndexFunc(asked, func(x core.Design) bool { return branin(x).Values[0] < 0.5 }), 12, "fewer are needed")
}

// Of many inputs, a box about the best design that grows and shrinks with what was found there leads on.
func TestSurrogatesOfManyInputs(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}
	for i := range 18 {
		p.Space = append(p.Space, space.Input{Name: "x" + strconv.Itoa(i), Lower: 0, Upper: 1})
	}
	first, best := math.NaN(), math.Inf(1)
	_, err := optimize.Surrogate(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		sum := 0.0
		for i, v := range x {
			sum += float64(1+i) * (v - 0.3) * (v - 0.3)
		}
		if math.IsNaN(first) {
			first = sum
		}
		best = min(best, sum)
		return core.Outcome{Values: []float64{sum}}
	}), optimize.Options{Seed: 1, Budget: 100}, nil)
	require.NoError(t, err)
	assert.Less(t, best, 0.02*first)
}

// The best single value of a noisy solver is luck: what is believed of all that was seen is nearer to the truth.
func TestSurrogatesOfANoisySolver(t *testing.T) {
	t.Parallel()
	const seeds = 6
	lucky, likely, within := 0.0, 0.0, 0
	for seed := range uint64(seeds) {
		r := rand.New(rand.NewPCG(seed, 7))
		found, err := optimize.Surrogate(t.Context(), braninProblem, core.EvaluatorFunc(func(x core.Design) core.Outcome {
			return core.Outcome{Values: []float64{branin(x).Values[0] + 4*r.NormFloat64()}}
		}), optimize.Options{Seed: seed + 1, Budget: 40, Noisy: true}, nil)
		require.NoError(t, err)
		require.NotNil(t, found.Likely)
		truth := branin(found.Likely.Design).Values[0]
		lucky += math.Abs(found.Best.Outcome.Values[0] - branin(found.Best.Design).Values[0])
		likely += math.Abs(found.Likely.Values[0] - truth)
		if truth > found.Likely.Lower && truth < found.Likely.Upper {
			within++
		}
		assert.Less(t, truth, 8.0)
	}
	assert.Less(t, 2*likely, lucky, "the best of what was seen is too good to be true")
	assert.GreaterOrEqual(t, within, 4)
	quiet, err := optimize.Surrogate(t.Context(), braninProblem, core.EvaluatorFunc(branin), optimize.Options{Seed: 1, Budget: 20}, nil)
	require.NoError(t, err)
	assert.Nil(t, quiet.Likely)
}

// The last part of a budget, or what is left where beliefs have ended, goes to models of the neighbourhood: the best design is exact then.
func TestModelsBetterTheBestDesignAtLast(t *testing.T) {
	t.Parallel()
	for _, budget := range []int{45, 90} {
		asked := map[string]int{}
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			asked[fmt.Sprint(x)]++
			return branin(x)
		})
		r, err := optimize.Surrogate(t.Context(), braninProblem, e, optimize.Options{Seed: 2, Budget: budget}, nil)
		require.NoError(t, err)
		assert.InDelta(t, 0.39788735772973816, r.Best.Outcome.Values[0], 1e-7, "beliefs alone come within 1e-5")
		for design, times := range asked {
			assert.Equal(t, 1, times, design)
		}
	}
}
