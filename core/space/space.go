// Package space maps the varied inputs of a problem to the unit cube and back.
package space

import (
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/decimal"
)

// An Input is one varied input: a range, in the user's unit, that is continuous or stepped, or a list of values.
type Input struct {
	Name         string
	Lower, Upper float64
	Step         float64   // 0: continuous; else values are Lower, Lower+Step, ... up to Upper
	Log          bool      // equal distances in the unit cube are equal ratios
	Values       []float64 // all that it can be, ascending; nil: the range
	Unordered    bool      // the values are numbers of words, which are not near to each other
	// Traits has for each of Values numbers of one length in [0, 1] that tell how near it is to others; nil: the values do.
	Traits [][]float64
}

// A Space is the box of all designs, one axis for each varied input.
type Space []Input

// Check returns an error that names the first input whose range cannot be mapped.
func (s Space) Check() error {
	for _, in := range s {
		switch {
		case in.Values != nil:
			if !strictlyAscending(in.Values) {
				return fmt.Errorf("input %s: its values are not in ascending order", in.Name)
			}
		case !(in.Lower < in.Upper) || math.IsInf(in.Upper-in.Lower, 0):
			return fmt.Errorf("input %s: the range [%g, %g] is empty or not finite", in.Name, in.Lower, in.Upper)
		case in.Log && in.Lower <= 0:
			return fmt.Errorf("input %s: a logarithmic range needs a lower end above 0, not %g", in.Name, in.Lower)
		case in.Step < 0 || in.Step > in.Upper-in.Lower:
			return fmt.Errorf("input %s: step %g does not fit its range", in.Name, in.Step)
		}
	}
	return nil
}

func strictlyAscending(values []float64) bool {
	for i := range values {
		if i > 0 && !(values[i-1] < values[i]) {
			return false
		}
	}
	return len(values) > 0
}

// Levels is the number of values that a stepped input, or one with a list, can take; 0 for a continuous one.
func (in Input) Levels() int {
	switch {
	case in.Values != nil:
		return len(in.Values)
	case in.Step == 0:
		return 0
	}
	return int(math.Round((in.Upper-in.Lower)/in.Step)) + 1
}

// Value maps u in [0, 1] to the input's unit. 0 and 1 give the ends exactly. The unit interval of a stepped,
// linearly scaled input is cut into equal parts, one for each level, so that even samples stay even; on a
// logarithmic scale the nearest level is taken.
func (in Input) Value(u float64) float64 {
	u = math.Min(1, math.Max(0, u))
	n := in.Levels()
	if n > 0 && !in.Log {
		return in.level(min(n-1, int(u*float64(n))))
	}
	value := in.continuous(u)
	if n > 0 {
		return in.level(int(math.Round((value - in.Lower) / in.Step)))
	}
	return value
}

func (in Input) continuous(u float64) float64 {
	switch {
	case u == 0:
		return in.Lower
	case u == 1:
		return in.Upper
	case in.Log:
		return math.Min(in.Upper, math.Max(in.Lower, in.Lower*math.Exp(u*math.Log(in.Upper/in.Lower))))
	}
	return math.Min(in.Upper, in.Lower+u*(in.Upper-in.Lower))
}

// Slope is by how much the value of an input grows with its coordinate u in the unit interval: that of a list as its neighbors do.
func (in Input) Slope(u float64) float64 {
	if n := len(in.Values); n > 0 {
		at := in.Index(in.Value(u))
		below, above := max(0, at-1), min(n-1, at+1)
		if below == above {
			return 0
		}
		return (in.Values[above] - in.Values[below]) / float64(above-below) * float64(n)
	}
	if n := in.Levels(); n > 0 && !in.Log {
		return in.Step * float64(n)
	}
	if in.Log {
		return in.continuous(u) * math.Log(in.Upper/in.Lower)
	}
	return in.Upper - in.Lower
}

// level gives the k-th value, as a person would write it: 0.3, not 0.30000000000000004.
func (in Input) level(k int) float64 {
	n := in.Levels()
	if in.Values != nil {
		return in.Values[min(max(k, 0), n-1)]
	}
	if k <= 0 {
		return in.Lower
	}
	if k >= n-1 {
		return in.Upper
	}
	return decimal.Step(in.Lower, in.Step, k)
}

// Unit maps a value to [0, 1]; a stepped value to the middle of its part. Values outside the range go to the
// nearer end.
func (in Input) Unit(value float64) float64 {
	if in.Values != nil {
		return (float64(nearest(in.Values, value)) + 0.5) / float64(len(in.Values))
	}
	value = math.Min(in.Upper, math.Max(in.Lower, value))
	if n := in.Levels(); n > 0 && !in.Log {
		return (math.Round((value-in.Lower)/in.Step) + 0.5) / float64(n)
	}
	if in.Log {
		return math.Log(value/in.Lower) / math.Log(in.Upper/in.Lower)
	}
	return (value - in.Lower) / (in.Upper - in.Lower)
}

// Index is that of the value of a list that is nearest.
func (in Input) Index(value float64) int { return nearest(in.Values, value) }

// Share is how far a value is on the way from the lower end to the upper one, on the scale of the input: that of a list counts by
// its values. Outside the range it is below 0 or above 1.
func (in Input) Share(value float64) float64 {
	lower, upper := in.Lower, in.Upper
	if in.Values != nil {
		lower, upper = in.Values[0], in.Values[len(in.Values)-1]
		if lower == upper {
			return 0
		}
	}
	if in.Log {
		return math.Log(value/lower) / math.Log(upper/lower)
	}
	return (value - lower) / (upper - lower)
}

// nearest is the index of the value that is nearest, in ascending values.
func nearest(values []float64, value float64) int {
	above, _ := slices.BinarySearch(values, value)
	if above == 0 || above < len(values) && values[above]-value < value-values[above-1] {
		return above
	}
	return above - 1
}

// Contains is true for a design whose every value is one that its input can take.
func (s Space) Contains(design core.Design) bool {
	for i, in := range s {
		if in.Levels() > 0 && in.Value(in.Unit(design[i])) != design[i] || in.Values == nil && !(design[i] >= in.Lower && design[i] <= in.Upper) {
			return false
		}
	}
	return true
}

// Design maps a point of the unit cube, one coordinate for each input, to a design.
func (s Space) Design(point []float64) core.Design {
	design := make(core.Design, len(s))
	for i, in := range s {
		design[i] = in.Value(point[i])
	}
	return design
}

// Point maps a design into the unit cube: a coordinate for each input.
func (s Space) Point(design core.Design) []float64 {
	point := make([]float64, len(s))
	for i, in := range s {
		point[i] = in.Unit(design[i])
	}
	return point
}

// Levels lists for each input how many values it can take with equal chances; 0 for one that a plan spreads evenly.
func (s Space) Levels() []int {
	levels := make([]int, len(s))
	for i, in := range s {
		if !in.Log {
			levels[i] = in.Levels()
		}
	}
	return levels
}

// Size is the number of different designs, +Inf as soon as one input is continuous.
func (s Space) Size() float64 {
	size := 1.0
	for _, in := range s {
		if in.Levels() == 0 {
			return math.Inf(1)
		}
		size *= float64(in.Levels())
	}
	return size
}
