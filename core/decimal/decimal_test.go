package decimal

import (
	"math"
	"math/big"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestNumbersAreThoseThatAPersonWouldWrite(t *testing.T) {
	t.Parallel()
	assert.Equal(t, 0.0, Step(-1, 0.1, 10))
	assert.Equal(t, 0.3, Step(0, 0.1, 3))
	assert.Equal(t, 1e9+0.007, Step(1e9, 0.001, 7))
	assert.Equal(t, 3e-20, Step(1e-20, 1e-20, 2))
	assert.Equal(t, 0.4, Between(0, 0.4, 80, 80))
	assert.Equal(t, 0.285, Between(0, 0.4, 57, 80))
	assert.Equal(t, 1./3, Between(0, 1, 1, 3))
	assert.Equal(t, 0.88, Difference(1.1, Share(1.1, 20)))
	assert.Equal(t, 0.6, Difference(0.9, 0.3))
	assert.Equal(t, 0.3, Sum(0.1, 0.2))
	assert.Equal(t, 3.0, Steps(1e9, 1e9+0.003, 0.001))
}

// Step and Between take a short way where they can, which gives the same to the last bit as the long one.
func TestTheShortWayIsTheLongWay(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		written := func(name string) float64 {
			x, err := strconv.ParseFloat(strconv.Itoa(rapid.IntRange(-99_999, 99_999).Draw(t, name))+"e"+strconv.Itoa(rapid.IntRange(-12, 6).Draw(t, name+" places")), 64)
			assert.NoError(t, err)
			return x
		}
		a, b, n := written("a"), written("b"), rapid.IntRange(1, 1000).Draw(t, "n")
		i := rapid.IntRange(0, n).Draw(t, "i")
		want := new(big.Rat).Sub(rational(b), rational(a))
		want.Mul(want, big.NewRat(int64(i), int64(n)))
		between := Between(a, b, i, n)
		assert.InDelta(t, nearest(want.Add(want, rational(a))), between, 1e-15*(math.Abs(a)+math.Abs(b)))
		if math.Abs(a) < 1e3 && math.Abs(b) < 1e3 && math.Abs(a*1e6) == math.Trunc(math.Abs(a*1e6)) && math.Abs(b*1e6) == math.Trunc(math.Abs(b*1e6)) {
			assert.Equal(t, nearest(want), between)
		}
		sum := new(big.Rat).Mul(rational(b), big.NewRat(int64(i), 1))
		assert.Equal(t, nearest(sum.Add(sum, rational(a))), Step(a, b, i))
	})
}

func TestLongNumbersAreKept(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		a, b := rapid.Float64Range(-1e6, 1e6).Draw(t, "a"), rapid.Float64Range(-1e6, 1e6).Draw(t, "b")
		assert.Equal(t, a, Between(a, b, 0, 7))
		assert.Equal(t, b, Between(a, b, 7, 7))
		assert.InDelta(t, a+3*b, Step(a, b, 3), 1e-9*(1+math.Abs(a)+math.Abs(b)))
	})
}
