// Package verdict turns values into verdicts: whether a design meets each of its performance targets.
package verdict

import (
	"math"

	"ropebench/core"
)

// A Verdict says whether a requirement is met.
type Verdict string

// The verdicts.
const (
	Met               Verdict = "met"
	MetWithoutReserve Verdict = "met_without_reserve" // the limit is kept, the reserve asked for is not
	Missed            Verdict = "missed"
	NotShown          Verdict = "not_shown" // there is no value to judge by
)

// Judge gives the verdict on a value; NaN is not shown.
func Judge(limit core.Limit, value float64) Verdict {
	switch margin := limit.Margin(value); {
	case math.IsNaN(margin):
		return NotShown
	case margin < 0:
		return Missed
	case margin < limit.Reserve:
		return MetWithoutReserve
	}
	return Met
}

// Words is the verdict in words.
func (v Verdict) Words() string {
	switch v {
	case Met:
		return "met"
	case MetWithoutReserve:
		return "met without its reserve"
	case Missed:
		return "missed"
	}
	return "not shown"
}

// IsMet is true for the two verdicts that keep the limit.
func (v Verdict) IsMet() bool { return v == Met || v == MetWithoutReserve }
