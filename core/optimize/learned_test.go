package optimize_test

import (
	"encoding/json"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/core/published"
	"ropebench/core/space"
)

// used runs SQP on a smooth example from a start, and gives its answer and what it has cost, derivatives included.
func used(t *testing.T, s published.Smooth, p optimize.Problem, start core.Design, learned *optimize.Learned) (optimize.Result, int) {
	m, err := s.Model()
	require.NoError(t, err)
	r, err := optimize.SQP(t.Context(), p, m, optimize.Options{Seed: 1, Budget: 400, Start: start, Effort: optimize.Quick, Learned: learned}, nil)
	require.NoError(t, err)
	return r, m.Asked
}

// Where the limits have moved, a search that begins with what an earlier one has learned of the curvature is shorter, and ends at the
// same place.
func TestWhatWasLearnedShortensTheNextSearch(t *testing.T) {
	t.Parallel()
	cold, warm := 0, 0
	for _, s := range published.SmoothExamples {
		p := optimize.Problem{Space: s.Space(), Goal: s.Goal()}
		first, _ := used(t, s, p, s.Start, nil)
		if first.Learned == nil {
			continue
		}
		assert.Positive(t, first.Learned.Radius, s.Name)
		moved := p
		moved.Goal.Constraints = slices.Clone(p.Goal.Constraints)
		for i := range moved.Goal.Constraints {
			if limit := &moved.Goal.Constraints[i].Limit; limit.Lower == 0 && math.IsInf(limit.Upper, 1) {
				limit.Lower = 0.05
			}
		}
		anew, spent := used(t, s, moved, first.Best.Design, nil)
		again, spentWarm := used(t, s, moved, first.Best.Design, first.Learned)
		assert.InDelta(t, anew.Best.Outcome.Values[0], again.Best.Outcome.Values[0], 1e-5*math.Max(1, math.Abs(anew.Best.Outcome.Values[0])), s.Name)
		cold, warm = cold+spent, warm+spentWarm
	}
	assert.Less(t, float64(warm), 0.9*float64(cold), "%d evaluations with, %d without", warm, cold)
}

// bowl is a long narrow one, at a slant.
func bowl(x core.Design) core.Outcome {
	sum := 0.0
	for j := range x {
		u := (x[j] - x[(j+1)%len(x)]) / math.Sqrt2
		sum += math.Pow(1e4, float64(j)/float64(len(x)-1)) * u * u
		sum += 1e-3 * (x[j] - 1) * (x[j] - 1)
	}
	return core.Outcome{Values: []float64{sum}}
}

func bowlOver(lower, upper float64) optimize.Problem {
	p := optimize.Problem{Goal: core.Goal{Objectives: []core.Objective{{Value: 0}}}}
	for _, name := range []string{"a", "b", "c", "d", "e"} {
		p.Space = append(p.Space, space.Input{Name: name, Lower: lower, Upper: upper})
	}
	return p
}

func TestSamplesBeginWithTheShapeOfEarlierOnes(t *testing.T) {
	t.Parallel()
	search := func(p optimize.Problem, learned *optimize.Learned) (optimize.Result, int) {
		asked, reached := 0, 0
		e := core.EvaluatorFunc(func(x core.Design) core.Outcome {
			asked++
			outcome := bowl(x)
			if reached == 0 && outcome.Values[0] < 1e-6 {
				reached = asked
			}
			return outcome
		})
		r, err := optimize.CMAES(t.Context(), p, e, optimize.Options{Seed: 3, Budget: 4000, Start: core.Design{-1, 2, 1, -2, 0.5}, Learned: learned}, nil)
		require.NoError(t, err)
		require.Positive(t, reached)
		return r, reached
	}
	first, cold := search(bowlOver(-3, 5), nil)
	require.NotNil(t, first.Learned)
	text, err := json.Marshal(first.Learned)
	require.NoError(t, err)
	var kept optimize.Learned
	require.NoError(t, json.Unmarshal(text, &kept))
	_, warm := search(bowlOver(-4, 4), &kept)
	assert.Less(t, float64(warm), 0.8*float64(cold))
	stranger := kept
	stranger.Inputs = []string{"a", "b", "c", "d", "f"}
	_, other := search(bowlOver(-3, 5), &stranger)
	assert.Equal(t, cold, other, "what was learned of other inputs is left")
}
