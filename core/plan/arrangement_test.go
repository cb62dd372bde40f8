package plan

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func axes(d int) []Axis {
	all := make([]Axis, d)
	for j := range all {
		all[j] = Axis{Name: fmt.Sprintf("x%d", j+1), About: 0.3}
	}
	return all
}

func arranged(t *testing.T, arrange Arrangement, axes []Axis, levels int) [][]float64 {
	count, point, err := arrange(axes, levels)
	require.NoError(t, err)
	points := make([][]float64, count)
	for i := range points {
		points[i] = point(i)
	}
	return points
}

func TestFullFactorialsHaveEveryCombination(t *testing.T) {
	t.Parallel()
	some := []Axis{{Levels: 4}, {}, {Levels: 5, Words: true}}
	points := arranged(t, FullFactorial, some, 3)
	seen := map[[3]float64]bool{}
	for _, x := range points {
		seen[[3]float64(x)] = true
	}
	assert.Len(t, points, 3*3*5, "of four levels three are taken, of words all")
	assert.Len(t, seen, len(points))
	assert.Equal(t, []float64{0.125, 0, 0.1}, points[0])
	assert.Equal(t, []float64{0.875, 1, 0.9}, points[len(points)-1])
	assert.Len(t, arranged(t, Corners, some, 0), 2*2*5)
	_, _, err := FullFactorial(axes(60), 3)
	assert.ErrorContains(t, err, "more than 100000000 points")
}

// A quadratic polynomial with all interactions can be told from the points: the columns of any two effects of one or two inputs are
// orthogonal over the corners.
func TestCentralCompositeTellsEffectsOfTwoInputsApart(t *testing.T) {
	t.Parallel()
	corners := map[int]int{2: 4, 3: 8, 4: 16, 5: 16, 6: 32, 7: 64, 8: 64, 9: 128, 10: 128}
	for d, want := range corners {
		points := arranged(t, CentralComposite, axes(d), 0)
		assert.Len(t, points, want+2*d+1, "%d inputs", d)
		var effects [][]float64
		for a := range d {
			for b := range a + 1 {
				column := make([]float64, want)
				for i, x := range points[:want] {
					if column[i] = 2*x[a] - 1; b < a {
						column[i] *= 2*x[b] - 1
					}
				}
				effects = append(effects, column)
			}
		}
		for p := range effects {
			for q := range p {
				sum := 0.0
				for i, u := range effects[p] {
					sum += u * effects[q][i]
				}
				assert.Zero(t, sum, "%d inputs", d)
			}
		}
	}
	_, _, err := CentralComposite([]Axis{{Name: "pad", Levels: 3, Words: true}}, 0)
	assert.ErrorContains(t, err, "the values of pad are words")
}

// Box-Behnken plans have three levels and no corner, and every pair of inputs goes to all four combinations of ends as often.
func TestBoxBehnkenIsBalanced(t *testing.T) {
	t.Parallel()
	count := map[int]int{3: 13, 4: 25, 5: 41, 6: 49, 7: 57, 8: 113}
	for d, want := range count {
		points := arranged(t, BoxBehnken, axes(d), 0)
		assert.Len(t, points, want)
		for _, x := range points {
			ends := 0
			for _, u := range x {
				assert.Contains(t, []float64{0, 0.5, 1}, u)
				if u != 0.5 {
					ends++
				}
			}
			assert.LessOrEqual(t, ends, 3)
			assert.Less(t, ends, d+1)
		}
		for a := range d {
			for b := range a {
				pairs := map[[2]float64]int{}
				for _, x := range points {
					if x[a] != 0.5 && x[b] != 0.5 {
						pairs[[2]float64{x[a], x[b]}]++
					}
				}
				require.Len(t, pairs, 4, "%d inputs: %d and %d", d, a, b)
				for _, n := range pairs {
					assert.Equal(t, pairs[[2]float64{0, 0}], n)
				}
			}
		}
	}
	_, _, err := BoxBehnken(axes(2), 0)
	assert.ErrorContains(t, err, "at least 3 inputs")
}

func TestOneInputMovesAtATime(t *testing.T) {
	t.Parallel()
	some := append(axes(2), Axis{Levels: 3, Words: true, About: 0.5})
	points := arranged(t, OneAtATime, some, 2)
	assert.Equal(t, [][]float64{{0.3, 0.3, 0.5}, {0, 0.3, 0.5}, {1, 0.3, 0.5}, {0.3, 0, 0.5}, {0.3, 1, 0.5}, {0.3, 0.3, 1.0 / 6}, {0.3, 0.3, 0.5}, {0.3, 0.3, 2.5 / 3}}, points)
}
