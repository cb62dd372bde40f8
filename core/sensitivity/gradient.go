package sensitivity

import (
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/space"
)

// A Probe is a pair of designs about another, on two sides of it along one input, or on one side where the other is outside.
type Probe struct {
	Input        int
	Below, Above core.Design
	Apart        float64 // in ranges
}

// Probes gives a pair for each input that has an order, a step of so much of its range to each side: to the next level of one that has levels.
func Probes(s space.Space, at core.Design, step float64) []Probe {
	var probes []Probe
	for j, in := range s {
		if in.Unordered || in.Traits != nil {
			continue
		}
		p := Probe{Input: j, Below: beside(in, at, j, -step), Above: beside(in, at, j, step)}
		if p.Apart = in.Share(p.Above[j]) - in.Share(p.Below[j]); p.Apart > 0 {
			probes = append(probes, p)
		}
	}
	return probes
}

func beside(in space.Input, at core.Design, j int, by float64) core.Design {
	design := slices.Clone(at)
	u := in.Unit(at[j])
	if n := in.Levels(); n > 0 {
		by = math.Copysign(max(math.Abs(by), 1/float64(n)), by)
	}
	if design[j] = in.Value(min(1, max(0, u+by))); in.Levels() == 0 && (u+by < 0 || u+by > 1) {
		design[j] = at[j]
	}
	return design
}

// Slope is by how much a value changes over the whole range of the input of a probe, at the rate about its design; NaN where a value is
// missing.
func (p Probe) Slope(below, above float64) float64 { return (above - below) / p.Apart }

// Ranged scales an exact derivative by the range of an input: the change over the whole range, at the rate at a value.
func Ranged(in space.Input, value, derivative float64) float64 {
	lower, upper := in.Lower, in.Upper
	if in.Values != nil {
		lower, upper = in.Values[0], in.Values[len(in.Values)-1]
	}
	if in.Log {
		return derivative * value * math.Log(upper/lower)
	}
	return derivative * (upper - lower)
}
