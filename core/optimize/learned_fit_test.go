package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core/space"
)

func TestWhatWasLearnedFollowsTheRanges(t *testing.T) {
	t.Parallel()
	curvature := func(k *Learned) [][]float64 { return k.Curvature }
	l := &landscape{search: &search{space: space.Space{{Name: "a", Lower: 0, Upper: 20}, {Name: "s", Lower: 0, Upper: 3, Step: 1}, {Name: "b", Lower: 1, Upper: 10, Log: true}}}, axes: []int{0, 2}}
	l.warm = &Learned{Inputs: []string{"a", "b"}, Widths: []float64{10, math.Log(100)}, Curvature: [][]float64{{3, 1}, {1, 2}}}
	assert.Equal(t, [][]float64{{12, 1}, {1, 0.5}}, l.fitted(curvature, 1), "twice the range has four times the curvature over the cube")
	assert.Equal(t, [][]float64{{0.75, 1}, {1, 8}}, l.fitted(curvature, -1))
	assert.Nil(t, l.fitted(func(k *Learned) [][]float64 { return k.Covariance }, -1))
	for kept, begins := range map[float64]float64{1e-9: leastWarmRadius, 0.1: 0.1, 7: mostRadius, 0: firstRadius} {
		l.warm.Radius = kept
		d := l.descent(firstRadius)
		d.beginWarm()
		assert.Equal(t, begins, d.radius, "a trust region that had become small or large is none to begin with")
	}
	l.warm.Widths[0] = 0
	assert.Nil(t, l.fitted(curvature, 1), "infinity does not travel on")
	l.warm.Inputs[1] = "c"
	assert.Nil(t, l.fitted(curvature, 1))
}
