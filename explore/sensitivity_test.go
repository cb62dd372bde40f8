package explore

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core/optimize"
	"ropebench/core/sensitivity"
	"ropebench/core/space"
	"ropebench/model"
	"ropebench/result"
)

func TestAValueThatDoesNotMoveIsSaidSo(t *testing.T) {
	t.Parallel()
	x := Explorer{Subject: Subject{Problem: model.Problem{Problem: optimize.Problem{Space: space.Space{{Name: "a"}, {Name: "b"}}}}}}
	still := sensitivity.Effects{Used: 4}
	assert.Equal(t, "it is the same everywhere that was looked: no input moves it", x.Effects("k", []sensitivity.Effects{still, still}).Says)
	assert.Equal(t, noValues, x.Effects("k", make([]sensitivity.Effects, 2)).Says)
}

// By chance an index is estimated below 0, or what an input does alone above what it does with others.
func TestSharesOfVarianceAreWhatTheyCanBe(t *testing.T) {
	t.Parallel()
	x := Explorer{Subject: Subject{Problem: model.Problem{Problem: optimize.Problem{Space: space.Space{{Name: "a"}}}}}}
	var found result.Sensitivity
	found.Inputs = map[string]result.Influence{}
	x.enterIndices(&found, sensitivity.Indices{First: []sensitivity.Estimate{{Value: 0.5, From: -0.2, To: 1.1}}, Total: []sensitivity.Estimate{{Value: 0.4, From: 0.3, To: 0.6}}})
	a := found.Inputs["a"]
	assert.Equal(t, []float64{0.4, 0, 0.6}, []float64{*a.First, a.FirstLimits[0], a.FirstLimits[1]})
	assert.Equal(t, []float64{0.4, 0.3, 0.6}, []float64{*a.Total, a.TotalLimits[0], a.TotalLimits[1]})
}
