// Package budget orders outcomes, and keeps account of what a method asks of an evaluator: how many designs, the best of
// them, and when there was no more to gain.
package budget

import (
	"math"

	"ropebench/core"
)

// A class orders outcomes before their numbers are looked at.
type class uint8

const (
	feasible       class = iota // every limit is kept, with its reserve
	withoutReserve              // every limit is kept
	missed                      // the solver answered, a limit is not kept
	untried                     // a requirement on inputs alone is missed: the violation is only what they decide
	unusable                    // no values
)

// A Rank is the place of an outcome in the order: by class, then the violation, then the first objective, to be made
// least. K. Deb, Computer Methods in Applied Mechanics and Engineering 186 (2000).
type Rank struct {
	class     class
	violation float64
	objective float64
}

// worst comes after every rank of an outcome.
var worst = Rank{class: unusable, violation: math.Inf(1)}

// Better is true if r comes before other.
func (r Rank) Better(other Rank) bool {
	if r.class != other.class {
		return r.class < other.class
	}
	if r.violation != other.violation {
		return r.violation < other.violation
	}
	return r.objective < other.objective
}

// Feasible is true where every constraint that is not soft is met with its reserve.
func (r Rank) Feasible() bool { return r.class == feasible }

// Kept is true where every constraint that is not soft is met, with or without its reserve.
func (r Rank) Kept() bool { return r.class <= withoutReserve }

// Missed is by what share of its limit the constraint that is missed most is; 0 where all are met.
func (r Rank) Missed() float64 { return r.violation }

// Objective is the number to be made least, with what is paid for soft constraints; 0 where the solver gave no values.
func (r Rank) Objective() float64 { return r.objective }

// Usable is true where the solver gave values.
func (r Rank) Usable() bool { return r.class <= missed }

// Gain is by how much r's objective is less than that of other, as a share of the other; infinite where r is better for
// another reason, 0 where it is not better.
func (r Rank) Gain(other Rank) float64 {
	switch {
	case !r.Better(other):
		return 0
	case r.class != other.class || r.class != feasible:
		return math.Inf(1)
	}
	return (other.objective - r.objective) / math.Max(math.Abs(other.objective), math.SmallestNonzeroFloat64)
}

// An Order compares outcomes by a goal. Where it has learned units, violations of several constraints are added up, each in its own; where it has not, the
// worst violation counts, as a share of its limit.
type Order struct {
	goal core.Goal
	unit []float64 // 0: not known yet
	// zero has for limits of 0, which have no shares, how far the value was from the limit when it was first seen; 0: not known yet.
	zero []float64
}

// NewOrder returns the order of a goal, in which the worst violation counts, as a share of its limit: what is told goes by it.
func NewOrder(goal core.Goal) *Order {
	return &Order{goal: goal, unit: make([]float64, len(goal.Constraints)), zero: make([]float64, len(goal.Constraints))}
}

// Scale takes from an outcome in what limits of 0 are measured, so that it does not hang on the unit of a value which design misses least.
func (o *Order) Scale(outcome core.Outcome) {
	if outcome.Values == nil || outcome.State != core.OK {
		return
	}
	for i, c := range o.goal.Constraints {
		if margin := math.Abs(c.Limit.Margin(outcome.Values[c.Value])); c.Limit.Size() == 0 && o.zero[i] == 0 && !math.IsInf(margin, 0) && margin > 0 {
			o.zero[i] = margin
		}
	}
}

// Learn takes the units of violations that are not known yet from a batch of outcomes: the largest distance from the
// limit among the first that have the value. Limits say little of how a value moves, so that searches order so.
func (o *Order) Learn(outcomes []core.Outcome) {
	for i, c := range o.goal.Constraints {
		if o.unit[i] != 0 {
			continue
		}
		for _, outcome := range outcomes {
			if outcome.Values == nil {
				continue
			}
			if margin := math.Abs(c.Limit.Margin(outcome.Values[c.Value])); !math.IsInf(margin, 0) && margin > o.unit[i] {
				o.unit[i] = margin // NaN is larger than nothing
			}
		}
	}
}

// Rank gives the place of an outcome.
func (o *Order) Rank(outcome core.Outcome) Rank {
	if outcome.Values == nil {
		return Rank{class: unusable}
	}
	rank := Rank{}
	if outcome.State == core.NotTried {
		rank.class = untried
	} else {
		rank.objective = o.goal.Least(outcome.Values)
	}
	for i, c := range o.goal.Constraints {
		value := outcome.Values[c.Value]
		limit := c.Limit
		violation := limit.Violation(value)
		switch {
		case math.IsNaN(violation) || violation == 0:
		case c.Price > 0:
			rank.objective += c.Price * violation
		default:
			kept := withoutReserve
			if c.Limit.Margin(value) < 0 {
				kept = missed
			}
			rank.class = max(rank.class, kept)
			if o.unit[i] == 0 {
				rank.violation = math.Max(rank.violation, o.share(i, value))
			} else {
				rank.violation += limit.Violation(value) / o.unit[i]
			}
		}
	}
	return rank
}

// share is a violation as one of its limit, or of what stands for it where that is 0.
func (o *Order) share(i int, value float64) float64 {
	limit := o.goal.Constraints[i].Limit
	if limit.Size() == 0 && o.zero[i] > 0 {
		return limit.Violation(value) / o.zero[i]
	}
	return limit.Share(value)
}
