package budget

import (
	"math"

	"ropebench/core"
)

// An Easing is by how much one constraint alone would have to give for a design that was asked to meet everything.
type Easing struct {
	By     float64 // with the reserve of the limit; +Inf where no design that was asked keeps all the others
	Number int     // of the evaluation for which that is enough
	Met    bool    // a design that was asked meets the constraint, whatever it does to the others
}

// ease takes note of what an outcome misses, where it misses one constraint at most.
func (a *Account) ease(outcome core.Outcome) {
	if outcome.State != core.OK {
		return
	}
	missed, by := -1, 0.0
	for i, c := range a.goal.Constraints {
		if c.Price > 0 {
			continue
		}
		violation := c.Limit.Violation(outcome.Values[c.Value])
		if violation == 0 {
			a.easings[i].Met = true
			continue
		}
		if missed >= 0 || math.IsNaN(violation) {
			missed = len(a.goal.Constraints)
			continue
		}
		missed, by = i, violation
	}
	if missed >= 0 && missed < len(a.easings) && by < a.easings[missed].By {
		a.easings[missed].By, a.easings[missed].Number = by, outcome.Number
	}
}

// Easings has for each constraint by how much it alone would have to give, as far as is seen from what was asked.
func (a *Account) Easings() []Easing { return a.easings }
