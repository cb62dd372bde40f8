package plan

import (
	"fmt"
	"maps"
	"math"
	"math/bits"
)

// An Axis is what an arrangement knows of an input.
type Axis struct {
	Name   string
	Levels int     // how many values it can take; 0: any in between
	Words  bool    // its values are words, which have no order
	About  float64 // coordinate of the design about which one input at a time moves
}

// at is the coordinate of a share of the way from the lower to the upper end.
func (a Axis) at(share float64) float64 {
	if a.Levels == 0 {
		return share
	}
	return a.level(int(math.Round(share * float64(a.Levels-1))))
}

// level is the coordinate in the middle of the part of a level.
func (a Axis) level(k int) float64 { return (float64(k) + 0.5) / float64(a.Levels) }

// shares are so many shares of the way along an axis, or all its values where it has no more, or no order.
func (a Axis) shares(levels int) []float64 {
	if a.Levels > 0 && (a.Levels <= levels || a.Words) {
		levels = a.Levels
	}
	if levels == 1 {
		return []float64{0}
	}
	all := make([]float64, levels)
	for k := range all {
		all[k] = float64(k) / float64(levels-1)
	}
	return all
}

// An Arrangement is a plan whose number of points follows from its inputs: levels says how many values of each input it has, where
// it has any number of them. The function that it returns gives the i-th of count points, counted from 0.
type Arrangement func(axes []Axis, levels int) (count int, point func(i int) []float64, err error)

// Arrangements has them by their names in a bench file.
var Arrangements = map[string]Arrangement{"full-factorial": FullFactorial, "corners": Corners, "central-composite": CentralComposite,
	"box-behnken": BoxBehnken, "one-at-a-time": OneAtATime}

// TakesLevels has the arrangements of any number of levels, with the number where none is given.
var TakesLevels = map[string]int{"full-factorial": 3, "one-at-a-time": 2}

// mostArranged bounds the points of an arrangement.
const mostArranged = 100_000_000

// FullFactorial has every combination of levels of the inputs; the last input changes fastest.
func FullFactorial(axes []Axis, levels int) (count int, point func(i int) []float64, err error) {
	shares := make([][]float64, len(axes))
	count = 1
	for j, axis := range axes {
		shares[j] = axis.shares(levels)
		if count > mostArranged/len(shares[j]) {
			return 0, nil, fmt.Errorf("a plan of all combinations of %d inputs has more than %d points: hold some inputs, take fewer levels, or latin-hypercube", len(axes), mostArranged)
		}
		count *= len(shares[j])
	}
	return count, func(i int) []float64 {
		point := make([]float64, len(axes))
		for j := len(axes) - 1; j >= 0; j-- {
			n := len(shares[j])
			point[j] = axes[j].at(shares[j][i%n])
			i /= n
		}
		return point
	}, nil
}

// Corners has every combination of the ends of ranges, and of words.
func Corners(axes []Axis, _ int) (count int, point func(i int) []float64, err error) {
	return FullFactorial(axes, 2)
}

// listed is an arrangement of points that are written down as steps from the middle: -1, 0 or 1 for each input.
func listed(axes []Axis, steps [][]int8) (count int, point func(i int) []float64, err error) {
	return len(steps), func(i int) []float64 {
		point := make([]float64, len(axes))
		for j, step := range steps[i] {
			point[j] = axes[j].at(float64(step+1) / 2)
		}
		return point
	}, nil
}

func ordered(axes []Axis, plan string) error {
	for _, axis := range axes {
		if axis.Words {
			return fmt.Errorf("plan %s needs inputs with a middle, and the values of %s are words: hold it, or take full-factorial or latin-hypercube", plan, axis.Name)
		}
	}
	return nil
}

// mostComposite bounds the inputs of a central composite plan.
const mostComposite = 16

// CentralComposite has the corners, the middles of the faces and the centre of the range of all inputs; from five inputs on it has
// a fraction of the corners, of resolution V, so that no two effects of one or two inputs look the same (G. E. P. Box, K. B.
// Wilson, J. R. Statist. Soc. B 13 (1951); G. E. P. Box, J. S. Hunter, Technometrics 3 (1961)).
func CentralComposite(axes []Axis, _ int) (count int, point func(i int) []float64, err error) {
	d := len(axes)
	if err := ordered(axes, "central-composite"); err != nil {
		return 0, nil, err
	}
	if d > mostComposite {
		return 0, nil, fmt.Errorf("plan central-composite is for at most %d inputs, and %d are varied: hold some, or take latin-hypercube", mostComposite, d)
	}
	masks := fraction(d)
	var steps [][]int8
	for corner := range uint(1) << (bits.Len(masks[d-1])) {
		step := make([]int8, d)
		for j, mask := range masks {
			step[j] = int8(2*(bits.OnesCount(corner&mask)&1) - 1)
		}
		steps = append(steps, step)
	}
	for j := range d {
		for _, side := range []int8{-1, 1} {
			step := make([]int8, d)
			step[j] = side
			steps = append(steps, step)
		}
	}
	return listed(axes, append(steps, make([]int8, d)))
}

// fraction gives each of d inputs the factors whose product it is, as a mask, such that no product of up to four inputs is constant: the
// fraction has resolution V. The masks ascend; each is the smallest possible.
func fraction(d int) []uint {
	var masks []uint
	sums := map[uint]int{0: 0} // of up to three inputs, with the least number of them
	for next := uint(1); len(masks) < d; next++ {
		if _, constant := sums[next]; constant {
			continue
		}
		masks = append(masks, next)
		for sum, n := range maps.Clone(sums) {
			if n < 3 {
				if known, has := sums[sum^next]; !has || n+1 < known {
					sums[sum^next] = n + 1
				}
			}
		}
	}
	return masks
}

// blocks are the inputs that move together, where it is more than any two (G. E. P. Box, D. W. Behnken, Technometrics 2 (1960)).
var blocks = map[int][][]int{
	6: {{0, 1, 3}, {1, 2, 4}, {2, 3, 5}, {0, 3, 4}, {1, 4, 5}, {0, 2, 5}},
	7: {{3, 4, 5}, {0, 5, 6}, {1, 4, 6}, {0, 1, 3}, {2, 3, 6}, {0, 2, 4}, {1, 2, 5}},
}

// BoxBehnken has three levels of each input and no corner: a few inputs at a time go to their ends while the others stay in the
// middle. There are blocks of three for six and seven inputs, and all pairs otherwise.
func BoxBehnken(axes []Axis, _ int) (count int, point func(i int) []float64, err error) {
	d := len(axes)
	if err := ordered(axes, "box-behnken"); err != nil {
		return 0, nil, err
	}
	if d < 3 {
		return 0, nil, fmt.Errorf("plan box-behnken needs at least 3 inputs, and %d moves: take central-composite", d)
	}
	together := blocks[d]
	if together == nil {
		for a := range d {
			for b := range a {
				together = append(together, []int{b, a})
			}
		}
	}
	var steps [][]int8
	for _, block := range together {
		for corner := range 1 << len(block) {
			step := make([]int8, d)
			for k, j := range block {
				step[j] = int8(2*(corner>>k&1) - 1)
			}
			steps = append(steps, step)
		}
	}
	return listed(axes, append(steps, make([]int8, d)))
}

// OneAtATime has the design about which inputs move, and so many values of each input over its range while the others stay.
func OneAtATime(axes []Axis, levels int) (count int, point func(i int) []float64, err error) {
	type move struct {
		axis int
		to   float64
	}
	var moves []move
	for j, axis := range axes {
		for _, share := range axis.shares(levels) {
			moves = append(moves, move{j, axis.at(share)})
		}
	}
	return 1 + len(moves), func(i int) []float64 {
		point := make([]float64, len(axes))
		for j, axis := range axes {
			point[j] = axis.About
		}
		if i > 0 {
			point[moves[i-1].axis] = moves[i-1].to
		}
		return point
	}, nil
}
