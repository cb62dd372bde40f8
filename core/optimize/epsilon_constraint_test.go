package optimize_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/optimize"
	"ropebench/core/pareto"
	"ropebench/core/space"
)

// binhKorn is the problem of T. T. Binh and U. Korn (1997), with its derivatives; it counts what it is asked.
type binhKorn struct {
	points      [][]float64
	evaluations int
	derivatives int
}

var binhKornProblem = optimize.Problem{Space: space.Space{{Name: "x", Lower: 0, Upper: 5}, {Name: "y", Lower: 0, Upper: 3}}, Goal: core.Goal{
	Objectives:  []core.Objective{{Value: 0}, {Value: 1}},
	Constraints: []core.Constraint{{Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 25}}, {Value: 3, Limit: core.Limit{Lower: 7.7, Upper: math.Inf(1)}}},
}}

// binhKornCovers is the hypervolume of the true front up to (140, 50).
const binhKornCovers = 5284.8

func (b *binhKorn) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, d := range designs {
		x, y := d[0], d[1]
		outcomes[i].Values = []float64{4*x*x + 4*y*y, (x-5)*(x-5) + (y-5)*(y-5), (x-5)*(x-5) + y*y, (x-8)*(x-8) + (y+3)*(y+3)}
		b.evaluations++
		if binhKornProblem.Feasible(outcomes[i].Values) {
			b.points = append(b.points, outcomes[i].Values[:2])
		}
	}
	return outcomes, nil
}

func (b *binhKorn) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := b.Evaluate(ctx, designs)
	all := make([]core.Derivatives, len(designs))
	for i, d := range designs {
		x, y := d[0], d[1]
		rows := core.MatrixOf([][]float64{{8 * x, 8 * y}, {2 * (x - 5), 2 * (y - 5)}, {2 * (x - 5), 2 * y}, {2 * (x - 8), 2 * (y + 3)}})
		all[i] = &rows
		b.derivatives++
	}
	b.evaluations -= len(designs) // they were evaluated before
	return outcomes, all, err
}

func TestHolesOfAFrontAreFilled(t *testing.T) {
	t.Parallel()
	for _, way := range []struct {
		name      string
		search    optimize.Method
		maximized bool
		covers    float64
	}{
		{"epsilon-constraint", optimize.EpsilonConstraint, false, 0.98}, {"epsilon-constraint, the most", optimize.EpsilonConstraint, true, 0.98},
		{"weighted-sum", optimize.WeightedSum, false, 0.97}, {"weighted-sum, the most", optimize.WeightedSum, true, 0.97},
	} {
		p, b := binhKornProblem, &binhKorn{}
		var e core.Evaluator = b
		if way.maximized {
			p.Objectives = []core.Objective{{Value: 0, Maximize: true}, {Value: 1, Maximize: true}}
			e = negated{b}
		}
		var says []string
		r, err := way.search(t.Context(), p, e, optimize.Options{Seed: 1, Budget: 120, Start: core.Design{2, 1}}, func(note string) { says = append(says, note) })
		require.NoError(t, err, way.name)
		assert.Equal(t, budget.UsedUp, r.Cause, way.name)
		assert.LessOrEqual(t, r.Used, 120)
		assert.Greater(t, pareto.Hypervolume(b.points, []float64{140, 50}), way.covers*binhKornCovers, way.name)
		assert.Contains(t, says[0], "looks for the end of the front that is best in its 1. objective")
		assert.Contains(t, says[len(says)-1], "fills the largest hole of a front of ")
		assert.Less(t, b.derivatives, 140)
	}
}

// Steps and words move too: the start has neither those of the one end of the front nor those of the other.
func TestHolesAreFilledWhereSomeInputsAreStepped(t *testing.T) {
	t.Parallel()
	p := binhKornProblem
	p.Space = append(space.Space{{Name: "x", Lower: 0, Upper: 5}, {Name: "y", Lower: 0, Upper: 3, Step: 0.5}}, space.Input{Name: "grade", Values: []float64{0, 1, 2}, Unordered: true})
	worse := []float64{3, 0, 6} // by grade
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		outcomes, _ := (&binhKorn{}).Evaluate(t.Context(), []core.Design{x[:2]})
		outcomes[0].Values[0] += worse[int(x[2])]
		return outcomes[0]
	})
	var front [][]float64
	for y := 0.0; y <= 3; y += 0.5 {
		for x := 0.0; x <= 5; x += 0.005 {
			if values := e(core.Design{x, y, 1}).Values; p.Feasible(values) {
				front = append(front, values[:2])
			}
		}
	}
	covers := pareto.Hypervolume(front, []float64{140, 50})
	for name, method := range map[string]optimize.Method{"epsilon-constraint": optimize.EpsilonConstraint, "weighted-sum": optimize.WeightedSum} {
		var points [][]float64
		noted := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			outcome := e(x)
			if p.Feasible(outcome.Values) {
				points = append(points, outcome.Values[:2])
			}
			return outcome
		})
		r, err := method(t.Context(), p, noted, optimize.Options{Seed: 1, Budget: 1000, Start: core.Design{2, 1, 2}}, nil)
		require.NoError(t, err, name)
		assert.LessOrEqual(t, r.Used, 1000, name)
		assert.Greater(t, pareto.Hypervolume(points, []float64{140, 50})/covers, 0.98, name)
	}
}

// negated has its objectives to be made most.
type negated struct{ *binhKorn }

func (n negated) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes, err := n.binhKorn.Evaluate(ctx, designs)
	return turned(outcomes), err
}

func turned(outcomes []core.Outcome) []core.Outcome {
	for i, o := range outcomes {
		outcomes[i].Values = []float64{-o.Values[0], -o.Values[1], o.Values[2], o.Values[3]}
	}
	return outcomes
}

func (n negated) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, all, err := n.binhKorn.Differentiate(ctx, designs)
	for _, rows := range all {
		for k := range 2 {
			for j := range rows.Row(k) {
				rows.Row(k)[j] *= -1
			}
		}
	}
	return turned(outcomes), all, err
}

func TestAFrontWithoutHolesEndsItsSearch(t *testing.T) {
	t.Parallel()
	p := binhKornProblem
	p.Objectives = []core.Objective{{Value: 0}, {Value: 0}} // the same twice
	r, err := optimize.EpsilonConstraint(t.Context(), p, &binhKorn{}, optimize.Options{Seed: 1, Budget: 200}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.Converged, r.Cause)
	assert.Equal(t, "converged: the front of 1 design has no hole that is worth to be filled", r.Reason)
	assert.Less(t, r.Used, 60)
}

// A weighted sum does not end where a front bends inwards, and says so; limits do.
func TestWeightsDoNotEndWhereAFrontBendsInwards(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Space: space.Space{{Name: "x", Lower: 0, Upper: 1}, {Name: "y", Lower: 0, Upper: 1}}, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1}}}}
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{x[0], 1 - x[0]/4 - 3*x[0]*x[0]*x[0]/4 + x[1]*x[1]}}
	})
	r, err := optimize.WeightedSum(t.Context(), p, e, optimize.Options{Seed: 1, Budget: 300, Start: core.Design{0.4, 0.3}}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.Converged, r.Cause)
	assert.Regexp(t, `^converged with \d+ designs: no weights end in the holes that are left, where the front bends inwards or is torn; epsilon-constraint fills those$`, r.Reason)
	filled, err := optimize.EpsilonConstraint(t.Context(), p, e, optimize.Options{Seed: 1, Budget: 300, Start: core.Design{0.4, 0.3}}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.UsedUp, filled.Cause)
}

// What auto does for several objectives, and for few evaluations, and says.
func TestAutoChoosesForFrontsAndForFewEvaluations(t *testing.T) {
	t.Parallel()
	plain := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		outcomes, _ := (&binhKorn{}).Evaluate(t.Context(), []core.Design{x})
		return outcomes[0]
	})
	stepped := binhKornProblem
	stepped.Space = space.Space{{Name: "x", Lower: 0, Upper: 5}, {Name: "y", Lower: 0, Upper: 3, Step: 0.5}}
	one, four := binhKornProblem, binhKornProblem
	one.Objectives = one.Objectives[:1]
	four.Objectives = []core.Objective{{Value: 0}, {Value: 1}, {Value: 2}, {Value: 3, Maximize: true}}
	for _, c := range []struct {
		name   string
		p      optimize.Problem
		e      core.Evaluator
		few    bool
		chosen string
	}{
		{"smooth", binhKornProblem, &binhKorn{}, false, "SQP from hole to hole"},
		{"no derivatives", binhKornProblem, plain, false, "NSGA-II"},
		{"steps", stepped, &binhKorn{}, false, "NSGA-II"},
		{"few", binhKornProblem, plain, true, "surrogates"},
		{"few, one objective", one, plain, true, "surrogates"},
		{"few, one objective with derivatives", one, &binhKorn{}, true, "SQP from the start with exact derivatives"},
		{"few, too many objectives", four, plain, true, "NSGA-II"},
	} {
		r, err := optimize.Auto(t.Context(), c.p, c.e, optimize.Options{Seed: 1, Budget: 40, Few: c.few}, nil)
		require.NoError(t, err, c.name)
		assert.Contains(t, r.Chose, c.chosen, c.name)
		assert.LessOrEqual(t, r.Used, 40, c.name)
	}
}

// NSGA-II goes on where the holes were filled: it does not lose the front.
func TestAFrontThatWasFilledIsKept(t *testing.T) {
	t.Parallel()
	b := &binhKorn{}
	_, err := optimize.Auto(t.Context(), binhKornProblem, b, optimize.Options{Seed: 3, Budget: 400}, nil)
	require.NoError(t, err)
	assert.Greater(t, pareto.Hypervolume(b.points, []float64{140, 50}), 0.99*binhKornCovers)
}
