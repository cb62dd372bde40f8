package optimize

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// crowdOf are trials with two objectives and a limit on the third value.
func crowdOf(t *testing.T, values ...[]float64) (*landscape, []trial) {
	p := Problem{Space: space.Space{{Name: "a", Upper: 1}, {Name: "b", Lower: 1, Upper: 5, Step: 1}, {Name: "wood", Values: []float64{0, 1, 2}, Unordered: true}},
		Goal: core.Goal{Objectives: []core.Objective{{Value: 0}, {Value: 1, Maximize: true}}, Constraints: []core.Constraint{{Value: 2, Limit: core.Limit{Lower: math.Inf(-1), Upper: 0}}}}}
	next := 0
	e := core.EvaluatorFunc(func(core.Design) core.Outcome {
		next++
		if values[next-1] == nil {
			return core.Outcome{State: core.Failed}
		}
		return core.Outcome{Values: values[next-1]}
	})
	s := newSearch(p, e, Options{Budget: 100}, nil, 0)
	crowd, err := s.ask(t.Context(), plan.Draw(plan.NewRand(1), len(values), len(p.Space)))
	require.NoError(t, err)
	return s.landscape(p, Options{}), crowd
}

func TestACrowdStandsInLayersWithWhatMissesALimitBehind(t *testing.T) {
	t.Parallel()
	l, crowd := crowdOf(t,
		[]float64{1, 1, -1}, []float64{2, 5, -1}, []float64{4, 6, -1}, // the front: less of the first, more of the second
		[]float64{2, 0.5, -1}, // behind it
		[]float64{0, 9, 0.2}, []float64{0, 9, 0.1}, nil,
	)
	standings := l.standings(crowd)
	var layers []int
	for _, s := range standings {
		layers = append(layers, s.layer)
	}
	assert.Equal(t, []int{0, 0, 0, 1, 3, 2, 4}, layers, "what misses least comes first, what failed last")
	assert.True(t, math.IsInf(standings[0].crowding, 1) && math.IsInf(standings[2].crowding, 1), "the ends of the front are kept")
	assert.False(t, math.IsInf(standings[1].crowding, 1))
	assert.Equal(t, 3, onFront(crowd, standings))
	best := l.fittest(crowd, 4)
	assert.Equal(t, [][]float64{{1, 1, -1}, {4, 6, -1}, {2, 5, -1}, {2, 0.5, -1}}, [][]float64{best[0].outcome.Values, best[1].outcome.Values, best[2].outcome.Values, best[3].outcome.Values})
	assert.Len(t, l.fittest(crowd, 50), len(crowd))
}

func TestTournamentsAreWonByTheBetter(t *testing.T) {
	t.Parallel()
	standings := []standing{{layer: 0, crowding: 1}, {layer: 0, crowding: 3}, {layer: 1, crowding: 9}}
	wins := make([]int, 3)
	r := plan.NewRand(2)
	for range 9000 {
		wins[won(r, standings)]++
	}
	// of nine pairs, the second wins all five that it is in, the first three, the last only that against itself
	assert.InDelta(t, 5000, wins[1], 200)
	assert.InDelta(t, 3000, wins[0], 200)
	assert.InDelta(t, 1000, wins[2], 200)
}

func TestChildrenStandAboutTheirParentsAndInTheCube(t *testing.T) {
	t.Parallel()
	l, _ := crowdOf(t, []float64{1, 1, -1})
	r := plan.NewRand(3)
	a, b := []float64{0.02, 0.9, 0.1}, []float64{0.3, 0.5, 0.9}
	apart, moved, words := 0.0, 0, map[float64]bool{}
	const pairs = 4000
	for range pairs {
		c, d := l.crossed(r, a, b)
		for j := range c {
			require.True(t, c[j] >= 0 && c[j] <= 1 && d[j] >= 0 && d[j] <= 1)
		}
		words[c[2]] = true
		apart += (c[0] + d[0]) / 2 / pairs
		e := l.mutated(r, []float64{0.5, 0.5, 0.5})
		if e[0] != 0.5 || e[1] != 0.5 || e[2] != 0.5 {
			moved++
		}
		require.True(t, e[1] == 0.5 || math.Abs(e[1]-0.5) >= 0.2-1e-12 || e[1] == 0 || e[1] == 1, "a step is at least one level: %g", e[1])
	}
	assert.Equal(t, []float64{0.02, 0.9, 0.1}, a, "parents stay as they are")
	assert.InDelta(t, 0.16, apart, 0.02, "the middle of two children is about that of their parents")
	assert.Equal(t, map[float64]bool{0.1: true, 0.9: true}, words, "words are inherited, not mixed")
	assert.InDelta(t, 1-math.Pow(2.0/3, 3), float64(moved)/pairs, 0.05, "one coordinate of three on average")
}
