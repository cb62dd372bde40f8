package surrogate

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

var beliefSpace = space.Space{{Name: "a", Lower: -2, Upper: 3}, {Name: "b", Lower: 1, Upper: 100, Log: true}, {Name: "c", Lower: 0, Upper: 4, Step: 1}, {Name: "wood", Values: []float64{0, 1, 2}, Unordered: true}}

func rolling(x core.Design) float64 {
	return math.Sin(x[0]) + 0.3*math.Pow(math.Log(x[1]), 2) + 0.2*x[2] + []float64{0, 1.5, -1}[int(x[3])]
}

// someDesigns are spread over the space.
func someDesigns(t *testing.T, n int) []core.Design {
	points, err := plan.All(t.Context(), plan.LatinHypercube, plan.NewRand(4), n, beliefSpace.Levels())
	require.NoError(t, err)
	designs := make([]core.Design, n)
	for i, point := range points {
		designs[i] = beliefSpace.Design(point)
	}
	return designs
}

func valuesAt(designs []core.Design, f func(core.Design) float64) []float64 {
	y := make([]float64, len(designs))
	for i, x := range designs {
		y[i] = f(x)
	}
	return y
}

func believed(t *testing.T, designs []core.Design, y []float64, about float64, noisy bool, before *Belief) *Belief {
	b, err := Believe(t.Context(), plan.NewRand(1), Encode(beliefSpace), designs, y, about, noisy, before)
	require.NoError(t, err)
	return b
}

func TestBeliefsPredictWithTheirSlopes(t *testing.T) {
	t.Parallel()
	known := someDesigns(t, 60)
	for name, f := range map[string]func(core.Design) float64{
		"as it is": rolling,
		"skewed":   func(x core.Design) float64 { return math.Exp(2 * rolling(x)) },
	} {
		b := believed(t, known, valuesAt(known, f), math.NaN(), false, nil)
		for i, x := range known {
			assert.InEpsilon(t, 10+f(x), 10+b.Mean(x), 1e-3, "%s: it goes through its points, %d", name, i)
		}
		x := core.Design{0.7, 12, 3, 1}
		slopes := make([]float64, len(x))
		mean := b.Slopes(x, slopes)
		assert.InDelta(t, b.Mean(x), mean, 1e-12*math.Abs(mean), name)
		for j, h := range map[int]float64{0: 1e-5, 1: 1e-4} {
			above, below := core.Design{x[0], x[1], x[2], x[3]}, core.Design{x[0], x[1], x[2], x[3]}
			above[j] += h
			below[j] -= h
			assert.InEpsilon(t, (b.Mean(above)-b.Mean(below))/(2*h), slopes[j], 1e-4, "%s, input %d", name, j)
		}
		assert.Zero(t, slopes[2], "steps have no slope")
		assert.Zero(t, slopes[3], "nor have words")
	}
}

func TestSkewedValuesAreBelievedOnABentScale(t *testing.T) {
	t.Parallel()
	known := someDesigns(t, 40)
	skewed := believed(t, known, valuesAt(known, func(x core.Design) float64 { return math.Exp(4 * rolling(x)) }), math.NaN(), false, nil)
	assert.NotZero(t, skewed.bend.unit)
	for _, value := range []float64{-3, 0, 0.5, 1e6} {
		assert.InEpsilon(t, 10+value, 10+skewed.bend.from(skewed.Scaled(value)), 1e-9, "there and back")
	}
	assert.True(t, math.IsInf(skewed.Scaled(math.Inf(-1)), -1))
	even := believed(t, known, valuesAt(known, rolling), math.NaN(), false, nil)
	assert.Zero(t, even.bend.unit)
	limited := bendOf([]float64{90, 100, 104, 1000}, 100)
	assert.Zero(t, limited.to(100), "a limit is where the scale is finest")
	assert.InDelta(t, 1/limited.slope(0), (limited.to(100+1e-6)-limited.to(100-1e-6))/2e-6, 1e-6)
}

func TestABeliefGrowsWithWhatIsKnown(t *testing.T) {
	t.Parallel()
	known := someDesigns(t, 44)
	y := valuesAt(known, rolling)
	first := believed(t, known[:40], y[:40], math.NaN(), false, nil)
	grown := believed(t, known, y, math.NaN(), false, first)
	assert.Equal(t, first.chosenAt, grown.chosenAt, "the form is chosen anew only where much more is known")
	assert.Equal(t, first.form, grown.form)
	for _, x := range known[40:] {
		_, before := first.Believed(x)
		_, after := grown.Believed(x)
		assert.Less(t, after, before/3, "what was asked is known")
	}
	many := someDesigns(t, 90)
	assert.Equal(t, 90, believed(t, many, valuesAt(many, rolling), math.NaN(), false, first).chosenAt)
	again := believed(t, known[:40], y[:40], math.NaN(), false, nil)
	assert.Equal(t, first.g.parameters, again.g.parameters, "the same for the same seed")
}

func TestWhatIsConstantIsBelievedConstant(t *testing.T) {
	t.Parallel()
	known := someDesigns(t, 10)
	b := believed(t, known, valuesAt(known, func(core.Design) float64 { return 7 }), math.NaN(), false, nil)
	mean, deviation := b.Believed(known[3])
	assert.Equal(t, []float64{7, 0, 7, 0}, []float64{mean, deviation, b.Mean(known[4]), b.Spread()})
	slopes := []float64{1, 1, 1, 1}
	assert.Equal(t, 7.0, b.Slopes(known[0], slopes))
	assert.Equal(t, make([]float64, 4), slopes)
	y := valuesAt(known, rolling)
	assert.Greater(t, believed(t, known, y, math.NaN(), false, b).Spread(), 0.0, "it may move later")
}

func TestNoisyValuesAreNotGoneThrough(t *testing.T) {
	t.Parallel()
	known, r := someDesigns(t, 60), plan.NewRand(9)
	y := valuesAt(known, func(x core.Design) float64 { return rolling(x) + 0.3*r.NormFloat64() })
	b := believed(t, known, y, math.NaN(), true, nil)
	through, near := 0.0, 0.0
	for i, x := range known {
		through += math.Abs(b.Mean(x) - y[i])
		near += math.Abs(b.Mean(x) - rolling(x))
	}
	assert.Greater(t, through, near, "it is nearer to what is below the noise")
}

func TestWhatIsAtWorkIsSupposedToComeOutAsBelieved(t *testing.T) {
	t.Parallel()
	known := someDesigns(t, 30)
	b := believed(t, known, valuesAt(known, func(x core.Design) float64 { return math.Exp(rolling(x)) }), math.NaN(), false, nil)
	atWork, elsewhere := core.Design{0.2, 12, 3, 1}, core.Design{2.9, 1.5, 0, 2}
	surer := b.Supposing([]core.Design{atWork})
	for _, x := range []core.Design{atWork, elsewhere, known[4]} {
		mean, before := b.Believed(x)
		same, after := surer.Believed(x)
		assert.InDelta(t, mean, same, 1e-6*b.Spread(), "the means stay")
		assert.LessOrEqual(t, after, before+1e-9)
	}
	_, before := b.Believed(atWork)
	_, after := surer.Believed(atWork)
	assert.Less(t, after, 0.01*before, "it is as good as known")
	assert.Same(t, b, b.Supposing(nil))
	lower, median, upper := b.Between(atWork)
	assert.InEpsilon(t, b.Mean(atWork), median, 1e-9)
	assert.Less(t, lower, median)
	assert.Greater(t, upper-median, median-lower, "of a skewed value more lies above")
	constant := believed(t, known, make([]float64, 30), math.NaN(), false, nil)
	lower, median, upper = constant.Between(atWork)
	assert.Equal(t, []float64{0, 0, 0}, []float64{lower, median, upper})
	assert.Same(t, constant, constant.Supposing([]core.Design{atWork}))
}
