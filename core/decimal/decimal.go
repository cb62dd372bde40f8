// Package decimal computes with numbers as a person would who writes them down: 0.1 three times is 0.3.
package decimal

import (
	"math"
	"math/big"
	"strconv"
)

// Sum is the number nearest to the sum of the decimal numbers that a and b are written as.
func Sum(a, b float64) float64 { return nearest(new(big.Rat).Add(rational(a), rational(b))) }

// Difference is the same of a - b.
func Difference(a, b float64) float64 { return nearest(new(big.Rat).Sub(rational(a), rational(b))) }

// Share is the same of percent hundredths of a.
func Share(a, percent float64) float64 {
	return nearest(new(big.Rat).Quo(new(big.Rat).Mul(rational(a), rational(percent)), big.NewRat(100, 1)))
}

// Steps is how many steps lead from one number to another, all taken as the decimal numbers that they are written as. step is
// not 0.
func Steps(from, to, step float64) float64 {
	return nearest(new(big.Rat).Quo(new(big.Rat).Sub(rational(to), rational(from)), rational(step)))
}

// Step is the number nearest to from + k*step, both taken as the decimal numbers that they are written as.
func Step(from, step float64, k int) float64 {
	if places, power, ok := common(from, step); ok {
		if sum := places[0] + float64(k)*places[1]; exact(sum) && exact(float64(k)*places[1]) {
			return sum / power
		}
	}
	return nearest(new(big.Rat).Add(rational(from), new(big.Rat).Mul(rational(step), new(big.Rat).SetInt64(int64(k)))))
}

// Between is the number nearest to the i-th of n equal parts of the way from one number to another; the last is to itself.
// Where the two have more digits than anybody writes, it may be off by a rounding.
func Between(from, to float64, i, n int) float64 {
	if places, power, ok := common(from, to); ok {
		first, rest := places[0]*float64(n-i), places[1]*float64(i)
		if exact(first) && exact(rest) && exact(first+rest) && exact(power*float64(n)) {
			return (first + rest) / (power * float64(n))
		}
	}
	if i == n {
		return to
	}
	return from + (to-from)*float64(i)/float64(n)
}

// mostPlaces is the largest power of ten that a float64 holds exactly.
const mostPlaces = 22

func exact(whole float64) bool { return math.Abs(whole) < 1<<53 }

// common writes two numbers as whole ones over one power of ten. ok is false where those are too large to be exact.
func common(a, b float64) (wholes [2]float64, power float64, ok bool) {
	power = 1
	for range mostPlaces + 1 {
		wholes = [2]float64{math.Round(a * power), math.Round(b * power)}
		if !exact(wholes[0]) || !exact(wholes[1]) {
			return wholes, power, false
		}
		if wholes[0]/power == a && wholes[1]/power == b { // each side rounds once, so that this is their shortest writing
			return wholes, power, true
		}
		power *= 10
	}
	return wholes, power, false
}

// rational is the decimal number that a finite float64 is written as, with as few digits as tell it apart.
func rational(x float64) *big.Rat {
	r, ok := new(big.Rat).SetString(strconv.FormatFloat(x, 'g', -1, 64))
	if !ok { // x is not finite: the callers check their numbers
		return new(big.Rat)
	}
	return r
}

func nearest(r *big.Rat) float64 {
	x, _ := r.Float64()
	return x
}
