package uncertainty_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat/distuv"

	"ropebench/core/plan"
	"ropebench/core/uncertainty"
)

// states makes limit states of one requirement.
func states(margins ...func(u []float64) float64) (uncertainty.LimitStates, [][]int) {
	group := make([]int, len(margins))
	for i := range group {
		group[i] = i
	}
	return func(_ context.Context, points [][]float64) ([][]float64, error) {
		rows := make([][]float64, len(points))
		for i, u := range points {
			for _, margin := range margins {
				rows[i] = append(rows[i], margin(u))
			}
		}
		return rows, nil
	}, [][]int{group}
}

// A miss of a probability of 1e-5 is told to 20 % by 2,000 evaluations, those of the design point among them.
func TestRareMissesAreCountedByImportance(t *testing.T) {
	t.Parallel()
	const rare = 1e-5
	index := -distuv.UnitNormal.Quantile(rare)
	plane, groups := states(func(u []float64) float64 { return index*2 - floats.Sum(u) })
	holds, near := 0, 0
	for seed := range uint64(100) {
		all, err := uncertainty.Reliabilities(t.Context(), plan.NewRand(seed), 4, plane, groups, 2000)
		require.NoError(t, err)
		e := all[0].Miss
		if math.Abs(e.Value-rare) <= 0.2*rare {
			near++
		}
		if e.From <= rare && rare <= e.To {
			holds++
		}
		require.Len(t, all[0].Points, 1)
		assert.InDelta(t, index, all[0].Points[0].Index, 1e-3)
	}
	t.Logf("within 20 %%: %d, within limits: %d of 100", near, holds)
	assert.GreaterOrEqual(t, near, 97)
	assert.GreaterOrEqual(t, holds, 90)
	// where the median misses, what is met is counted
	missed, groups := states(func(u []float64) float64 { return floats.Sum(u) - 4 })
	all, err := uncertainty.Reliabilities(t.Context(), plan.NewRand(1), 4, missed, groups, 2000)
	require.NoError(t, err)
	assert.InDelta(t, distuv.UnitNormal.CDF(2), all[0].Miss.Value, 0.006)
}

// Limits that are missed at one, two or four points, that are curved or have edges, in 2 to 10 dimensions: the truth lies within the limits that are told, and a limit is not
// said to be kept more often than it is.
func TestMissesOfManyWaysAreTold(t *testing.T) {
	t.Parallel()
	phi := distuv.UnitNormal.CDF
	chi := func(k, above float64) float64 { return 1 - distuv.ChiSquared{K: k}.CDF(above) }
	type curved struct {
		n       int
		margins []func(u []float64) float64
		truth   float64
	}
	one := func(n int, margin func(u []float64) float64, truth float64) curved {
		return curved{n, []func(u []float64) float64{margin}, truth}
	}
	squares := func(u []float64) float64 { return floats.Dot(u, u) }
	all := map[string]curved{
		"two sides of a kink": one(1, func(u []float64) float64 { return 3 - math.Abs(u[0]-0.05) }, phi(-3.05)+phi(-2.95)),
		"two sides":           {1, []func(u []float64) float64{func(u []float64) float64 { return 2.8 - u[0] }, func(u []float64) float64 { return u[0] + 3.1 }}, phi(-2.8) + phi(-3.1)},
		"parabola":            one(1, func(u []float64) float64 { return 9 - u[0]*u[0] }, 2*phi(-3)),
		"cliff":               one(2, func(u []float64) float64 { return 1 - math.Exp(4*(u[0]-4)) + 0.01*u[1] }, 3.2e-5),
		"ball in 2":           one(2, func(u []float64) float64 { return 10 - squares(u) }, chi(2, 10)),
		"ball in 5":           one(5, func(u []float64) float64 { return 24 - squares(u) }, chi(5, 24)),
		"ball in 10":          one(10, func(u []float64) float64 { return 40 - squares(u) }, chi(10, 40)),
		"plane in 10":         one(10, func(u []float64) float64 { return 3.5*math.Sqrt(10) - floats.Sum(u) }, phi(-3.5)),
		"four sides":          one(2, func(u []float64) float64 { return 3 - math.Max(math.Abs(u[0]), math.Abs(u[1])) }, 1-math.Pow(1-2*phi(-3), 2)),
		"two of ten":          one(10, func(u []float64) float64 { return 3.2 - math.Abs(u[3]) }, 2*phi(-3.2)),
		"often":               one(3, func(u []float64) float64 { return 1 - u[0] }, phi(-1)),
		"mostly":              one(2, func(u []float64) float64 { return -0.5 - u[0] + 0*u[1] }, phi(0.5)),
	}
	require.Len(t, all, 12)
	holds, count, falsely := 0, 0, 0
	for name, c := range all {
		margin, groups := states(c.margins...)
		inside := 0
		for seed := range uint64(12) {
			told, err := uncertainty.Reliabilities(t.Context(), plan.NewRand(seed), c.n, margin, groups, 1000)
			require.NoError(t, err)
			e := told[0].Miss
			count++
			if e.From <= c.truth*1.02 && c.truth*0.98 <= e.To {
				holds, inside = holds+1, inside+1
			}
			if e.To < 0.5*c.truth { // a limit between would be said to be met
				falsely++
			}
		}
		t.Logf("%s: %d of 12", name, inside)
	}
	t.Logf("%d of %d hold the truth, %d are falsely safe by half", holds, count, falsely)
	assert.GreaterOrEqual(t, holds, count*90/100)
	assert.Zero(t, falsely)
}

func TestNoMoreEvaluationsAreMadeThanArePaidFor(t *testing.T) {
	t.Parallel()
	for _, most := range []int{2, 5, 20, 41, 60, 200, 1000} {
		for _, n := range []int{1, 3, 10} {
			asked := 0
			margin := func(_ context.Context, points [][]float64) ([][]float64, error) {
				asked += len(points)
				rows := make([][]float64, len(points))
				for i, u := range points {
					rows[i] = []float64{2.5 - math.Abs(u[0]), 9 - floats.Dot(u, u)}
				}
				return rows, nil
			}
			all, err := uncertainty.Reliabilities(t.Context(), plan.NewRand(1), n, margin, [][]int{{0}, {1}}, most)
			require.NoError(t, err)
			assert.LessOrEqual(t, asked, most, "%d inputs", n)
			for _, one := range all {
				assert.True(t, 0 <= one.Miss.From && one.Miss.From <= one.Miss.Value && one.Miss.Value <= one.Miss.To && one.Miss.To <= 1, "%d of %d: %v", n, most, one.Miss)
			}
		}
	}
}

func TestAMarginThatNothingMovesIsSaid(t *testing.T) {
	t.Parallel()
	margin, groups := states(func([]float64) float64 { return 3 })
	all, err := uncertainty.Reliabilities(t.Context(), plan.NewRand(1), 2, margin, groups, 300)
	require.NoError(t, err)
	assert.True(t, all[0].Constant)
	assert.Empty(t, all[0].Points)
	assert.Equal(t, 0.0, all[0].Miss.Value)
	assert.Less(t, all[0].Miss.To, 0.1)
}
