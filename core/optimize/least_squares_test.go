package optimize

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/space"
)

// misra1a is the data set of that name of the Statistical Reference Datasets of NIST.
var misra1a = struct{ x, y []float64 }{
	x: []float64{77.6, 114.9, 141.1, 190.8, 239.9, 289, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760},
	y: []float64{10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.4, 75.47, 81.78},
}

type misraModel struct{ asked int }

func (m *misraModel) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, b := range designs {
		m.asked++
		for _, x := range misra1a.x {
			outcomes[i].Values = append(outcomes[i].Values, b[0]*(1-math.Exp(-b[1]*x)))
		}
	}
	return outcomes, nil
}

func (m *misraModel) derivatives(b core.Design) core.Derivatives {
	d := core.NewMatrix(len(misra1a.x), 2)
	for i, x := range misra1a.x {
		d.Row(i)[0], d.Row(i)[1] = 1-math.Exp(-b[1]*x), b[0]*x*math.Exp(-b[1]*x)
	}
	return &d
}

func (m *misraModel) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := m.Evaluate(ctx, designs)
	derivatives := make([]core.Derivatives, len(designs))
	for i, b := range designs {
		m.asked--
		derivatives[i] = m.derivatives(b)
	}
	return outcomes, derivatives, err
}

func misraProblem() Problem {
	p := Problem{Space: space.Space{{Name: "b1", Lower: 1, Upper: 1000}, {Name: "b2", Lower: 1e-6, Upper: 0.01}}}
	for i, y := range misra1a.y {
		p.Targets = append(p.Targets, core.Target{Value: i, To: y, Weight: 1})
	}
	return p
}

func TestACertifiedFitIsFound(t *testing.T) {
	t.Parallel()
	for name, e := range map[string]core.Evaluator{"exact": &misraModel{}, "differences": struct{ core.Evaluator }{&misraModel{}}} {
		p := misraProblem()
		r, err := LevenbergMarquardt(t.Context(), p, e, Options{Seed: 1, Budget: 200, Start: core.Design{500, 0.0001}}, nil)
		require.NoError(t, err)
		assert.InEpsilon(t, 238.94212918, r.Best.Design[0], 1e-8, name)
		assert.InEpsilon(t, 0.00055015643181, r.Best.Design[1], 1e-8, name)
		fit, err := FitOf(p.Goal, r.Best.Outcome.Values, (&misraModel{}).derivatives(r.Best.Design), []bool{false, false})
		require.NoError(t, err)
		assert.InEpsilon(t, 2.7070075241, fit.Errors[0], 1e-4, name)
		assert.InEpsilon(t, 7.2668688436e-06, fit.Errors[1], 1e-4, name)
		assert.InEpsilon(t, 0.12455138894, fit.Residual, 1e-8, name)
		t.Log(name, r.Used)
	}
}

func TestFitsThatCannotBeToldApartAreSaid(t *testing.T) {
	t.Parallel()
	goal := core.Goal{Targets: []core.Target{{Value: 0, Weight: 1}, {Value: 1, Weight: 1}, {Value: 2, Weight: 1}}}
	same := core.MatrixOf([][]float64{{1, 2}, {2, 4}, {3, 6}})
	_, err := FitOf(goal, []float64{1, 1, 1}, &same, []bool{false, false})
	assert.ErrorContains(t, err, "hold one of them")
	held, err := FitOf(goal, []float64{1, 1, 1}, &same, []bool{false, true})
	require.NoError(t, err)
	assert.True(t, math.IsNaN(held.Errors[1]))
	assert.InDelta(t, math.Sqrt(3.0/2/14), held.Errors[0], 1e-12)
	idle := core.MatrixOf([][]float64{{1, 0}, {2, 0}, {3, 0}})
	alone, err := FitOf(goal, []float64{1, 1, 1}, &idle, []bool{false, false})
	require.NoError(t, err)
	assert.Equal(t, []bool{false, true}, alone.Idle, "an input that moves nothing takes no error away from the others")
	assert.Equal(t, held.Errors[0], alone.Errors[0])
	_, err = FitOf(core.Goal{Targets: goal.Targets[:2]}, []float64{1, 1, 1}, &same, []bool{false, false})
	assert.ErrorContains(t, err, "no more targets than inputs")
	_, err = LevenbergMarquardt(t.Context(), Problem{Space: space.Space{{Upper: 1}}, Goal: least()}, nil, Options{Budget: 5}, nil)
	assert.ErrorContains(t, err, "needs targets")
}
