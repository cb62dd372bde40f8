package study

import (
	"math"
	"slices"

	"ropebench/core"
	"ropebench/dispatch"
)

// A standing is the place of an evaluation among those of its run. Unlike the ranking that a search uses, it does not
// depend on the order in which evaluations end: violations count as shares of their limits.
type standing struct {
	class     int // 0: limits and reserves kept, 1: limits kept, 2: missed, 3: not tried, 4: no values
	violation float64
	objective float64 // to be made least
	number    int
}

func (s standing) before(other standing) bool {
	switch {
	case s.class != other.class:
		return s.class < other.class
	case s.violation != other.violation:
		return s.violation < other.violation
	case s.objective != other.objective:
		return s.objective < other.objective
	}
	return s.number < other.number
}

// A tracker keeps the best evaluation of a run, and the nominal one, and counts what it sees. Of a verification it
// keeps the worst evaluation of the candidate: that is the one to be believed.
type tracker struct {
	model    *Model
	verify   bool
	best     standing
	record   *dispatch.Record
	nominal  *dispatch.Record
	usable   int
	feasible int
	lastWhy  string
}

func newTracker(m *Model, verify bool) *tracker { return &tracker{model: m, verify: verify} }

// see takes note of records; it keeps no reference to their values but for the best.
func (t *tracker) see(records []dispatch.Record) {
	for _, record := range records {
		switch record.State {
		case core.OK:
			t.usable++
			if t.model.Feasible(record.Values) {
				t.feasible++
			}
		case core.Failed, core.TimedOut:
			t.lastWhy = record.Reason
		}
		isNominal := slices.Equal(record.Design, t.model.Design(nil))
		if isNominal && t.nominal == nil {
			t.nominal = kept(record)
		}
		if t.verify && record.Number == 1 {
			continue
		}
		if s := t.model.standing(record); t.record == nil || s.before(t.best) != t.verify {
			t.best, t.record = s, kept(record)
		}
	}
}

// kept is a copy of a record that stays as it is.
func kept(record dispatch.Record) *dispatch.Record {
	record.Design, record.Values = slices.Clone(record.Design), slices.Clone(record.Values)
	return &record
}

// standing places one evaluation.
func (m *Model) standing(record dispatch.Record) standing {
	s := standing{number: record.Number}
	switch record.State {
	case core.OK:
	case core.NotTried:
		s.class = 3
	default:
		s.class = 4
		return s
	}
	if m.Objective != nil && s.class == 0 {
		s.objective = record.Values[m.Objective.Value]
		if m.Objective.Maximize {
			s.objective = -s.objective
		}
	}
	for _, t := range m.Requirements {
		if !t.Met || s.class == 3 && !t.OnInput {
			continue
		}
		value := record.Values[t.Column]
		switch margin := t.Limit.Margin(value); {
		case margin >= t.Limit.Reserve:
		case t.Price > 0:
			s.objective += t.Price * t.Limit.Violation(value)
		default:
			if margin < 0 {
				s.class = max(s.class, 2)
			}
			s.class = max(s.class, 1)
			s.violation += t.share(value)
		}
	}
	return s
}

// share is the violation of a requirement, reserve included, as a share of the limit, or as it is where that is 0.
func (t Target) share(value float64) float64 {
	size := 0.0
	for _, limit := range t.Limits {
		size = max(size, math.Abs(limit))
	}
	if size == 0 {
		size = 1
	}
	return t.Limit.Violation(value) / size
}

// describe shows an evaluation with its values and verdicts; nil if it has no values.
func (m *Model) describe(record *dispatch.Record) *Best {
	if record == nil || record.State != core.OK {
		return nil
	}
	b := &Best{Evaluation: record.Number, Inputs: m.Values(record.Design), Values: map[string]float64{},
		Feasible: m.Feasible(record.Values), Requirements: m.Judge(record.Values)}
	for column, name := range m.Columns {
		b.Values[name] = record.Values[column]
	}
	if m.Objective != nil {
		objective := record.Values[m.Objective.Value]
		b.Objective = &objective
	}
	for _, t := range m.Requirements {
		if t.Met && t.Decisive() {
			b.Violation = max(b.Violation, t.share(record.Values[t.Column]))
		}
	}
	return b
}
