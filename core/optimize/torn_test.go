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

// windings is a drum on which a rope is laid in whole turns and whole layers: its torque jumps with both. The values are its size, its
// torque and its layers.
func windings(x core.Design) core.Outcome {
	diameter, length := x[0], x[1]
	turns, layers, held, arm := math.Floor(length/13.65), 0.0, 0.0, 0.0
	for held < 80e3 && layers < 9 {
		layers++
		arm = diameter/2 + (2*layers-1)*6.5
		held += turns * 2 * math.Pi * arm
	}
	return core.Outcome{Values: []float64{diameter * (6 + diameter/50) * length / 1e3, arm * 18.67, layers}}
}

// windingModel gives the slopes of the size; those of the torque are to be found by differences.
type windingModel struct{ core.EvaluatorFunc }

func (m windingModel) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := m.Evaluate(ctx, designs)
	var all []core.Derivatives
	for _, x := range designs {
		rows := core.MatrixOf([][]float64{{(6 + x[0]/25) * x[1] / 1e3, x[0] * (6 + x[0]/50) / 1e3}, {math.NaN(), math.NaN()}, {math.NaN(), math.NaN()}})
		all = append(all, &rows)
	}
	return outcomes, all, err
}

var drum = Problem{
	Space: space.Space{{Name: "diameter", Lower: 286, Upper: 600}, {Name: "length", Lower: 300, Upper: 1200}},
	Goal: core.Goal{
		Objectives:  []core.Objective{{Value: 0}},
		Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 3400}}, {Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 5}}},
	},
}

// leastDrum is the size of the least drum on a fine grid.
func leastDrum() float64 {
	least := math.Inf(1)
	for d := 286.0; d <= 600; d += 0.5 {
		for l := 300.0; l <= 1200; l++ {
			if v := windings(core.Design{d, l}).Values; v[1] <= 3400 && v[2] <= 5 {
				least = math.Min(least, v[0])
			}
		}
	}
	return least
}

func TestSearchesGoOnWhereValuesJump(t *testing.T) {
	t.Parallel()
	least := leastDrum()
	for seed := range uint64(3) {
		r, err := Auto(t.Context(), drum, windingModel{windings}, Options{Seed: seed + 1, Budget: 300, Start: core.Design{320, 600}}, nil)
		require.NoError(t, err)
		assert.True(t, r.Best.Rank.Feasible())
		assert.InEpsilon(t, least, r.Best.Outcome.Values[0], 0.04, "seed %d", seed+1)
	}
}

func TestTheSecondStartIsTakenNext(t *testing.T) {
	t.Parallel()
	then := core.Design{444.5, 777.25}
	for _, search := range []Method{Auto, MultiStart} {
		var asked []core.Design
		e := windingModel{func(x core.Design) core.Outcome {
			asked = append(asked, x)
			return windings(x)
		}}
		_, err := search(t.Context(), drum, e, Options{Seed: 1, Budget: 300, Start: core.Design{320, 600}, Then: then}, nil)
		require.NoError(t, err)
		assert.Contains(t, asked, then)
		_, err = search(t.Context(), drum, e, Options{Seed: 1, Budget: 300, Then: core.Design{1}}, nil)
		require.ErrorContains(t, err, "the second start has 1 values for 2 inputs")
	}
}

// Wherever its budget ends, among differences too, a search gives an answer that can be explained.
func TestBudgetsMayEndAnywhere(t *testing.T) {
	t.Parallel()
	for budget := 1; budget < 60; budget++ {
		e := windingModel{windings}
		r, err := Auto(t.Context(), drum, e, Options{Seed: 1, Budget: budget, Start: core.Design{320, 600}}, nil)
		require.NoError(t, err)
		require.LessOrEqual(t, r.Used, budget)
		_, err = Explain(t.Context(), drum, e, nil, r)
		require.NoError(t, err)
	}
}
