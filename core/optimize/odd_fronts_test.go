package optimize_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// Fronts that are none: every method for several objectives says why it ends, within its budget, and asks for nothing that is no design.
func TestOddFronts(t *testing.T) {
	t.Parallel()
	smooth := func(x core.Design) (float64, float64) {
		return x[0]*x[0] + x[1], (x[0]-1)*(x[0]-1) + x[1]*x[1]
	}
	for name, e := range map[string]core.EvaluatorFunc{
		"a constant objective": func(x core.Design) core.Outcome { a, _ := smooth(x); return core.Outcome{Values: []float64{a, 3, 0}} },
		"the same twice":       func(x core.Design) core.Outcome { a, _ := smooth(x); return core.Outcome{Values: []float64{a, a, 0}} },
		"constant, both":       func(core.Design) core.Outcome { return core.Outcome{Values: []float64{1, 2, 0}} },
		"nothing feasible": func(x core.Design) core.Outcome {
			a, b := smooth(x)
			return core.Outcome{Values: []float64{a, b, 2 + x[0]}}
		},
		"fails always": func(core.Design) core.Outcome { return core.Outcome{State: core.Failed} },
		"one feasible corner": func(x core.Design) core.Outcome {
			a, b := smooth(x)
			return core.Outcome{Values: []float64{a, b, 1.9 - x[0] - x[1]}}
		},
	} {
		for called, method := range map[string]optimize.Method{"auto": optimize.Auto, "nsga2": optimize.NSGA2, "surrogate": optimize.Surrogate, "epsilon-constraint": optimize.EpsilonConstraint, "weighted-sum": optimize.WeightedSum} {
			for _, budget := range []int{1, 2, 5, 40} {
				p := optimize.Problem{Space: space.Space{{Lower: 0, Upper: 1}, {Lower: 0, Upper: 1}}, Goal: core.Goal{
					Objectives: []core.Objective{{Value: 0}, {Value: 1}}, Constraints: []core.Constraint{{Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 1}}},
				}}
				if name == "one feasible corner" {
					p.Constraints[0].Limit.Upper = 0
				}
				asked := 0
				r, err := method(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
					asked++
					for _, u := range x {
						assert.True(t, u >= 0 && u <= 1, "%s of %s asks for %v", called, name, x)
					}
					return e(x)
				}), optimize.Options{Seed: 1, Budget: budget, Few: called == "auto"}, nil)
				require.NoError(t, err, "%s of %s", called, name)
				assert.NotEmpty(t, r.Reason, "%s of %s", called, name)
				assert.LessOrEqual(t, asked, budget, "%s of %s", called, name)
			}
		}
	}
}
