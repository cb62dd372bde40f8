package plan

import (
	"context"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
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
	_, err := Sobol(t.Context(), nil, []int{8}, make([]int, MaxSobolInputs+1))
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
	want := map[string][2]bool{"random": {false, false}, "latin-hypercube": {true, false}, "maximin-latin-hypercube": {true, false}, "sobol": {true, true}}
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
	_, err := LatinHypercube(ctx, NewRand(1), []int{3 * looksAfter}, []int{0})
	assert.ErrorIs(t, err, context.Canceled)
}

// Every pair of the first ten coordinates is the net that its direction numbers promise: t is the least number for which every elementary
// interval of 2^t points has them.
func TestPairsOfSobolAreNets(t *testing.T) {
	t.Parallel()
	const m, d = 8, 10
	v, err := directions()
	require.NoError(t, err)
	for _, seed := range []uint64{1, 2} {
		points := all(t, Sobol, NewRand(seed), 1<<m, make([]int, d))
		for a := range d {
			for b := range a {
				promised := promisedT(v[a], v[b], m)
				assert.LessOrEqual(t, promised, 4, "%d and %d", a+1, b+1)
				for k := range m - promised + 1 {
					counts := map[[2]int]int{}
					for _, x := range points {
						counts[[2]int{int(x[a] * float64(int(1)<<k)), int(x[b] * float64(int(1)<<(m-promised-k)))}]++
					}
					require.Len(t, counts, 1<<(m-promised), "%d and %d", a+1, b+1)
					for _, n := range counts {
						require.Equal(t, 1<<promised, n)
					}
				}
			}
		}
	}
}

// promisedT is that of a pair: the first k digits of one coordinate and the first m-t-k of the other are independent, for every k.
func promisedT(a, b [sobolBits]uint32, m int) int {
	for t := range m {
		independent := true
		for k := range m - t + 1 {
			var rows []uint32
			for i := range m - t {
				of, digit := a, i
				if i >= k {
					of, digit = b, i-k
				}
				row := uint32(0)
				for column := range m {
					row |= of[column] >> (sobolBits - 1 - digit) & 1 << column
				}
				rows = append(rows, row)
			}
			independent = independent && rank(rows) == len(rows)
		}
		if independent {
			return t
		}
	}
	return m
}

func rank(rows []uint32) int {
	n := 0
	for bit := range sobolBits {
		for i := n; i < len(rows); i++ {
			if rows[i]>>bit&1 == 1 {
				rows[n], rows[i] = rows[i], rows[n]
				for k := range rows {
					if k != n && rows[k]>>bit&1 == 1 {
						rows[k] ^= rows[n]
					}
				}
				n++
				break
			}
		}
	}
	return n
}

// The centred discrepancy (F. J. Hickernell, Mathematics of Computation 67 (1998)) falls about as 1/n, that of random points as its root.
func TestDiscrepancyOfSobolFallsFaster(t *testing.T) {
	t.Parallel()
	falls := func(plan Plan) float64 {
		few, many := 0.0, 0.0
		for seed := range uint64(5) {
			few += centredDiscrepancy(all(t, plan, NewRand(seed), 64, make([]int, 4)))
			many += centredDiscrepancy(all(t, plan, NewRand(seed), 1024, make([]int, 4)))
		}
		return few / many
	}
	assert.Greater(t, falls(Sobol), 9.0) // 16 times the points
	assert.Less(t, falls(Random), 6.0)
}

func centredDiscrepancy(points [][]float64) float64 {
	n, d := float64(len(points)), len(points[0])
	square := math.Pow(13.0/12, float64(d))
	for _, x := range points {
		product := 1.0
		for _, u := range x {
			z := math.Abs(u - 0.5)
			product *= 1 + z/2 - z*z/2
		}
		square -= 2 / n * product
		for _, y := range points {
			product := 1.0
			for j, u := range x {
				product *= 1 + math.Abs(u-0.5)/2 + math.Abs(y[j]-0.5)/2 - math.Abs(u-y[j])/2
			}
			square += product / n / n
		}
	}
	return math.Sqrt(square)
}

// Whatever the plan, after each stage each level has as many points as any other, or one more, also where there are more levels than points.
func TestEveryPlanIsBalancedOverLevelsAfterEachStage(t *testing.T) {
	t.Parallel()
	stages, levels := []int{13, 9, 30}, []int{5, 0, 3, 40}
	for name, plan := range Plans {
		next, err := plan(t.Context(), NewRand(4), stages, levels)
		require.NoError(t, err)
		counts := make([]map[int]int, len(levels))
		for j, count := range levels {
			counts[j] = map[int]int{}
			for level := range count {
				counts[j][level] = 0
			}
		}
		for _, n := range stages {
			for range n {
				point, err := next()
				require.NoError(t, err)
				for j, count := range levels {
					counts[j][int(point[j]*float64(count))]++
				}
			}
			for _, j := range []int{0, 2, 3} {
				all := slices.Sorted(maps.Values(counts[j]))
				assert.LessOrEqual(t, all[len(all)-1]-all[0], 1, "%s, coordinate %d: %v", name, j+1, counts[j])
			}
		}
	}
}

// A plan that is continued begins as it did, and one that is doubled has one point in each part again.
func TestPlansAreContinued(t *testing.T) {
	t.Parallel()
	for name, plan := range Plans {
		once := all(t, plan, NewRand(6), 16, []int{0, 0, 4})
		next, err := plan(t.Context(), NewRand(6), []int{16, 16}, []int{0, 0, 4})
		require.NoError(t, err)
		var points [][]float64
		for range 32 {
			point, err := next()
			require.NoError(t, err)
			points = append(points, point)
		}
		assert.Equal(t, once, points[:16], name)
		if name == "random" {
			continue
		}
		for j := range 2 {
			seen := map[int]bool{}
			for _, x := range points {
				seen[int(x[j]*32)] = true
			}
			assert.Len(t, seen, 32, "%s, coordinate %d", name, j+1)
		}
	}
}

func leastDistance(points [][]float64) float64 {
	least := math.Inf(1)
	for a := range points {
		for b := range a {
			square := 0.0
			for j, u := range points[a] {
				square += (u - points[b][j]) * (u - points[b][j])
			}
			least = min(least, math.Sqrt(square))
		}
	}
	return least
}

// The points of a maximin plan keep away from each other, and those that are added keep away from those before.
func TestMaximinPlansKeepTheirPointsApart(t *testing.T) {
	t.Parallel()
	far, near := 0.0, 0.0
	for seed := range uint64(5) {
		far += leastDistance(all(t, MaximinLatinHypercube, NewRand(seed), 40, make([]int, 4)))
		near += leastDistance(all(t, LatinHypercube, NewRand(seed), 40, make([]int, 4)))
	}
	assert.Greater(t, far, 2*near)
	continued := func(plan Plan) (points [][]float64) {
		next, err := plan(t.Context(), NewRand(2), []int{20, 20}, make([]int, 4))
		require.NoError(t, err)
		for range 40 {
			point, err := next()
			require.NoError(t, err)
			points = append(points, point)
		}
		return points
	}
	assert.Greater(t, leastDistance(continued(MaximinLatinHypercube)), 1.4*leastDistance(continued(LatinHypercube)))
	_, err := MaximinLatinHypercube(t.Context(), NewRand(1), []int{MostMaximin, 1}, []int{0})
	assert.ErrorContains(t, err, "at most 2000 points, not 2001")
}

func all(t *testing.T, plan Plan, r *rand.Rand, n int, levels []int) [][]float64 {
	points, err := All(t.Context(), plan, r, n, levels)
	require.NoError(t, err)
	return points
}
