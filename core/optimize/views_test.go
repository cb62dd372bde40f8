package optimize_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/optimize"
	"ropebench/core/space"
)

// Six values of a solver, of which the largest is to be least while the root of the product of two of them has a limit.
type largestOfSix struct{}

const sixValues = 6

func (largestOfSix) From(column int) (numbers, curves []int, follows bool) {
	switch column {
	case sixValues:
		return []int{0, 1, 2, 3, 4, 5}, nil, true
	case sixValues + 1:
		return []int{0, 3}, nil, true
	}
	return nil, nil, false
}

func (largestOfSix) Read(int, core.Design, []float64, []curve.Curve) float64 { return math.NaN() }

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

func (misleading) From(column int) (numbers, curves []int, follows bool) {
	if column == 1 {
		return []int{0}, nil, true
	}
	return nil, nil, false
}

func (misleading) Read(int, core.Design, []float64, []curve.Curve) float64 { return math.NaN() }

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

// A band has the answer of a solver over a band of 60 places, of which the largest is to be least: its place jumps from one to another.
type band struct{ curves [][]curve.Curve }

func (*band) From(column int) (numbers, curves []int, follows bool) {
	return []int{}, []int{1}, column == 0
}

func (*band) Follow(core.Design, []float64) {}

func (*band) Read(_ int, _ core.Design, _ []float64, curves []curve.Curve) float64 {
	return curves[1].Peak()
}

func (b *band) ask(x core.Design) core.Outcome {
	var c curve.Curve
	for k := range 60 {
		at := float64(k) / 59
		first, second, third := (at-0.2-0.1*x[1])/0.15, (at-0.55)/0.2, (at-0.9+0.1*x[2])/0.12
		y := (1.4+x[0]*x[0]-0.8*x[1])*math.Exp(-first*first) + (1.2+0.7*x[1]+0.3*x[0]*x[2])*math.Exp(-second*second) + (1+0.9*math.Abs(x[2]-0.3)+0.4*x[1]*x[1])*math.Exp(-third*third)
		c.X, c.Y = append(c.X, at), append(c.Y, y)
	}
	b.curves = append(b.curves, []curve.Curve{{}, c})
	return core.Outcome{Values: []float64{c.Peak()}, Number: len(b.curves)}
}

func (b *band) curvesOf(number int) ([]curve.Curve, error) { return b.curves[number-1], nil }

var bandProblem = optimize.Problem{Space: space.Space{{Lower: -1, Upper: 1}, {Lower: -1, Upper: 1}, {Lower: -1, Upper: 1}}, Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}

func TestThePeakOfACurveFollowsFromTheCurve(t *testing.T) {
	t.Parallel()
	known := new(band)
	found, err := optimize.Auto(t.Context(), bandProblem, core.EvaluatorFunc(known.ask), optimize.Options{Seed: 1, Budget: 4000}, nil)
	require.NoError(t, err)
	best := found.Best.Outcome.Values[0]
	needed := map[bool]int{}
	for _, follows := range []bool{false, true} {
		for seed := range uint64(3) {
			b, p, o := new(band), bandProblem, optimize.Options{Seed: seed + 1, Budget: 50}
			if follows {
				p.Behind, o.Curves = b, b.curvesOf
			}
			reached := 80
			_, err := optimize.Surrogate(t.Context(), p, core.EvaluatorFunc(func(x core.Design) core.Outcome {
				outcome := b.ask(x)
				if reached == 80 && outcome.Values[0] <= 1.005*best {
					reached = len(b.curves)
				}
				return outcome
			}), o, nil)
			require.NoError(t, err)
			needed[follows] += reached
		}
	}
	assert.Less(t, 1.2*float64(needed[true]), float64(needed[false]))
}
