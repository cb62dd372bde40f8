package plan

import (
	"context"
	_ "embed"
	"fmt"
	"math/bits"
	"math/rand/v2"
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
// generator, every coordinate is shifted by random bits (a digital shift), which keeps the balance of the sequence and gives each
// seed a plan of its own; without one the sequence starts at the origin.
// I. M. Sobol', USSR Comput. Math. Math. Phys. 7 (1967).
func Sobol(_ context.Context, r *rand.Rand, _ int, levels []int) (next func() []float64, err error) {
	if d := len(levels); d > MaxSobolInputs {
		return nil, fmt.Errorf("a Sobol' sequence is available for at most %d inputs, not %d: vary fewer, or use a Latin hypercube", MaxSobolInputs, d)
	}
	v, err := directions()
	if err != nil {
		return nil, err
	}
	state := make([]uint32, len(levels))
	if r != nil {
		for j := range state {
			state[j] = r.Uint32()
		}
	}
	i := -1
	return func() []float64 {
		if i++; i > 0 {
			k := bits.TrailingZeros32(uint32(i)) // the Gray code of i differs from that of i-1 in this bit
			for j := range state {
				state[j] ^= v[j][k]
			}
		}
		point := make([]float64, len(state))
		for j := range state {
			point[j] = float64(state[j]) / (1 << sobolBits)
		}
		return point
	}, nil
}
