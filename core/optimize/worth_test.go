package optimize

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/quadratic"
	"ropebench/core/space"
)

// A bounded problem has a convex quadratic objective and linear limits, some of them twice, some that follow from others, some that nearly touch.
type bounded struct {
	Problem
	hessian [][]float64
	slopes  []float64
	rows    [][]float64
	start   core.Design
}

func newBounded(r *rand.Rand) bounded {
	n := 2 + r.IntN(4)
	b := bounded{hessian: square(n), slopes: make([]float64, n)}
	lower := make([]float64, n)
	for j := range n {
		b.Space = append(b.Space, space.Input{Name: fmt.Sprint("x", j), Lower: 0, Upper: 10})
		b.slopes[j] = 5 * r.NormFloat64()
		b.hessian[j][j] = 0.2 + r.Float64()
		lower[j] = 2 + 6*r.Float64()
	}
	b.start = lower // every limit is kept there
	b.Objectives = []core.Objective{{}}
	add := func(row []float64, room float64) {
		b.rows = append(b.rows, row)
		b.Constraints = append(b.Constraints, core.Constraint{Value: len(b.rows), Limit: atMost(dot(row, lower) + room)})
	}
	for range 1 + r.IntN(n) {
		row := make([]float64, n)
		for j := range row {
			row[j] = math.Round(3 * r.NormFloat64())
		}
		if largest(row) == 0 {
			row[0] = 1
		}
		room := 2 * r.Float64()
		add(row, room)
		switch r.IntN(4) {
		case 0: // the same in another unit
			other := make([]float64, n)
			for j := range row {
				other[j] = 7 * row[j]
			}
			add(other, 7*room)
		case 1: // nearly touching from the other side
			other := make([]float64, n)
			for j := range row {
				other[j] = -row[j]
			}
			add(other, 1e-3-room)
		case 2: // follows from this one and an earlier one
			other := make([]float64, n)
			first := b.rows[0]
			for j := range row {
				other[j] = row[j] + first[j]
			}
			add(other, room+b.Constraints[0].Limit.Upper-dot(first, lower))
		}
	}
	return b
}

func (b bounded) values(x core.Design) []float64 {
	values := []float64{dot(b.slopes, x) + dot(x, times(b.hessian, x))/2}
	for _, row := range b.rows {
		values = append(values, dot(row, x))
	}
	return values
}

// least is the least objective within limits, by one quadratic program.
func (b bounded) least(p Problem) float64 {
	q := quadratic.Program{Hessian: b.hessian, Gradient: b.slopes}
	for _, in := range p.Space {
		q.Lower, q.Upper = append(q.Lower, in.Lower), append(q.Upper, in.Upper)
	}
	for i, c := range p.Constraints {
		q.Rows = append(q.Rows, quadratic.Row{Of: b.rows[i], Lower: math.Inf(-1), Upper: c.Limit.Upper, Price: 1e5})
	}
	return b.values(quadratic.Solve(q).Point)[0]
}

// evaluator answers a bounded problem, with derivatives.
func (b bounded) evaluator() core.Evaluator {
	return withDerivatives{
		Evaluator: core.EvaluatorFunc(func(x core.Design) core.Outcome { return core.Outcome{Values: b.values(x)} }),
		rows: func(x core.Design) [][]float64 {
			return append([][]float64{plus(b.slopes, times(b.hessian, x), 1)}, b.rows...)
		},
	}
}

// Each price that is told is what moving that limit alone brings over the room that is told with it, whether designs aside cost nothing or not.
func TestPricesAreThoseOfOneLimitAlone(t *testing.T) {
	t.Parallel()
	first, count := problemsAsked(30)
	told, together := 0, 0
	for seed := uint64(first); seed < uint64(first+count); seed++ {
		b := newBounded(plan.NewRand(seed))
		evaluator := b.evaluator()
		r, err := SQP(t.Context(), b.Problem, evaluator, Options{Seed: 1, Budget: 400, Start: b.start}, nil)
		require.NoError(t, err)
		least := b.least(b.Problem)
		require.InDelta(t, least, r.Best.Outcome.Values[0], 1e-4*math.Max(1, math.Abs(least)), "problem %d", seed)
		for _, aside := range []core.Evaluator{evaluator, nil} {
			o, err := Explain(t.Context(), b.Problem, evaluator, aside, r)
			require.NoError(t, err)
			require.NotNil(t, o)
			for i, w := range o.Worths {
				if o.Prices[i] == 0 {
					continue
				}
				if w.Room == 0 {
					together++
					continue
				}
				told++
				gain := least - b.least(wider(b.Problem, i, true, w.Room))
				assert.InDelta(t, w.Price*w.Room, gain, 0.05*math.Max(gain, w.Price*w.Room), "problem %d, limit %d over %g, aside %v", seed, i, w.Room, aside != nil)
			}
			for j, w := range o.EndWorths {
				if o.EndPrices[j] != 0 && w.Room > 0 {
					told++
					gain := least - b.least(longer(b.Problem, j, o.UpperEnds[j], w.Room))
					assert.InDelta(t, w.Price*w.Room, gain, 0.05*math.Max(gain, w.Price*w.Room), "problem %d, end of x%d over %g, aside %v", seed, j, w.Room, aside != nil)
				}
			}
		}
	}
	t.Logf("%d prices told, %d not", told, together)
	assert.Greater(t, told, 2*count)
	assert.Positive(t, together)
}
