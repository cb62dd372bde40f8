package optimize

import (
	"maps"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/space"
)

// mixture has inputs of every kind, limits that are soft, equal and hard, and a corner that fails.
func mixture(objectives int) (Problem, core.EvaluatorFunc) {
	p := Problem{
		Space: space.Space{{Name: "a", Lower: -2, Upper: 2}, {Name: "b", Lower: 0.1, Upper: 10, Log: true}, {Name: "c", Lower: 0, Upper: 6, Step: 1}, {Name: "wood", Values: []float64{0, 1, 2}, Unordered: true},
			{Name: "bolt", Values: []float64{0, 1, 2, 3}, Unordered: true, Traits: [][]float64{{0}, {0.2}, {0.7}, {1}}}},
		Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1, Maximize: true}}[:objectives], Constraints: []core.Constraint{
			{Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 2, Reserve: 0.1}}, {Value: 3, Limit: core.Limit{Lower: -0.5, Upper: 0.5}, Price: 3},
		}},
	}
	return p, func(x core.Design) core.Outcome {
		if x[0] > 1.7 && x[2] > 4 {
			return core.Outcome{State: core.Failed}
		}
		bolt := []float64{1, 1.3, 2.2, 3}[int(x[4])]
		return core.Outcome{Values: []float64{(x[0]-0.4)*(x[0]-0.4) + math.Log(x[1])*math.Log(x[1]) + 0.3*math.Abs(x[2]-3) + bolt - x[3]/4, x[0] + bolt, x[0]*bolt - x[2]/3, x[0] + x[3]/2 - 1}}
	}
}

// With the same seed every method asks for the same designs, bit for bit: nothing hangs on the order of a map.
func TestEveryMethodRepeatsItself(t *testing.T) {
	t.Parallel()
	for _, name := range slices.Sorted(maps.Keys(Methods)) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			objectives := 1
			if name == "nsga2" {
				objectives = 2
			}
			p, e := mixture(objectives)
			if name == "levenberg-marquardt" {
				p.Objectives, p.Targets = nil, []core.Target{{Value: 0, To: 1, Weight: 1}, {Value: 1, To: 2, Weight: 3}}
			}
			run := func(seed uint64) ([]core.Design, Result) {
				var asked []core.Design
				known := map[string]bool{}
				r, err := Methods[name](t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
					asked = append(asked, slices.Clone(x))
					outcome := e(x)
					outcome.Number, outcome.Repeated = len(asked), known[key(x)]
					known[key(x)] = true
					return outcome
				}), Options{Seed: seed, Budget: 90, Start: core.Design{1, 2, 1, 1, 2}}, nil)
				require.NoError(t, err)
				return asked, r
			}
			first, r := run(7)
			again, same := run(7)
			assert.Equal(t, first, again)
			assert.Equal(t, []any{r.Reason, r.Best.Design, r.Used, r.Learned}, []any{same.Reason, same.Best.Design, same.Used, same.Learned})
			for _, x := range first {
				for j, in := range p.Space {
					assert.True(t, in.Values == nil || slices.Contains(in.Values, x[j]), "%s is one of its values", in.Name)
					assert.True(t, in.Values != nil || x[j] >= in.Lower && x[j] <= in.Upper, "%s is in its range", in.Name)
					assert.True(t, in.Step == 0 || x[j] == math.Trunc(x[j]), "%s is on its steps", in.Name)
				}
			}
			assert.True(t, r.Best.Rank.Usable())
			assert.LessOrEqual(t, r.Used, 90)
		})
	}
}
