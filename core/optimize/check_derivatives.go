package optimize

import (
	"context"
	"math"
	"slices"
)

// A Doubt says by which input a derivative that the solver gives differs most from a difference, and what both are, by the input.
type Doubt struct {
	Input             int
	Given, Difference float64
}

const (
	rightShare = 0.02 // of the largest slope of a value, within which a derivative agrees with a difference
	rightNoise = 20   // times the root of the noise of values, which differences have
)

// compare looks once whether the derivatives that the solver gives are those of its values, by differences of neighbours. Those that are
// not are doubted from then on, and differences are taken instead. missing are functions of which none are given.
func (l *landscape) compare(ctx context.Context, p *place, missing []int) error {
	l.unchecked = false
	var given []int
	for _, k := range l.asked() {
		if !slices.Contains(missing, k) && l.functions[k].column != noColumn {
			given = append(given, k)
		}
	}
	if len(given) == 0 {
		return nil
	}
	by := *p
	by.slopes = slices.Clone(p.slopes)
	if err := l.differences(ctx, &by, given); err != nil {
		return err
	}
	for _, k := range given {
		most := math.Max(largest(p.slopes[k]), largest(by.slopes[k]))
		allowed := math.Max(rightShare, rightNoise*math.Sqrt(l.digits.noise(k))) * most
		worst, off := -1, allowed
		for a := range l.axes {
			if apart := math.Abs(p.slopes[k][a] - by.slopes[k][a]); apart > off {
				worst, off = a, apart
			}
		}
		if worst < 0 {
			continue
		}
		slope := l.space[l.axes[worst]].Slope(p.point[l.axes[worst]]) * l.functions[k].sign
		l.doubted[l.functions[k].column] = Doubt{Input: l.axes[worst], Given: p.slopes[k][worst] / slope, Difference: by.slopes[k][worst] / slope}
		p.slopes[k] = by.slopes[k]
	}
	return nil
}
