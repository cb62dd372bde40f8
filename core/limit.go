package core

import "math"

// A Limit is the interval in which a value must lie, ends included, with no tolerance behind it, and the reserve to
// be kept from its ends. An open side is infinite. A target value v within d is the interval [v-d, v+d].
type Limit struct {
	Lower, Upper float64
	Reserve      float64
}

// Margin is the distance from value to the nearer end of the limit, in the unit of the value, positive inside. A distance
// beyond the largest number is that number.
func (l Limit) Margin(value float64) float64 {
	return finite(math.Min(value-l.Lower, l.Upper-value))
}

// finite keeps NaN.
func finite(distance float64) float64 {
	switch {
	case distance > math.MaxFloat64:
		return math.MaxFloat64
	case distance < -math.MaxFloat64:
		return -math.MaxFloat64
	}
	return distance
}

// Violation is by how much value is outside the limit with its reserve taken off; 0 where limit and reserve are kept.
func (l Limit) Violation(value float64) float64 {
	return math.Max(0, finite(l.Reserve-l.Margin(value)))
}
