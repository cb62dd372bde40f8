package plan

import (
	"context"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLatinHypercubeHasOnePointInEachPart(t *testing.T) {
	t.Parallel()
	points := all(t, LatinHypercube, NewRand(1), 40, make([]int, 5))
	for j := range 5 {
		seen := map[int]bool{}
		for _, point := range points {
			seen[int(point[j]*40)] = true
		}
		assert.Len(t, seen, 40)
	}
}

// The first points of the sequence in Gray-code order, by hand from the direction numbers of three dimensions.
func TestSobolStartsAsPublished(t *testing.T) {
	t.Parallel()
	points := all(t, Sobol, nil, 5, make([]int, 3))
	assert.Equal(t, [][]float64{{0, 0, 0}, {0.5, 0.5, 0.5}, {0.75, 0.25, 0.25}, {0.25, 0.75, 0.75}, {0.375, 0.375, 0.625}}, points)
}

func TestSobolIsBalancedInEveryDimension(t *testing.T) {
	t.Parallel()
	for _, shifted := range []bool{false, true} {
		r := NewRand(3)
		if !shifted {
			r = nil
		}
		points := all(t, Sobol, r, 256, make([]int, MaxSobolInputs))
		for j := range MaxSobolInputs {
			seen := map[int]bool{}
			for _, point := range points {
				seen[int(point[j]*256)] = true
			}
			assert.Len(t, seen, 256, "dimension %d", j+1)
		}
	}
	_, err := Sobol(t.Context(), nil, 8, make([]int, MaxSobolInputs+1))
	assert.ErrorContains(t, err, "at most 256 inputs")
}

func TestSobolIntegratesBetterThanChance(t *testing.T) {
	t.Parallel()
	integrate := func(points [][]float64) float64 {
		sum := 0.0
		for _, x := range points {
			product := 1.0
			for _, v := range x {
				product *= 2 * v
			}
			sum += product / float64(len(points))
		}
		return math.Abs(sum - 1)
	}
	sobol, random := all(t, Sobol, NewRand(1), 4096, make([]int, 6)), all(t, Random, NewRand(1), 4096, make([]int, 6))
	assert.Less(t, integrate(sobol), 0.2*integrate(random))
}

// Each plan is known by what it spreads evenly: 256 points in the parts of one coordinate, and in those of two.
func TestPlansAreWhatTheyAreCalled(t *testing.T) {
	t.Parallel()
	filled := func(points [][]float64, parts int) (along, boxes int) {
		lines, squares := map[int]bool{}, map[[2]int]bool{}
		for _, x := range points {
			lines[int(x[0]*256)] = true
			squares[[2]int{int(x[0] * float64(parts)), int(x[1] * float64(parts))}] = true
		}
		return len(lines), len(squares)
	}
	want := map[string][2]bool{"random": {false, false}, "latin-hypercube": {true, false}, "sobol": {true, true}}
	require.Len(t, Plans, len(want), "a new plan is to be told from the others")
	for name, even := range want {
		for seed := range uint64(3) {
			points := all(t, Plans[name], NewRand(seed), 256, []int{0, 0})
			along, boxes := filled(points, 16)
			assert.Equal(t, even, [2]bool{along == 256, boxes == 256}, "%s, seed %d", name, seed)
		}
	}
}

// A seed shifts the sequence: no two seeds have a point in common, and none begins at the corner.
func TestSobolIsShiftedBySeeds(t *testing.T) {
	t.Parallel()
	seen := map[[2]float64]uint64{{0, 0}: 99}
	for seed := range uint64(4) {
		points := all(t, Plans["sobol"], NewRand(seed), 64, []int{0, 0})
		for _, x := range points {
			other, known := seen[[2]float64(x)]
			require.False(t, known, "seeds %d and %d", seed, other)
			seen[[2]float64(x)] = seed
		}
	}
}

// Each level of a stepped coordinate has as many points as any other, or one more, and which have is drawn.
func TestLatinHypercubesAreBalancedOverLevels(t *testing.T) {
	t.Parallel()
	more := map[int]bool{}
	for seed := range uint64(20) {
		counts := [2]map[int]int{{}, {}}
		for _, point := range all(t, LatinHypercube, NewRand(seed), 12, []int{5, 40}) {
			counts[0][int(point[0]*5)]++
			counts[1][int(point[1]*40)]++
		}
		require.Len(t, counts[0], 5)
		for level, n := range counts[0] {
			assert.Contains(t, []int{2, 3}, n, "level %d", level)
			more[level] = more[level] || n == 3
		}
		assert.Len(t, counts[1], 12, "more levels than points: no level twice")
	}
	assert.Len(t, more, 5)
	for level := range more {
		assert.True(t, more[level], "level %d", level)
	}
}

func TestSeeds(t *testing.T) {
	t.Parallel()
	two := []int{0, 0}
	assert.Equal(t, all(t, Random, NewRand(5), 3, two), all(t, Random, NewRand(5), 3, two))
	assert.NotEqual(t, all(t, LatinHypercube, NewRand(5), 3, two), all(t, LatinHypercube, NewRand(6), 3, two))
}

// A plan that is not wanted any more ends while it is prepared.
func TestPlansEndWithTheirContext(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := LatinHypercube(ctx, NewRand(1), 3*looksAfter, []int{0})
	assert.ErrorIs(t, err, context.Canceled)
}

func all(t *testing.T, plan Plan, r *rand.Rand, n int, levels []int) [][]float64 {
	points, err := All(t.Context(), plan, r, n, levels)
	require.NoError(t, err)
	return points
}
