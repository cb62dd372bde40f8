package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/space"
)

// preferred are so many numbers at equal ratios, three digits each, as parts are sold.
func preferred(from float64, count int, decades float64) []float64 {
	var values []float64
	for k := range count {
		value := from * math.Pow(10, decades*float64(k)/float64(count-1))
		unit := math.Pow(10, math.Floor(math.Log10(value))-2)
		values = append(values, math.Round(value/unit)*unit)
	}
	return values
}

// dampers are two catalogs of nine rows, each with a stiffness and a loss.
func dampers(r *rand.Rand) (input space.Input, rows [][2]float64) {
	input = space.Input{Values: make([]float64, 9), Traits: make([][]float64, 9), Unordered: true}
	for k := range 9 {
		row := [2]float64{math.Round(100*math.Pow(10, 1.5*r.Float64())) / 100, math.Round(1000*r.Float64()) / 1000}
		rows = append(rows, row)
		input.Values[k] = float64(k)
		input.Traits[k] = []float64{math.Log10(row[0]) / 1.5, row[1]}
	}
	return input, rows
}

// partsOfASway is a problem of lists: the response of a load on two dampers at 25 frequencies is to be that of parts that lie between the lists.
func partsOfASway(seed uint64) (Problem, func(core.Design) []float64) {
	r := rand.New(rand.NewPCG(seed, 1))
	one, rowsOfOne := dampers(r)
	two, rowsOfTwo := dampers(r)
	p := Problem{Space: space.Space{}}
	for j, from := range []float64{0.1, 1, 0.01, 0.1} {
		p.Space = append(p.Space, space.Input{Name: fmt.Sprintf("part%d", j+1), Values: preferred(from, 70, 2.5)})
	}
	one.Name, two.Name = "one", "two"
	p.Space = append(p.Space, one, two)
	respond := func(a, b, c, d float64, first, second [2]float64) []float64 {
		values := make([]float64, 25)
		for i := range values {
			w := math.Pow(10, -1+2*float64(i)/24)
			numerator := complex(a*first[0]-w*w*c, w*(b*0.1+first[1]))
			denominator := complex(1+a*first[0]+d*second[0]-w*w*(c+0.3*d), w*(b*0.1+first[1]+second[1]*c))
			h := numerator / denominator
			values[i] = math.Log10(math.Hypot(real(h), imag(h)) + 1e-3)
		}
		return values
	}
	of := func(k int) float64 {
		in := p.Space[k]
		return in.Values[5] * math.Pow(in.Values[64]/in.Values[5], r.Float64())
	}
	wanted := respond(of(0), of(1), of(2), of(3), [2]float64{10 * r.Float64(), r.Float64()}, [2]float64{10 * r.Float64(), r.Float64()})
	for i, to := range wanted {
		p.Targets = append(p.Targets, core.Target{Value: i, To: to, Weight: 1})
	}
	return p, func(x core.Design) []float64 {
		return respond(x[0], x[1], x[2], x[3], rowsOfOne[int(x[4])], rowsOfTwo[int(x[5])])
	}
}

// TestTheBestOfLongListsIsFound compares with all that there are, where two of the parts are held.
func TestTheBestOfLongListsIsFound(t *testing.T) {
	t.Parallel()
	hits := 0
	for problem := uint64(1); problem <= 5; problem++ {
		p, values := partsOfASway(problem)
		whole := func(x core.Design) core.Design {
			return core.Design{x[0], p.Space[1].Values[30], p.Space[2].Values[30], x[1], x[2], x[3]}
		}
		few := p
		few.Space = space.Space{p.Space[0], p.Space[3], p.Space[4], p.Space[5]}
		least := math.Inf(1)
		for _, a := range few.Space[0].Values {
			for _, d := range few.Space[1].Values {
				for _, first := range few.Space[2].Values {
					for _, second := range few.Space[3].Values {
						least = math.Min(least, p.Least(values(whole(core.Design{a, d, first, second}))))
					}
				}
			}
		}
		for seed := uint64(1); seed <= 5; seed++ {
			off := 0
			evaluate := core.EvaluatorFunc(func(x core.Design) core.Outcome {
				if !few.Space.Contains(x) {
					off++
				}
				return core.Outcome{Values: values(whole(x))}
			})
			result, err := Auto(context.Background(), few, evaluate, Options{Seed: seed, Budget: 4000}, nil)
			require.NoError(t, err)
			assert.Zero(t, off, "no point between the values of a list is asked")
			assert.LessOrEqual(t, result.Used, 4000)
			if p.Least(result.Best.Outcome.Values) == least {
				hits++
			}
			if result.Neighbours > 0 {
				assert.Greater(t, result.Neighbours, 2*nearRows, "those along the lists are counted beside those of the catalogs")
			}
		}
	}
	assert.GreaterOrEqual(t, hits, 20, "of 5 seeds for each of 5 problems, in 4,000 of 396,900 designs")
}

func TestStepsAlongListsKeepLimits(t *testing.T) {
	// two lists, of which the product must be at least 400: the least sum is at 20 and 20
	long := make([]float64, 60)
	for k := range long {
		long[k] = float64(k + 1)
	}
	p := Problem{Space: space.Space{{Name: "a", Values: long}, {Name: "b", Lower: 1, Upper: 60, Step: 1}}, Goal: core.Goal{
		Objectives:  []core.Objective{{Value: 0}},
		Constraints: []core.Constraint{{Value: 1, Limit: core.Limit{Lower: 400, Upper: math.Inf(1)}}},
	}}
	for _, exact := range []bool{false, true} {
		var evaluate core.Evaluator = core.EvaluatorFunc(func(x core.Design) core.Outcome {
			return core.Outcome{Values: []float64{x[0] + x[1], x[0] * x[1]}}
		})
		if exact {
			evaluate = withDerivatives{Evaluator: evaluate, rows: func(x core.Design) [][]float64 { return [][]float64{{1, 1}, {x[1], x[0]}} }}
		}
		result, err := Auto(context.Background(), p, evaluate, Options{Seed: 1, Budget: 150}, nil)
		require.NoError(t, err)
		assert.Equal(t, 40.0, result.Best.Outcome.Values[0], "exact %v", exact)
		assert.True(t, result.Best.Rank.Kept())
		quick, err := Auto(context.Background(), p, evaluate, Options{Seed: 1, Budget: 150, Effort: Quick}, nil)
		require.NoError(t, err)
		assert.Regexp(t, "^converged after .*: no neighbor that differs in one input betters it; other starts were not tried$", quick.Reason)
	}
}
