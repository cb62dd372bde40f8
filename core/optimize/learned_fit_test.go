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
	l.warm.Widths[0] = 0
	assert.Nil(t, l.fitted(curvature, 1), "infinity does not travel on")
	l.warm.Inputs[1] = "c"
	assert.Nil(t, l.fitted(curvature, 1))
}
