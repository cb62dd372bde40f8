package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// An island is all that is feasible: a disc in a valley of a twentieth of the space, beside a wide one that is feasible nowhere.
type island struct{ x, y, awayX, awayY, steep float64 }

func newIsland(seed uint64) island {
	r := plan.NewRand(seed)
	for {
		i := island{x: 20*r.Float64() - 10, y: 20*r.Float64() - 10, awayX: 20*r.Float64() - 10, awayY: 20*r.Float64() - 10}
		if away := math.Hypot(i.x-i.awayX, i.y-i.awayY); away > 8 && math.Max(math.Abs(i.x), math.Abs(i.y)) < 7.5 {
			i.steep = math.Pow(away/2.446-1, 2) // so that the valley is 4.7 % of the space
			return i
		}
	}
}

func (i island) valley(x core.Design) (value, a, b, steep float64) {
	wide := math.Pow(x[0]-i.awayX, 2) + math.Pow(x[1]-i.awayY, 2) + 0.5
	narrow := i.steep * (math.Pow(x[0]-i.x, 2) + math.Pow(x[1]-i.y, 2))
	if wide < narrow {
		return wide, i.awayX, i.awayY, 1
	}
	return narrow, i.x, i.y, i.steep
}

func (i island) outcome(x core.Design) core.Outcome {
	value, _, _, _ := i.valley(x)
	return core.Outcome{Values: []float64{x[0], value}}
}

func (i island) rows(x core.Design) [][]float64 {
	_, a, b, steep := i.valley(x)
	return [][]float64{{1, 0}, {2 * steep * (x[0] - a), 2 * steep * (x[1] - b)}}
}

// While nothing feasible is known, searches look for that alone, too, and give up early where others have found nothing.
func TestAFeasibleIslandIsFound(t *testing.T) {
	t.Parallel()
	first, count := problemsAsked(20)
	p := Problem{Space: space.Space{{Name: "x", Lower: -10, Upper: 10}, {Name: "y", Lower: -10, Upper: 10}}, Goal: least(core.Constraint{Value: 1, Limit: atMost(0.3)})}
	found, all := 0, 0
	for seed := uint64(first); seed < uint64(first+count); seed++ {
		i := newIsland(seed)
		plain := core.EvaluatorFunc(i.outcome)
		for _, e := range []core.Evaluator{plain, withDerivatives{Evaluator: plain, rows: i.rows}} {
			r, err := Auto(t.Context(), p, e, Options{Seed: seed, Budget: 400, Start: core.Design{i.awayX, i.awayY}}, nil)
			require.NoError(t, err)
			all++
			if r.Best.Rank.Kept() {
				found++
			} else {
				t.Logf("not found: %d, %T, %s, %d searches, %s", seed, e, r.Reason, r.Searches, r.Chose)
			}
		}
	}
	t.Logf("%d of %d", found, all)
	assert.GreaterOrEqual(t, found, all*9/10)
}
