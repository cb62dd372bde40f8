package model

import (
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/space"
	"ropebench/core/verdict"
	"ropebench/result"
)

// Judge gives the verdict of every requirement on a row of values, one for each column, in the case in which its margin is least; with no row
// nothing is shown.
func (m *Model) Judge(values []float64) map[string]result.Judgment {
	judgments := make(map[string]result.Judgment, len(m.Targets))
	for _, q := range m.Bench.Requirements {
		if q.Of.Statistics != nil {
			judgments[q.ID] = result.Judgment{Verdict: verdict.NotShown} // one evaluation does not tell
		}
	}
	for _, t := range m.Targets {
		j := result.Judgment{Verdict: verdict.NotShown}
		if values != nil {
			value := values[t.Column]
			j.Verdict = verdict.Judge(t.Limit, value)
			if j.Verdict != verdict.NotShown {
				margin := t.Limit.Margin(value)
				j.Value, j.Margin = &value, &margin
			}
		}
		if j.Case = t.Case; j.WorseThan(judgments[t.ID]) {
			judgments[t.ID] = j
		}
	}
	return judgments
}

// A Bound is one end of what a requirement allows.
type Bound struct {
	ID    string
	At    float64
	Upper bool // at most, not at least
}

// BoundsOn lists the bounds that the requirements put on a column, in the order of the bench.
func (m *Model) BoundsOn(name string) []Bound {
	var bounds []Bound
	for _, t := range m.Targets {
		if m.Columns[t.Column].Name == name {
			bounds = append(bounds, boundsOf(t.Requirement)...)
		}
	}
	return bounds
}

// BoundsOnCurve lists those that stand at one height over all of a curve.
func (m *Model) BoundsOnCurve(name string) []Bound {
	var bounds []Bound
	for _, q := range m.Bench.Requirements {
		if q.File == "" && slices.Contains(m.Bench.CurvesOf(q), name) {
			bounds = append(bounds, boundsOf(q)...)
		}
	}
	return bounds
}

func boundsOf(q bench.Requirement) []Bound {
	var bounds []Bound
	for _, b := range []Bound{{ID: q.ID, At: q.Limit.Lower}, {ID: q.ID, At: q.Limit.Upper, Upper: true}} {
		if !math.IsInf(b.At, 0) {
			bounds = append(bounds, b)
		}
	}
	return bounds
}

// Missed names the requirements that a row of values misses, wishes included, in the order of the bench.
func (m *Model) Missed(values []float64) []string {
	var missed []string
	for _, t := range m.Targets {
		if verdict.Judge(t.Limit, values[t.Column]) == verdict.Missed && !slices.Contains(missed, t.ID) {
			missed = append(missed, t.ID)
		}
	}
	return missed
}

// Feasible is true if every requirement of the bench that is neither a wish nor soft is met.
func (m *Model) Feasible(values []float64) bool { return m.goal.Feasible(values) }

// IsNominal is true for the design that has the nominal value of every input, held ones included.
func (m *Model) IsNominal(design core.Design) bool {
	row := make([]float64, len(m.row))
	m.Fill(design, row)
	for i, in := range m.Bench.Inputs {
		if row[i] != in.NominalNumber() {
			return false
		}
	}
	return true
}

// Describe shows an evaluation that is OK with its values and verdicts, and with the objective of a study; nil if it has none. The goal of the study says which
// soft requirements are paid for.
func (m *Model) Describe(number int, design core.Design, values []float64, objective *float64, goal core.Goal) *result.Design {
	d := &result.Design{Evaluation: number, Inputs: m.Values(design), Values: map[string]float64{}, Feasible: m.Feasible(values), Requirements: m.Judge(values), Objective: objective, Paid: goal.Paid(values)}
	for i, column := range m.Columns {
		if column.Source != Matched {
			d.Values[column.Name] = values[i]
		}
	}
	d.Misses = m.Misses(values)
	return d
}

// Violation is by how much the worst requirement that decides is missed, as a share of its limit; 0 where all are met.
func (m *Model) Violation(values []float64) float64 {
	worst := 0.0
	for _, t := range m.Targets {
		if t.Decisive() {
			worst = max(worst, t.Limit.Share(values[t.Column]))
		}
	}
	return worst
}

// Misses says which of the requirements that decide are missed, and by how much; "" where all are met.
func (m *Model) Misses(values []float64) string {
	var missed []string
	for _, t := range m.Targets {
		if !t.Decisive() || t.Limit.Margin(values[t.Column]) >= 0 {
			continue
		}
		by := " by " + plain.With(-t.Limit.Margin(values[t.Column]), m.Columns[t.Column].Unit)
		if math.IsNaN(values[t.Column]) {
			by = ", which has no value"
		}
		missed = append(missed, t.Called()+by)
	}
	return plain.List(missed)
}

// endTolerance is how near to an end of its range an input is said to be at it, as a share of the range on its scale.
const endTolerance = 1e-3

// AtEnds names the inputs of a design that stand at an end of their range.
func (m *Model) AtEnds(design core.Design) []result.End {
	var ends []result.End
	for k := range m.Inputs {
		in := m.Input(k)
		if in.Range == nil {
			continue
		}
		axis := space.Input{Lower: in.Range.Lower, Upper: in.Range.Upper, Log: in.Log}
		switch share := axis.Unit(design[k]); {
		case share <= endTolerance:
			ends = append(ends, endOf(in, "lower", in.Range.Lower, in.Range.LowerGuess))
		case 1-share <= endTolerance:
			ends = append(ends, endOf(in, "upper", in.Range.Upper, in.Range.UpperGuess))
		}
	}
	return ends
}

func endOf(in bench.Input, end string, value float64, guess bool) result.End {
	says := in.Name + " is at its " + end + " end, " + plain.With(value, in.Unit) + ", which is hard"
	if guess {
		says = in.Name + ": the optimum is held by your guess of " + plain.With(value, in.Unit) + ": widen it?"
	}
	return result.End{Input: in.Name, End: end, Value: value, Guess: guess, Says: says}
}
