package plan

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLatinHypercubeHasOnePointInEachPart(t *testing.T) {
	points := LatinHypercube(NewRand(1), 40, 5)
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
	points, err := Sobol(nil, 5, 3)
	require.NoError(t, err)
	assert.Equal(t, [][]float64{{0, 0, 0}, {0.5, 0.5, 0.5}, {0.75, 0.25, 0.25}, {0.25, 0.75, 0.75}, {0.375, 0.375, 0.625}}, points)
}

func TestSobolIsBalancedInEveryDimension(t *testing.T) {
	for _, shifted := range []bool{false, true} {
		r := NewRand(3)
		if !shifted {
			r = nil
		}
		points, err := Sobol(r, 256, MaxSobolInputs)
		require.NoError(t, err)
		for j := range MaxSobolInputs {
			seen := map[int]bool{}
			for _, point := range points {
				seen[int(point[j]*256)] = true
			}
			assert.Len(t, seen, 256, "dimension %d", j+1)
		}
	}
	_, err := Sobol(nil, 8, MaxSobolInputs+1)
	assert.ErrorContains(t, err, "at most 256 inputs")
}

func TestSobolIntegratesBetterThanChance(t *testing.T) {
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
	sobol, err := Sobol(NewRand(1), 4096, 6)
	require.NoError(t, err)
	assert.Less(t, integrate(sobol), 0.2*integrate(Random(NewRand(1), 4096, 6)))
}

func TestSeeds(t *testing.T) {
	assert.Equal(t, Random(NewRand(5), 3, 2), Random(NewRand(5), 3, 2))
	assert.NotEqual(t, LatinHypercube(NewRand(5), 3, 2), LatinHypercube(NewRand(6), 3, 2))
}
