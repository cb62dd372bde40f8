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

// Six values of a solver, of which the largest is to be least while the root of the product of two of them has a limit.
type largestOfSix struct{}

const sixValues = 6

func (largestOfSix) From(column int) []int {
	switch column {
	case sixValues:
		return []int{0, 1, 2, 3, 4, 5}
	case sixValues + 1:
		return []int{0, 3}
	}
	return nil
}

func (largestOfSix) Follow(_ core.Design, values []float64) {
	values[sixValues], values[sixValues+1] = slices.Max(values[:sixValues]), math.Sqrt(values[0]*values[3])
}

func sixOf(x core.Design) core.Outcome {
	values := make([]float64, sixValues+2)
	for k := range sixValues {
		angle := 2 * math.Pi * float64(k) / sixValues
		a, b := x[0]-0.6*math.Cos(angle)-0.1, x[1]-0.7*math.Sin(angle)+0.2
		values[k] = 1 + a*a + (1+0.3*float64(k))*b*b + 0.2*math.Sin(3*a)*b
	}
	largestOfSix{}.Follow(x, values)
	return core.Outcome{Values: values}
}

func TestFormulasFollowWhatIsBelieved(t *testing.T) {
	t.Parallel()
	p := optimize.Problem{Space: space.Space{{Lower: -2, Upper: 2}, {Lower: -2, Upper: 2}}, Goal: core.Goal{
		Objectives: []core.Objective{{Value: sixValues}}, Constraints: []core.Constraint{{Value: sixValues + 1, Limit: core.Limit{Lower: math.Inf(-1), Upper: 1.5}}},
	}}
	best := math.Inf(1)
	for a := -1.0; a < 1; a += 0.002 {
		for b := -1.0; b < 1; b += 0.002 {
			if values := sixOf(core.Design{a, b}).Values; values[sixValues+1] <= 1.5 {
				best = math.Min(best, values[sixValues])
			}
		}
	}
	needed := map[bool]int{}
	for _, behind := range []bool{false, true} {
		q := p
		if behind {
			q.Behind = largestOfSix{}
		}
		for seed := range uint64(3) {
			asked, reached := 0, 80
			_, err := optimize.Surrogate(t.Context(), q, core.EvaluatorFunc(func(x core.Design) core.Outcome {
				outcome := sixOf(x)
				if asked++; reached == 80 && p.Feasible(outcome.Values) && outcome.Values[sixValues] <= 1.002*best {
					reached = asked
				}
				return outcome
			}), optimize.Options{Seed: seed + 1, Budget: 50}, nil)
			require.NoError(t, err)
			needed[behind] += reached
		}
	}
	assert.Less(t, needed[true], needed[false], "an edge is not learned where it is known")
	assert.LessOrEqual(t, needed[true], 3*22)
}

// A formula that has no value where its sources are believed, and one that is worse than a belief of the value itself, do no harm.
type misleading struct{}

func (misleading) From(column int) []int {
	if column == 1 {
		return []int{0}
	}
	return nil
}

func (misleading) Follow(_ core.Design, values []float64) {
	values[1] = math.Sqrt(values[0] - 1e9)
	if values[0] > 60 {
		values[1] = 1e3 * values[0] // not what the outcome has
	}
}

func TestFormulasThatMisleadAreNotFollowed(t *testing.T) {
	t.Parallel()
	p := braninProblem
	p.Objectives = []core.Objective{{Value: 1}}
	p.Behind = misleading{}
	least := math.Inf(1)
	_, err := optimize.Surrogate(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
		v := branin(x).Values[0]
		least = math.Min(least, v)
		return core.Outcome{Values: []float64{v, v}}
	}), optimize.Options{Seed: 1, Budget: 50}, nil)
	require.NoError(t, err)
	assert.Less(t, least, 0.42)
}
