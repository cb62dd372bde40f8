package report

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAHistoryHasTheBestSoFar(t *testing.T) {
	t.Parallel()
	marks := []Mark{{Evaluation: 1, X: 1, Y: 5}, {Evaluation: 2, X: 2, Y: 7, Feasible: true}, {Evaluation: 3, X: 3, Y: 9, Feasible: true}, {Evaluation: 5, X: 5, Y: 6.5, Feasible: true}}
	texts, table := drawn(t, History(cost, false, marks))
	for _, words := range []string{"cost [EUR]", "evaluation", "feasible", "not feasible", "best feasible one so far"} {
		assert.Contains(t, texts, words)
	}
	assert.Equal(t, "evaluation,feasible,cost [EUR],best so far\n1,false,5,\n2,true,7,7\n3,true,9,7\n5,true,6.5,6.5\n", table)
	_, table = drawn(t, History(cost, true, marks))
	assert.Contains(t, table, "5,true,6.5,9\n", "the most is asked for")
	_, table = drawn(t, History(cost, false, marks[:1]))
	assert.Equal(t, "evaluation,feasible,cost [EUR],best so far\n1,false,5,\n", table, "nothing is feasible")
}

func TestMarginsThatAreFarAreSaid(t *testing.T) {
	t.Parallel()
	f := Margins([]Margin{{Requirement: "R1", Candidate: 1.23, Nominal: -779.4, Reserve: 4}, {Requirement: "R2", Candidate: 250, Nominal: math.NaN()}})
	texts, table := drawn(t, f)
	for _, words := range []string{"R1", "R2", "candidate", "nominal design", "reserve asked for", "limit", "← -779 %", "250 % →", "margin [% of the limit]"} {
		assert.Contains(t, texts, words)
	}
	assert.Contains(t, table, "R2,250,,0\n", "what is not known stays away")
	assert.Greater(t, Margins(make([]Margin, 20)).Height, f.Height, "each has its row")
}

func TestACurveStandsBesideThatOfTheNominalDesign(t *testing.T) {
	t.Parallel()
	x := Axis{Name: "time", Unit: "s"}
	candidate := Line{Name: "light", X: []float64{0, 1, 2}, Y: []float64{0, 1.5, math.NaN()}}
	texts, table := drawn(t, Beside(x, peak, candidate, Line{Name: "nominal design", X: []float64{0, 1}, Y: []float64{0, 2.6}}, []Limit{{Words: "R1 2.5 g", At: 2.5}}))
	for _, words := range []string{"light", "nominal design", "time [s]", "peak_g [g]", "R1 2.5 g"} {
		assert.Contains(t, texts, words)
	}
	assert.Contains(t, table, "nominal design,1,2.6\nlight,0,0\n")
	texts, _ = drawn(t, Beside(x, peak, candidate, Line{Name: "nominal design"}, nil))
	assert.NotContains(t, strings.Join(texts, " "), "nominal", "what is not drawn is not named")
}

func TestCountsOfDrawsReachFromTheLeastToTheMost(t *testing.T) {
	t.Parallel()
	texts, table := drawn(t, Counted(peak, 1, 3, []int{4, 0, 6, 1}, []Limit{{Words: "R1", At: 2.9, Across: true}}))
	assert.Contains(t, texts, "draws")
	assert.Contains(t, texts, "R1", "beside its line, also at the edge")
	assert.Equal(t, "from,to,draws\n1,1.5,4\n1.5,2,0\n2,2.5,6\n2.5,3,1\n", table)
}

func TestALongNameDoesNotPushAFigureAway(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("expected(torque) + ", 5)
	texts, table := drawn(t, History(Axis{Name: long, Unit: "Nm"}, false, []Mark{{Evaluation: 1, X: 1, Y: 3, Feasible: true}, {Evaluation: 2, X: 2, Y: 2, Feasible: true}}))
	assert.Contains(t, texts, "expected(torque) + expected(torque)…")
	assert.NotContains(t, texts, long)
	assert.Contains(t, table, long+" [Nm]", "its table has the whole name")
}
