package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
	"ropebench/core/space"
)

func cube(n int, lower, upper float64) space.Space {
	s := make(space.Space, n)
	for j := range s {
		s[j] = space.Input{Lower: lower, Upper: upper}
	}
	return s
}

// rastrigin has a valley at every whole number; L. A. Rastrigin (1974), in the form of H. Muhlenbein et al. (1991).
func rastrigin(x core.Design) core.Outcome {
	sum := 10 * float64(len(x))
	for _, v := range x {
		sum += v*v - 10*math.Cos(2*math.Pi*v)
	}
	return core.Outcome{Values: []float64{sum}}
}

func TestManyValleysAreSearchedFromBetweenThem(t *testing.T) {
	t.Parallel()
	for seed := range uint64(3) {
		start := core.Design{2.3, 2.3, 2.3, 2.3, 2.3}
		r, err := Auto(t.Context(), Problem{Space: cube(5, -5.12, 5.12), Goal: least()}, core.EvaluatorFunc(rastrigin), Options{Seed: seed + 1, Budget: 30000, Start: start}, nil)
		require.NoError(t, err)
		assert.Less(t, r.Best.Outcome.Values[0], 1e-4, "seed %d", seed+1)
	}
}

// A search that has found its one valley from several starts ends, says so, and leaves the rest of its budget.
func TestOneValleyIsBelievedAfterSomeStarts(t *testing.T) {
	t.Parallel()
	bowl := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{(x[0]-1)*(x[0]-1) + 3*(x[1]+2)*(x[1]+2) + x[0]*x[1]}}
	})
	used := map[Effort]int{}
	for _, effort := range []Effort{Quick, Normal, Thorough} {
		r, err := MultiStart(t.Context(), Problem{Space: cube(2, -5, 5), Goal: least()}, bowl, Options{Seed: 1, Budget: 10000, Effort: effort}, nil)
		require.NoError(t, err)
		assert.Equal(t, budget.Converged, r.Cause)
		assert.Empty(t, r.Others)
		used[effort] = r.Used
	}
	assert.Less(t, used[Quick], used[Normal])
	assert.Less(t, used[Normal], used[Thorough])
	assert.Less(t, used[Thorough], 1000)
}

func TestUnseenPlaces(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		searches, found int
		want            float64
	}{{2, 1, math.Inf(1)}, {8, 1, 0.4}, {20, 3, 0.8}} {
		b := basins{searches: c.searches, found: make([]basin, c.found)}
		assert.InDelta(t, c.want, b.unseen(), 1e-12)
	}
}

func TestAnEllipsoidIsLearned(t *testing.T) {
	t.Parallel()
	stretched := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		sum := 0.0
		for j, v := range x {
			w := v - 1
			if j > 0 {
				w += 0.5 * (x[j-1] - 1)
			}
			sum += math.Pow(1e4, float64(j)/4) * w * w
		}
		return core.Outcome{Values: []float64{sum}}
	})
	r, err := CMAES(t.Context(), Problem{Space: cube(5, -5, 5), Goal: least()}, stretched, Options{Seed: 1, Budget: 3000}, nil)
	require.NoError(t, err)
	assert.Less(t, r.Best.Outcome.Values[0], 1e-8)
}

// The multipliers of the augmented Lagrangian bring the samples to a limit, whatever size the constraint has.
func TestSamplesComeToALimit(t *testing.T) {
	t.Parallel()
	for _, size := range []float64{1e-3, 1, 1e3} {
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			return core.Outcome{Values: []float64{x[0] + x[1], size * (x[0]*x[0] + x[1]*x[1])}}
		})
		p := Problem{Space: cube(2, -3, 3), Goal: least(core.Constraint{Value: 1, Limit: atMost(2 * size)})}
		r, err := CMAES(t.Context(), p, e, Options{Seed: 1, Budget: 2500}, nil)
		require.NoError(t, err)
		assert.True(t, r.Best.Rank.Feasible())
		assert.InDelta(t, -2, r.Best.Outcome.Values[0], 1e-2, "size %g", size)
	}
}

func TestCoordinatesAreFoldedBack(t *testing.T) {
	t.Parallel()
	for _, c := range [][2]float64{{0.3, 0.3}, {-0.2, 0.2}, {1.3, 0.7}, {2.4, 0.4}, {-1.3, 0.7}} {
		assert.InDelta(t, c[1], reflected(c[0]), 1e-12)
	}
}

func TestALineIsSearchedInFewSteps(t *testing.T) {
	t.Parallel()
	asked := 0
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		asked++
		return core.Outcome{Values: []float64{math.Exp(x[0]) - 3*x[0], x[0]}}
	})
	p := Problem{Space: space.Space{{Name: "x", Lower: -5, Upper: 5}}, Goal: least(core.Constraint{Value: 1, Limit: atMost(4)})}
	for _, method := range []Method{Auto, Pattern} {
		asked = 0
		r, err := method(t.Context(), p, e, Options{Seed: 1, Budget: 200}, nil)
		require.NoError(t, err)
		assert.InDelta(t, math.Log(3), r.Best.Design[0], 1e-6)
		assert.Less(t, asked, 30)
		assert.Contains(t, r.Reason, "range of x")
	}
}

func TestAPatternGoesRoundACorner(t *testing.T) {
	t.Parallel()
	e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
		return core.Outcome{Values: []float64{math.Abs(x[0]-0.3) + 2*math.Abs(x[1]-7), x[0] + x[1]}}
	})
	p := Problem{Space: space.Space{{Lower: 0, Upper: 1}, {Lower: 0, Upper: 20, Step: 1}}, Goal: least(core.Constraint{Value: 1, Limit: atLeast(1)})}
	r, err := Pattern(t.Context(), p, e, Options{Seed: 1, Budget: 500, Start: core.Design{0.9, 18}}, nil)
	require.NoError(t, err)
	assert.Equal(t, budget.Stuck, r.Cause)
	assert.InDelta(t, 0, r.Best.Outcome.Values[0], 1e-5)
}

func TestNeighboursOfSteppedInputs(t *testing.T) {
	t.Parallel()
	values := func(in space.Input, at float64) []float64 {
		var all []float64
		for _, u := range nextTo(in, in.Unit(at)) {
			all = append(all, in.Value(u))
		}
		return all
	}
	assert.Equal(t, []float64{3, 5}, values(space.Input{Lower: 1, Upper: 6, Step: 1}, 4))
	assert.Equal(t, []float64{2}, values(space.Input{Lower: 1, Upper: 6, Step: 1}, 1))
	assert.Equal(t, []float64{9, 11}, values(space.Input{Lower: 1, Upper: 100, Step: 1, Log: true}, 10))
	assert.Equal(t, []float64{5, 8}, values(space.Input{Values: []float64{4, 5, 6, 8}}, 6))
	assert.Equal(t, []float64{0, 2}, values(space.Input{Values: []float64{0, 1, 2}, Unordered: true}, 1), "all other words")
	rows := space.Input{Values: []float64{0, 1, 2, 3, 4, 5}, Unordered: true, Traits: [][]float64{{0}, {0.9}, {0.1}, {0.2}, {0.25}, {1}}}
	assert.Equal(t, []float64{2, 3, 4, 1}, values(rows, 0), "the rows whose columns are nearest")
}

// insideOnly knows without asking that x and y have a sum of 3 at least, and that z is a half of y.
type insideOnly struct{}

func (insideOnly) Decided() []bool { return []bool{false, true, true} }

func (insideOnly) Look(x core.Design, derivatives bool) ([]float64, core.Derivatives) {
	d := core.MatrixOf([][]float64{{0, 0, 0}, {1, 1, 0}, {0, -0.5, 1}})
	return []float64{math.NaN(), x[0] + x[1], x[2] - x[1]/2}, &d
}

func TestDesignsAreRepairedBeforeTheyAreAsked(t *testing.T) {
	t.Parallel()
	p := Problem{Space: append(cube(2, 0, 4), space.Input{Lower: 0, Upper: 2, Step: 0.5}), Ahead: insideOnly{},
		Goal: least(core.Constraint{Value: 1, Limit: atLeast(3)}, core.Constraint{Value: 2, Limit: core.Limit{Lower: -0.01, Upper: 0.01}, Equal: true})}
	for name, method := range general(true) {
		if name == "nelder-mead" {
			continue // a simplex goes where it is drawn
		}
		missed, asked := 0, 0
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			asked++
			values, _ := insideOnly{}.Look(x, false)
			if values[1] < 3 || math.Abs(values[2]) > 0.01 {
				missed++
				return core.Outcome{State: core.NotTried, Values: values}
			}
			return core.Outcome{Values: []float64{x[0]*x[0] + 2*x[1] + x[2], values[1], values[2]}}
		})
		r, err := method(t.Context(), p, e, Options{Seed: 1, Budget: 400, Start: core.Design{1, 1, 1}}, nil)
		require.NoError(t, err, name)
		assert.LessOrEqual(t, missed, asked/50, name)
		assert.True(t, r.Best.Rank.Kept(), name)
	}
}

func TestModelsOfLeastCurvatureAreExactWhereTheyCanBe(t *testing.T) {
	t.Parallel()
	quadratic := func(s []float64) float64 { return 3*s[0] - 2*s[1] + 2*s[0]*s[0] - s[0]*s[1] + 0.5*s[1]*s[1] }
	steps := [][]float64{{0, 0}}
	values := []float64{0}
	for _, s := range plan.Draw(plan.NewRand(1), 7, 2) {
		steps, values = append(steps, s), append(values, quadratic(s))
	}
	m := leastCurvature(steps, values, noiseFloor)
	assert.InDeltaSlice(t, []float64{3, -2}, m.slopes, 1e-5)
	assert.InDelta(t, 4, m.bend[0][0], 1e-5)
	assert.InDelta(t, -1, m.bend[0][1], 1e-5)
	few := leastCurvature(steps[:3], []float64{0, 1, 1}, noiseFloor)
	assert.InDelta(t, 1, few.slopes[0]*steps[1][0]+few.slopes[1]*steps[1][1], 1e-6, "three values are met by a plane")
	assert.InDelta(t, 0, few.bend[0][0], 1e-6)
}

func TestDigitsAreCounted(t *testing.T) {
	t.Parallel()
	var d digits
	for _, v := range []float64{1.234, 0.0005678, 1200, 3, 5.5} {
		d.see(0, v)
		d.see(1, math.Sqrt(v))
	}
	assert.InDelta(t, 1e-15, d.noise(0), 0, "five values may have few digits by chance")
	d.see(0, 9.876)
	d.see(1, math.Sqrt(7))
	assert.InDelta(t, 0.5e-3, d.noise(0), 1e-12)
	assert.InDelta(t, 1e-15, d.noise(1), 0)
	assert.InDelta(t, 1e-15, d.noise(2), 0)
}

// Soft constraints cost their price, and no more.
func TestSoftConstraintsCostTheirPrice(t *testing.T) {
	t.Parallel()
	for price, want := range map[float64]float64{0.5: 2.75, 3: 1.5, 20: 1} { // where the slope of the objective is the price, or the limit
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			return core.Outcome{Values: []float64{(x[0] - 3) * (x[0] - 3), x[0]}}
		})
		p := Problem{Space: cube(1, 0, 5), Goal: least(core.Constraint{Value: 1, Limit: atMost(1), Price: price})}
		r, err := SQP(t.Context(), p, e, Options{Seed: 1, Budget: 100, Start: core.Design{4}}, nil)
		require.NoError(t, err)
		assert.InDelta(t, want, r.Best.Design[0], 1e-4, "price %g", price)
		assert.True(t, r.Best.Rank.Feasible(), "a soft constraint is never in the way")
	}
}
