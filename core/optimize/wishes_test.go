package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/space"
)

// slopeIsKnown is decided by inputs alone: the first input must not be more than the second.
type slopeIsKnown struct{}

func (slopeIsKnown) Decided() []bool { return []bool{false, false, true} }

func (slopeIsKnown) Look(x core.Design, derivatives bool) ([]float64, core.Derivatives) {
	values := []float64{math.NaN(), math.NaN(), x[0] - x[1]}
	if !derivatives {
		return values, nil
	}
	rows := core.MatrixOf([][]float64{{math.NaN(), math.NaN()}, {math.NaN(), math.NaN()}, {1, -1}})
	return values, &rows
}

// believing is a search that knows some designs of a problem with an objective, a limit and a requirement on inputs alone, and fails in a corner.
func believing(t *testing.T, asked int) *believer {
	p := Problem{
		Space: space.Space{{Name: "a", Lower: 0, Upper: 10}, {Name: "b", Lower: 1, Upper: 100, Log: true}}, Ahead: slopeIsKnown{},
		Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}, Constraints: []core.Constraint{
			{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 3}}, {Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0}},
		}},
	}
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		if x[0] > 6 && x[1] > 40 {
			return core.Outcome{State: core.Failed}
		}
		return core.Outcome{Values: []float64{(x[0]-4)*(x[0]-4) + math.Log(x[1]), math.Log(x[1]), x[0] - x[1]}}
	})
	s := newSearch(p, e, Options{Budget: asked}, nil, 0)
	b := s.landscape(p, Options{}).believer(p, Options{Seed: 3, Budget: asked})
	for b.Used() < asked {
		err := b.take(t.Context(), [][]float64{b.drawn()})
		require.True(t, err == nil || assert.ErrorAs(t, err, &budget.Ended{}), "%v", err)
	}
	require.NoError(t, b.believe(t.Context()))
	return b
}

func TestLimitsAreKeptWithTheProbabilityThatIsBelieved(t *testing.T) {
	t.Parallel()
	b := believing(t, 30)
	belief := b.beliefs[1]
	at := core.Design{5, 20}
	_, deviation := belief.Believed(at)
	require.Positive(t, deviation)
	limit := belief.Mean(at)
	one := core.Constraint{Value: 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: limit}}
	assert.InDelta(t, 0.5, keeps(belief, at, one, 1), 1e-6, "a limit at the median")
	surely := one
	surely.Limit.Upper += 100
	assert.InDelta(t, 1, keeps(belief, at, surely, 1), 1e-9)
	surely.Limit.Reserve = 200
	assert.InDelta(t, 0, keeps(belief, at, surely, 1), 1e-9, "reserves are kept")
	equal := core.Constraint{Value: 1, Equal: true, Limit: core.Limit{Lower: limit - 1e-9, Upper: limit + 1e-9}}
	assert.Greater(t, keeps(belief, at, equal, 1), 0.6, "an equation comes near")
}

func TestWhatIsBelievedIsAnEvaluatorWithItsSlopes(t *testing.T) {
	t.Parallel()
	b := believing(t, 40)
	require.NotNil(t, b.works, "some designs failed")
	p := predicted{b, 3}
	x := core.Design{4.5, 30}
	outcomes, derivatives, err := p.Differentiate(t.Context(), []core.Design{x})
	require.NoError(t, err)
	plain, err := p.Evaluate(t.Context(), []core.Design{x})
	require.NoError(t, err)
	assert.InDeltaSlice(t, plain[0].Values, outcomes[0].Values, 1e-12)
	assert.Equal(t, x[0]-x[1], plain[0].Values[2], "what inputs alone decide is known")
	assert.InDelta(t, 0.25+math.Log(30), plain[0].Values[0], 0.05)
	for j, h := range []float64{1e-4, 1e-3} {
		above, below := core.Design{x[0], x[1]}, core.Design{x[0], x[1]}
		above[j] += h
		below[j] -= h
		both, err := p.Evaluate(t.Context(), []core.Design{above, below})
		require.NoError(t, err)
		for _, column := range []int{0, 1, 3} {
			difference := (both[0].Values[column] - both[1].Values[column]) / (2 * h)
			assert.InDelta(t, difference, derivatives[0].Row(column)[j], 1e-3*(1+math.Abs(difference)), "value %d by input %d", column, j)
		}
	}
	corner, safe := b.working(core.Design{9, 90}), b.working(core.Design{2, 10})
	assert.Less(t, corner, 0.5)
	assert.Greater(t, safe, 0.5)
}

func TestWishesKeepWhatInputsAloneDecideAndAreNew(t *testing.T) {
	t.Parallel()
	b := believing(t, 30)
	best := *b.best()
	for _, wish := range []func() ([]float64, error){
		func() ([]float64, error) { return b.unlike(), nil },
		func() ([]float64, error) {
			point, _, err := b.expectAtLeast(t.Context(), best, 2, math.Inf(-1))
			return point, err
		},
		func() ([]float64, error) { return b.elsewhere(t.Context(), best) },
	} {
		point, err := wish()
		require.NoError(t, err)
		if point == nil {
			continue // nothing of the kind is left
		}
		assert.Zero(t, b.missedBy(point))
		assert.True(t, b.isNew(point))
	}
	b.known = append(b.known, trial{point: best.point, design: best.design})
	assert.False(t, b.isNew(best.point))
}

func TestWhatCameOfAWishIsLearned(t *testing.T) {
	t.Parallel()
	b := believing(t, 20)
	best := *b.best()
	came := func(values []float64, half float64) {
		point := []float64{0.3, 0.9}
		outcome := core.Outcome{Values: values}
		b.learnFrom(trial{point: point, outcome: outcome, rank: b.Rank(outcome)}, wished{point: point, half: half, best: best})
	}
	trust := b.trust
	came([]float64{1e3, 3.5, -1}, 0.2)
	assert.Equal(t, trust/2, b.trust, "less is trusted after a disappointment")
	assert.Equal(t, 0.5, b.inside[0], "limits are aimed at from inside by what was missed")
	came([]float64{-1e3, 2, -1}, 0.2)
	assert.Equal(t, trust, b.trust)
	assert.Equal(t, 0.25, b.inside[0], "and less so where they were kept")
	came([]float64{1e3, 2, -1}, 1)
	assert.Equal(t, trust, b.trust, "what is asked anywhere says nothing of the neighbourhood")
	for range 60 {
		b.aimCloser()
	}
	assert.False(t, b.aimCloser())
	assert.Zero(t, b.inside[0])
}
