package space

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ropebench/core"
)

func TestEndsAreExact(t *testing.T) {
	t.Parallel()
	for _, in := range []Input{{Lower: 0.4, Upper: 4}, {Lower: 1e-3, Upper: 7e5, Log: true}, {Lower: -0.3, Upper: 0.9, Step: 0.1}, {Lower: 0.1, Upper: 0.7, Step: 0.2, Log: true}} {
		assert.Equal(t, in.Lower, in.Value(0))
		assert.Equal(t, in.Upper, in.Value(1))
		assert.Equal(t, in.Lower, in.Value(-3), "outside the cube is the end")
	}
}

func TestStepsAreEvenAndWrittenShortly(t *testing.T) {
	t.Parallel()
	in := Input{Lower: 0, Upper: 0.5, Step: 0.1}
	assert.Equal(t, 6, in.Levels())
	counts := map[float64]int{}
	for i := range 600 {
		counts[in.Value((float64(i)+0.5)/600)]++
	}
	assert.Equal(t, map[float64]int{0: 100, 0.1: 100, 0.2: 100, 0.3: 100, 0.4: 100, 0.5: 100}, counts)
	around := Input{Lower: -1, Upper: 1, Step: 0.1}
	assert.Equal(t, []float64{-0.3, 0, 0.7}, []float64{around.Value(7.5 / 21), around.Value(0.5), around.Value(17.5 / 21)}, "about zero there is a zero")
	far := Input{Lower: 1e9, Upper: 1e9 + 0.01, Step: 0.001}
	assert.Equal(t, 11, far.Levels())
	assert.Equal(t, 1e9+0.003, far.Value(3.5/11), "far from zero no level is lost")
	assert.Equal(t, 0.5*2+2, Input{Lower: 1, Upper: 9, Step: 2}.Value(0.3))
}

func TestLogScaleHasEqualRatios(t *testing.T) {
	t.Parallel()
	in := Input{Lower: 1, Upper: 100, Log: true}
	assert.InDelta(t, 10, in.Value(0.5), 1e-12)
	assert.InDelta(t, 0.5, in.Unit(10), 1e-12)
}

func TestThereAndBack(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		in := Input{Lower: rapid.Float64Range(0.001, 10).Draw(t, "lower"), Log: rapid.Bool().Draw(t, "log")}
		in.Upper = in.Lower + rapid.Float64Range(0.1, 100).Draw(t, "width")
		if n := rapid.IntRange(0, 9).Draw(t, "steps"); n > 0 {
			in.Step = (in.Upper - in.Lower) / float64(n)
		}
		value := in.Value(rapid.Float64Range(0, 1).Draw(t, "u"))
		if again := in.Value(in.Unit(value)); math.Abs(again-value) > 1e-9*math.Abs(value) {
			t.Fatalf("%v: %g comes back as %g", in, value, again)
		}
	})
}

func TestSize(t *testing.T) {
	t.Parallel()
	assert.Equal(t, 30.0, Space{{Lower: 1, Upper: 6, Step: 1}, {Lower: 0, Upper: 1, Step: 0.25}}.Size())
	assert.True(t, math.IsInf(Space{{Lower: 1, Upper: 6}}.Size(), 1))
}

func TestListsOfValues(t *testing.T) {
	t.Parallel()
	in := Input{Name: "plate", Values: []float64{5, 6, 8, 12}}
	counts := map[float64]int{}
	for i := range 400 {
		counts[in.Value((float64(i)+0.5)/400)]++
	}
	assert.Equal(t, map[float64]int{5: 100, 6: 100, 8: 100, 12: 100}, counts, "even samples stay even")
	for _, value := range in.Values {
		assert.Equal(t, value, in.Value(in.Unit(value)))
	}
	assert.Equal(t, in.Unit(8), in.Unit(9.9), "the nearest of them")
	assert.Equal(t, in.Unit(12), in.Unit(99))
	assert.Equal(t, 4.0, Space{in}.Size())
	assert.NoError(t, Space{in}.Check())
	assert.Error(t, Space{{Values: []float64{2, 1}}}.Check())
}

// What a point of the cube becomes is a design of the space, whatever its inputs are.
func TestEveryPointIsADesignOfItsSpace(t *testing.T) {
	t.Parallel()
	all := Space{{Lower: -0.1, Upper: 0.7}, {Lower: 1e-3, Upper: 9, Log: true}, {Lower: 0.1, Upper: 0.7, Step: 0.1}, {Lower: 1, Upper: 64, Step: 3, Log: true}, {Values: []float64{-2, 0.3, 7}}, {Values: []float64{0, 1, 2}, Unordered: true}}
	rapid.Check(t, func(t *rapid.T) {
		point := rapid.SliceOfN(rapid.Float64Range(0, 1), len(all), len(all)).Draw(t, "point")
		design := all.Design(point)
		if !all.Contains(design) || !all.Contains(all.Design(all.Point(design))) {
			t.Fatalf("%v is not contained", design)
		}
	})
	for i, wrong := range []core.Design{{0.71, 1, 0.1, 1, 0.3, 0}, {0, 1e-4, 0.1, 1, 0.3, 0}, {0, 1, 0.15, 1, 0.3, 0}, {0, 1, 0.1, 2, 0.3, 0}, {0, 1, 0.1, 1, 0.4, 0}, {0, 1, 0.1, 1, 0.3, 3}, {math.NaN(), 1, 0.1, 1, 0.3, 0}, {0, math.Inf(1), 0.1, 1, 0.3, 0}} {
		if all.Contains(wrong) {
			t.Errorf("design %d is taken for one of the space: %v", i, wrong)
		}
	}
}
