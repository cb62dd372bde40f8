package bench

import (
	"fmt"
	"math"

	"ropebench/core/decimal"
)

// stepTolerance is how far from a whole number of steps a range or a nominal may be, in steps: a step such as 0.3333 stands
// for a third.
const stepTolerance = 1e-6

// maxLevels bounds how many values a stepped input has.
const maxLevels = 1_000_000_000

// StepMistake says why an input with a range cannot move in such steps, and what to write; "" where it can.
func (in Input) StepMistake(step float64) string {
	lower, upper := in.Range.Lower, in.Range.Upper
	if !(step > 0) {
		return fmt.Sprintf("a step must be above 0, not %g", step)
	}
	whole := func(x float64) bool { return math.Abs(x-math.Round(x)) <= stepTolerance }
	switch count, at := decimal.Steps(lower, upper, step), decimal.Steps(lower, in.Nominal.Number, step); {
	case count > maxLevels:
		return fmt.Sprintf("the step %g makes more than %d values of the range [%g, %g]: widen the step, or remove it", step, maxLevels, lower, upper)
	case !whole(count):
		return fmt.Sprintf("the step %g does not divide the range [%g, %g]: write [%g, %g], say", step, lower, upper, lower, decimal.Step(lower, step, max(1, int(count))))
	case !whole(at):
		return fmt.Sprintf("the nominal %g is not on a step of %g from %g: the nearest is %g", in.Nominal.Number, step, lower, decimal.Step(lower, step, int(math.Round(at))))
	}
	return ""
}
