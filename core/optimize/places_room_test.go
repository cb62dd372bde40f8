package optimize

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// Where places stand all over the range of the one input, a start between them is given all the same.
func TestPlacesThatLeaveNoRoom(t *testing.T) {
	t.Parallel()
	s := newSearch(Problem{Space: space.Space{{Name: "x", Lower: 0, Upper: 1}}}, core.EvaluatorFunc(func(core.Design) core.Outcome { return core.Outcome{Values: []float64{1}} }), Options{Budget: 10}, nil, 0)
	k := &looker{landscape: s.landscape(Problem{Space: s.space}, Options{}), basins: &basins{}, rand: plan.NewRand(1), plan: &pool{}}
	for i := range 201 {
		k.found = append(k.found, basin{ending: ending{place: place{trial: trial{point: []float64{float64(i) / 200}}}}})
	}
	for range 20 {
		start := k.mixed()
		assert.True(t, start[0] >= 0 && start[0] <= 1)
	}
}
