package cli

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/bench"
	"ropebench/result"
)

// aFront has so many designs, of which one is picked out.
func aFront(n, picked int) found {
	_, run := example()
	run.Tradeoff = &result.Tradeoff{Says: "designs of which none is better in all objectives", Objectives: []string{"mass", "bend"}, Count: n, Compromise: picked, Knee: true, Reference: []float64{90, 8}, Hypervolume: 1872.9}
	for k := range n {
		run.Front = append(run.Front, &result.Design{Evaluation: k + 1, Feasible: true, Values: map[string]float64{"mass": float64(10 + k), "bend": float64(12 + 2*k)},
			Inputs: map[string]bench.Value{"radius": bench.Number(0.1 + float64(k)/1000), "load": bench.Number(800), "speed": bench.Number(2)}})
	}
	return run
}

func TestAFrontIsListedWithItsEndsAndItsKnee(t *testing.T) {
	t.Parallel()
	text := rendered(func(v view) { v.front(aFront(40, 7)) })
	assert.Contains(t, text, "  Designs of which none is better in all objectives.\n")
	assert.Contains(t, text, "evaluation 7, the knee")
	for _, end := range []string{"evaluation 1 ", "evaluation 40 "} {
		assert.Contains(t, text, end)
	}
	assert.Equal(t, shownOfFront, strings.Count(text, "evaluation "))
	assert.Contains(t, text, "40 designs in all; `ropebench table 7 --only feasible` has every input.")
	assert.Contains(t, text, "hypervolume 1,873 up to mass 90 kg, bend 8")
	assert.Contains(t, text, "radius")
	assert.NotContains(t, text, "speed", "an input that is the same everywhere is left out")
	nearest := aFront(3, 2)
	nearest.Tradeoff.Knee = false
	text = rendered(func(v view) { v.front(nearest) })
	assert.Contains(t, text, "evaluation 2, nearest to all")
	assert.NotContains(t, text, "in all; ")
	assert.NotContains(t, rendered(func(v view) { v.front(aFront(1, 1)) }), "hypervolume", "one design is no front")
	_, none := example()
	assert.Empty(t, rendered(func(v view) { v.front(none) }))
}

func TestWhatIsShownOfAFrontStandsInItsOrder(t *testing.T) {
	t.Parallel()
	for n := 2; n < 60; n++ {
		for picked := 1; picked <= n; picked += 1 + n/7 {
			shown := alongFront(aFront(n, picked).Front, picked)
			name := fmt.Sprintf("%d of %d", picked, n)
			assert.Len(t, shown, min(n, shownOfFront), name)
			assert.Equal(t, []int{1, n}, []int{shown[0].Evaluation, shown[len(shown)-1].Evaluation}, name)
			seen := false
			for k, d := range shown {
				seen = seen || d.Evaluation == picked
				if k > 0 {
					assert.Greater(t, d.Evaluation, shown[k-1].Evaluation, name)
				}
			}
			assert.True(t, seen, name)
		}
	}
}

func TestCellsSayWhatIsInTheWay(t *testing.T) {
	t.Parallel()
	_, run := example()
	at := func(load float64) map[string]bench.Value { return map[string]bench.Value{"load": bench.Number(load)} }
	run.Cells = []result.Cell{
		{At: at(400), State: "finished", Used: 9, Best: run.Best},
		{At: at(800), State: "infeasible", Used: 0, Says: "R4 cannot be met, whatever the solver says"},
		{At: at(900), State: "infeasible", Used: 9, Says: "no feasible design"},
		{At: at(950), State: "failed", Used: 9},
	}
	text := rendered(func(v view) { v.cells(run) })
	assert.Regexp(t, `400 N +● +11\.8`, text)
	assert.Contains(t, text, "◇ R4 cannot be met, whatever the solver says")
	assert.Contains(t, text, "◇ no feasible design")
	assert.Regexp(t, `950 N +failed`, text)
	run.Cells = nil
	assert.Empty(t, rendered(func(v view) { v.cells(run) }))
}
