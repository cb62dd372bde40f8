package plan

import (
	"cmp"
	"context"
	_ "embed"
	"fmt"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"sync"
)

//go:embed sobol_directions.csv
var directionTable string

// MaxSobolInputs is the number of coordinates for which direction numbers are embedded.
const MaxSobolInputs = 256

const sobolBits = 32

// directions has the direction numbers of each coordinate, as fractions of 2^32. S. Joe and F. Y. Kuo, SIAM J. Sci.
// Comput. 30 (2008); the file names its source and licence.
var directions = sync.OnceValues(func() ([][sobolBits]uint32, error) {
	all := make([][sobolBits]uint32, 1, MaxSobolInputs)
	for k := range sobolBits {
		all[0][k] = 1 << (sobolBits - 1 - k)
	}
	for _, line := range strings.Split(directionTable, "\n") {
		if line == "" || line[0] < '0' || line[0] > '9' {
			continue
		}
		v, err := directionNumbers(line)
		if err != nil {
			return nil, fmt.Errorf("direction numbers, line %q: %w", line, err)
		}
		all = append(all, v)
	}
	return all, nil
})

func directionNumbers(line string) (v [sobolBits]uint32, err error) {
	var dimension, degree, a int
	var rest string
	fields := strings.SplitN(line, ",", 4)
	if len(fields) != 4 {
		return v, fmt.Errorf("want 4 fields, have %d", len(fields))
	}
	rest = fields[3]
	for i, into := range []*int{&dimension, &degree, &a} {
		if *into, err = strconv.Atoi(fields[i]); err != nil {
			return v, err
		}
	}
	for k, word := range strings.Fields(rest) {
		m, err := strconv.ParseUint(word, 10, 32)
		if err != nil {
			return v, err
		}
		v[k] = uint32(m) << (sobolBits - 1 - k)
	}
	for k := degree; k < sobolBits; k++ {
		v[k] = v[k-degree] ^ v[k-degree]>>degree
		for j := 1; j < degree; j++ {
			if a>>(degree-1-j)&1 == 1 {
				v[k] ^= v[k-j]
			}
		}
	}
	return v, nil
}

// Sobol gives the first points of the Sobol' sequence, for at most MaxSobolInputs coordinates, in Gray-code order. With a
// generator, every coordinate is scrambled: its direction numbers are multiplied by a random triangular matrix, and it is shifted by
// random bits, which keeps the balance of the sequence and gives each seed a plan of its own; without one the sequence starts at the
// origin. Levels are given out by the order of the points along the coordinate, so that they are in balance.
// I. M. Sobol', USSR Comput. Math. Math. Phys. 7 (1967); J. Matousek, Journal of Complexity 14 (1998).
func Sobol(ctx context.Context, r *rand.Rand, stages, levels []int) (next func() ([]float64, error), err error) {
	if d := len(levels); d > MaxSobolInputs {
		return nil, fmt.Errorf("a Sobol' sequence is available for at most %d inputs, not %d: vary fewer, or use a Latin hypercube", MaxSobolInputs, d)
	}
	v, err := directions()
	if err != nil {
		return nil, err
	}
	v = v[:len(levels)]
	state := make([]uint32, len(levels))
	if r != nil {
		v = scrambled(r, v)
		for j := range state {
			state[j] = r.Uint32()
		}
	}
	of := sequence{directions: v, state: state}
	return inStages(stages, len(levels), func(n int, before [][]float64) (func() []float64, error) {
		ranked, err := of.ranked(ctx, r, n, levels, before)
		if err != nil {
			return nil, err
		}
		i := -1
		return func() []float64 {
			i++
			of.advance()
			point := make([]float64, len(of.state))
			for j, count := range levels {
				if count > 0 {
					point[j] = ranked[j][i]
				} else {
					point[j] = float64(of.state[j]) / (1 << sobolBits)
				}
			}
			return point
		}, nil
	})
}

// A sequence goes from one point to the next.
type sequence struct {
	directions [][sobolBits]uint32
	state      []uint32 // of the point, as fractions of 2^32
	behind     uint32   // how many points were given
}

func (s *sequence) advance() {
	if s.behind > 0 {
		k := bits.TrailingZeros32(s.behind) // the Gray code of a number differs from that of the one before in this bit
		for j := range s.state {
			s.state[j] ^= s.directions[j][k]
		}
	}
	s.behind++
}

// ranked gives the coordinates that have levels to the next n points, by their order along the coordinate.
func (s sequence) ranked(ctx context.Context, r *rand.Rand, n int, levels []int, before [][]float64) ([][]float64, error) {
	all := make([][]float64, len(levels))
	if !slices.ContainsFunc(levels, func(count int) bool { return count > 0 }) {
		return all, nil
	}
	if r == nil {
		r = NewRand(0)
	}
	places := make([][]uint32, len(levels))
	s.state = slices.Clone(s.state)
	for range n {
		s.advance()
		for j, count := range levels {
			if count > 0 {
				places[j] = append(places[j], s.state[j])
			}
		}
	}
	for j, count := range levels {
		if count == 0 {
			continue
		}
		total := n + len(before[j])
		parts, err := shares(ctx, r, n, taken(count, parted(count, total), before[j]))
		if err != nil {
			return nil, err
		}
		slices.Sort(parts)
		order := make([]int32, n)
		for i := range order {
			order[i] = int32(i)
		}
		slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(places[j][a], places[j][b]) })
		all[j] = make([]float64, n)
		for rank, i := range order {
			all[j][i] = within(r, int(parts[rank]), count, total)
		}
	}
	return all, nil
}

// scrambled multiplies direction numbers by a random lower triangular matrix of bits with ones on its diagonal, one for each
// coordinate: a digit of a point is changed by the digits before it alone.
func scrambled(r *rand.Rand, v [][sobolBits]uint32) [][sobolBits]uint32 {
	all := make([][sobolBits]uint32, len(v))
	for j := range v {
		var rows [sobolBits]uint32 // which digits a digit is the sum of, the first digit being the highest bit
		for i := range rows {
			own := uint32(1) << (sobolBits - 1 - i)
			rows[i] = own | r.Uint32()&^(own|(own-1))
		}
		for k, number := range v[j] {
			for i, row := range rows {
				all[j][k] |= uint32(bits.OnesCount32(row&number)&1) << (sobolBits - 1 - i)
			}
		}
	}
	return all
}
