package robust_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/core/plan"
	"ropebench/core/robust"
	"ropebench/core/space"
	"ropebench/core/uncertainty"
)

// noisy is a response with noise z that interacts with a control x: y = 1 + 2x + z(1 - 3x), and a cost x^2. The expected squared distance of y from a
// target is known (R. H. Myers, D. C. Montgomery and C. M. Anderson-Cook, Response Surface Methodology, 2016, on robust parameter design).
type noisy struct{ evaluations int }

func (n *noisy) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, d := range designs {
		n.evaluations++
		x, z := d[0], d[1]
		y := 1 + 2*x + z*(1-3*x)
		outcomes[i] = core.Outcome{Values: []float64{y, (y - 4) * (y - 4), x * x}}
		if x > 9 {
			outcomes[i] = core.Outcome{State: core.Failed}
		}
	}
	return outcomes, nil
}

func (n *noisy) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := n.Evaluate(ctx, designs)
	all := make([]core.Derivatives, len(designs))
	for i, d := range designs {
		x, z := d[0], d[1]
		y := 1 + 2*x + z*(1-3*x)
		rows := core.MatrixOf([][]float64{{2 - 3*z, 1 - 3*x}, {2 * (y - 4) * (2 - 3*z), 2 * (y - 4) * (1 - 3*x)}, {2 * x, 0}})
		all[i] = &rows
	}
	return outcomes, all, err
}

const deviation = 0.4

// under makes the evaluator of a formula over 16 draws.
func under(t *testing.T, whole core.Evaluator, text string) robust.Evaluator {
	z := uncertainty.EvenNormals(plan.NewRand(1), 16, 1)
	e := robust.Evaluator{Whole: whole, Width: 3, Part: func(slopes []float64) []float64 { return slopes[:1] },
		Draws: func(design core.Design) []core.Design {
			draws := []core.Design{{design[0], 0}}
			for i := range z.Rows {
				draws = append(draws, core.Design{design[0], deviation * z.Row(i)[0]})
			}
			return draws
		},
		Plain: func(name string, design core.Design, values []float64) robust.Plain {
			if name == "x" {
				return robust.Plain{Number: design[0], Column: -1}
			}
			return robust.Plain{Number: values[2], Column: 2, Axis: -1}
		}}
	expression, err := formula.Parse(text)
	require.NoError(t, err)
	f := robust.Formula{Expression: expression, Statistics: map[string]int{}}
	columns := map[string]int{"y": 0, "loss": 1}
	kinds := map[string]uncertainty.Statistic{formula.Expected: uncertainty.ExpectedOf, formula.Deviation: uncertainty.DeviationOf}
	for _, s := range expression.Statistics {
		of := kinds[s.Kind]
		if s.Kind == formula.Quantile {
			of = uncertainty.QuantileOf(s.Share)
		}
		f.Statistics[s.Name] = len(e.Statistics)
		e.Statistics = append(e.Statistics, robust.Statistic{Value: robust.Value{Column: columns[s.Of.Text]}, Of: of})
	}
	e.Formulas = []robust.Formula{f}
	return e
}

func TestTheRobustOptimumOfAQuadraticLoss(t *testing.T) {
	t.Parallel()
	n := &noisy{}
	e := under(t, n, "expected(loss)")
	p := optimize.Problem{Space: space.Space{{Name: "x", Lower: -5, Upper: 5}}, Goal: core.Goal{Objectives: []core.Objective{{Value: e.Width + len(e.Statistics)}}}}
	r, err := optimize.FromStart(t.Context(), p, e.WithDerivatives(), optimize.Options{Seed: 1, Budget: 100, Start: core.Design{1.5}, Effort: optimize.Quick}, nil)
	require.NoError(t, err)
	s2 := deviation * deviation
	exact := (2*3 + 3*s2) / (4 + 9*s2)
	assert.InDelta(t, exact, r.Best.Design[0], 0.002*exact, "and not 1.5, where 1 + 2x is 4")
	assert.LessOrEqual(t, n.evaluations, 8*17*2, "a few steps, each evaluated and differentiated at 16 draws and without")
}

func TestFormulasOfStatisticsAndTheirSlopes(t *testing.T) {
	t.Parallel()
	e := under(t, &noisy{}, "expected(y) + 2*deviation(y)*cost - quantile(loss, 0.3)/x")
	at := func(x float64) (core.Outcome, core.Derivatives) {
		outcomes, slopes, err := e.WithDerivatives().(core.Differentiator).Differentiate(t.Context(), []core.Design{{x}})
		require.NoError(t, err)
		return outcomes[0], slopes[0]
	}
	o, slopes := at(2)
	require.Equal(t, core.OK, o.State)
	assert.InDelta(t, 5, o.Values[0], 1e-12, "without scatter")
	assert.InDelta(t, 5, o.Values[3], 1e-12, "the mean")
	assert.InDelta(t, 5*deviation, o.Values[4], 1e-12)
	assert.InDelta(t, 5+2*2*4-o.Values[5]/2, o.Values[6], 1e-12)
	const step = 1e-6
	next, _ := at(2 + step)
	for k := range o.Values {
		assert.InDelta(t, (next.Values[k]-o.Values[k])/step, slopes.Row(k)[0], 1e-3, "value %d", k)
	}
	failed, none := at(9.5)
	assert.Equal(t, core.Failed, failed.State)
	assert.Nil(t, failed.Values)
	assert.Nil(t, none)
	zero, _ := at(0)
	assert.Equal(t, core.Failed, zero.State, "what is no number is not passed on")
}

// A requirement that is to be met with a probability is the quantile of its least margin.
func TestMarginsUnderScatter(t *testing.T) {
	t.Parallel()
	e := under(t, &noisy{}, "expected(y)")
	between := core.Constraint{Value: 0, Limit: core.Limit{Lower: 4, Upper: 7}}
	most := core.Constraint{Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 5}}
	e.Statistics = []robust.Statistic{{Value: robust.Value{Limits: []core.Constraint{between, most}}, Of: uncertainty.QuantileOf(0.1)}}
	e.Formulas = nil
	outcomes, slopes, err := e.WithDerivatives().(core.Differentiator).Differentiate(t.Context(), []core.Design{{2}, {2 + 1e-6}, {2.2}})
	require.NoError(t, err)
	// y scatters about 5 with a deviation of 2: the lower limit is nearer
	assert.Less(t, outcomes[0].Values[3], 0.0)
	assert.InDelta(t, (outcomes[1].Values[3]-outcomes[0].Values[3])/1e-6, slopes[0].Row(3)[0], 1e-3)
	quantile := uncertainty.QuantileOf(0.1)
	var margins []float64
	for _, draw := range e.Draws(core.Design{2.2})[1:] {
		o, err := e.Whole.Evaluate(t.Context(), []core.Design{draw})
		require.NoError(t, err)
		margins = append(margins, min(o[0].Values[0]-4, 7-o[0].Values[0], 5-o[0].Values[2]))
	}
	assert.InDelta(t, quantile(margins, nil), outcomes[2].Values[3], 1e-12)
}
