package document

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/words"
	"ropebench/core/verdict"
	"ropebench/result"
)

// A Row is a requirement with what the candidate makes of it.
type Row struct {
	Requirement bench.Requirement
	Limit       string // in words
	Unit        string
	Judgment    result.Judgment
	Verdict     verdict.Verdict
	Percent     float64 // margin as a share of the limit; NaN: there is none
	Nominal     *result.Judgment
	Seen        *float64 // value in the run that the candidate is of, where that differs
}

// Rows are the requirements of a subject, the least margin in percent of the limit first among those that decide; wishes and soft ones last.
func (s Subject) Rows() []Row {
	judged := s.Judged()
	var rows []Row
	for _, q := range s.Bench.Requirements {
		r := Row{Requirement: q, Limit: words.Limit(s.Bench, q), Unit: s.Bench.Unit(q.Of.Text), Judgment: result.Judgment{Verdict: verdict.NotShown}, Percent: math.NaN()}
		if judged != nil {
			r.Judgment = s.rejudged(q, judged.Requirements[q.ID].Value, judged.Requirements[q.ID])
		}
		if told, known := s.judgedOverScatter(q); known {
			r.Judgment = told
		}
		r.Verdict = r.Judgment.Verdict
		if r.Judgment.Margin != nil && q.LimitCurve == nil && q.Limit.Size() > 0 {
			r.Percent = 100 * *r.Judgment.Margin / q.Limit.Size()
		}
		if s.Nominal != nil {
			j := s.rejudged(q, s.Nominal.Requirements[q.ID].Value, s.Nominal.Requirements[q.ID])
			r.Nominal = &j
		}
		if then := s.Candidate.Design; then != nil && judged != then {
			if was := then.Requirements[q.ID].Value; was != nil && (r.Judgment.Value == nil || math.Abs(*was-*r.Judgment.Value) > sameAs*math.Max(math.Abs(*was), math.Abs(*r.Judgment.Value))) {
				r.Seen = was
			}
		}
		rows = append(rows, r)
	}
	slices.SortStableFunc(rows, func(a, b Row) int {
		if a.Requirement.Decisive() != b.Requirement.Decisive() {
			return map[bool]int{true: -1, false: 1}[a.Requirement.Decisive()]
		}
		return cmp.Compare(a.reserve(), b.reserve())
	})
	return rows
}

// reserve puts rows in order: where no percentage is known, what is not met comes first and what is met last.
func (r Row) reserve() float64 {
	switch {
	case !math.IsNaN(r.Percent):
		return r.Percent
	case r.Verdict.IsMet():
		return math.Inf(1)
	}
	return math.Inf(-1)
}

// rejudged is the judgment on a value by the limit as it is now: that may have moved since the design was evaluated. A requirement that was on
// something else then, or whose limit is a curve of another revision, is not shown.
func (s Subject) rejudged(q bench.Requirement, value *float64, then result.Judgment) result.Judgment {
	before, was := s.Then.Requirement(q.ID)
	switch {
	case !was || value == nil || before.Of.Text != q.Of.Text || before.File != q.File || !s.sameCases(before, q):
		return result.Judgment{Verdict: verdict.NotShown}
	case q.File != "" && s.Then != s.Bench:
		return result.Judgment{Verdict: verdict.NotShown}
	case q.File != "":
		return then
	}
	margin := q.Limit.Margin(*value)
	return result.Judgment{Verdict: verdict.Judge(q.Limit, *value), Value: value, Margin: &margin, Case: then.Case}
}

// judgedOverScatter is the judgment of a requirement on a statistic by the study of scatter; false where there is none, or where its limit was another.
func (s Subject) judgedOverScatter(q bench.Requirement) (worst result.Judgment, known bool) {
	if q.Of.Statistics == nil || s.Scatter == nil || s.Scatter.Parts.Scatter == nil {
		return worst, false
	}
	for _, told := range s.Scatter.Parts.Scatter.Told {
		if told.Requirement != q.ID || told.Holds == nil || told.Limit != words.Limit(s.Bench, q) {
			continue
		}
		value, margin := told.Value, q.Limit.Margin(told.Value)
		j := result.Judgment{Verdict: verdict.Judge(q.Limit, value), Value: &value, Margin: &margin}
		if !*told.Holds {
			j.Verdict = verdict.Missed
		}
		if j.WorseThan(worst) {
			worst, known = j, true
		}
	}
	return worst, known
}

// sameCases is true where a requirement holds in the same cases, and these give the same.
func (s Subject) sameCases(then, now bench.Requirement) bool {
	return slices.EqualFunc(then.Limited(), now.Limited(), func(a, b bench.CaseLimit) bool {
		before, _ := s.Then.Case(a.Case)
		after, _ := s.Bench.Case(b.Case)
		return a.Case == b.Case && maps.Equal(before.Values, after.Values)
	})
}

// sameAs is by how much a value may differ, as a share of it, and still be the one that was seen.
const sameAs = 1e-9

// An Answer sums the verdicts up.
type Answer struct {
	Holds  bool // every requirement that decides is shown to be met by a verification on the bench as it is now
	Missed []string
	Open   []string // not shown
	Barely []string // met without reserve
	Wishes []string // wishes and soft requirements that are missed
	Says   string
}

// Answer says whether the candidate is shown to meet its targets.
func (s Subject) Answer() Answer {
	a, decisive, least := s.tally()
	a.Holds = s.IsVerified() && len(a.Missed)+len(a.Open)+len(a.Barely) == 0
	a.Says = a.inWords(decisive, s.IsVerified())
	if least != nil && len(a.Missed) == 0 {
		a.Says += fmt.Sprintf(" The least margin is that of %s: %s, %s of the limit.", least.Requirement.ID, plain.With(*least.Judgment.Margin, least.Unit), plain.Percent(least.Percent/100))
	}
	if len(a.Wishes) > 0 {
		a.Says += fmt.Sprintf(" Wished for and missed: %s.", plain.List(a.Wishes))
	}
	s.underScatter(&a)
	return a
}

// tally lists the requirements by their verdicts, counts those that decide, and finds the one of them with the least margin in percent of its limit; nil
// where there is none.
func (s Subject) tally() (a Answer, decisive int, least *Row) {
	rows := s.Rows()
	for i, r := range rows {
		if !r.Requirement.Decisive() {
			if r.Verdict == verdict.Missed {
				a.Wishes = append(a.Wishes, r.Requirement.ID)
			}
			continue
		}
		decisive++
		switch r.Verdict {
		case verdict.Missed:
			a.Missed = append(a.Missed, r.Requirement.ID)
		case verdict.NotShown:
			a.Open = append(a.Open, r.Requirement.ID)
		case verdict.MetWithoutReserve:
			a.Barely = append(a.Barely, r.Requirement.ID)
		}
		if least == nil && !math.IsNaN(r.Percent) {
			least = &rows[i]
		}
	}
	return a, decisive, least
}

// inWords says what is shown of the requirements that decide.
func (a Answer) inWords(decisive int, verified bool) string {
	all := fmt.Sprintf("all %d requirements", decisive)
	if decisive == 1 {
		all = "the one requirement"
	}
	switch {
	case decisive == 0:
		return "The bench asks nothing that decides: nothing is shown."
	case len(a.Missed) > 0:
		return fmt.Sprintf("Missed: %s, of %s.", plain.List(a.Missed), plain.Count(decisive, "requirement"))
	case len(a.Open) > 0:
		return fmt.Sprintf("Not shown: %s, of %s.", plain.List(a.Open), plain.Count(decisive, "requirement"))
	case !verified:
		return fmt.Sprintf("Not verified: the run that found this design has seen it meet %s.", all)
	case len(a.Barely) > 0:
		return fmt.Sprintf("Shown to keep the limits of %s, and without its reserve %s.", all, plain.List(a.Barely))
	}
	return fmt.Sprintf("Shown to meet %s.", all)
}

// underScatter adds what studies of scatter about the candidate say.
func (s Subject) underScatter(a *Answer) {
	if s.Scatter != nil {
		scatter := s.Scatter.Parts.Scatter
		a.Says += fmt.Sprintf(" Under scatter all are met with a probability of %s.", plain.Percent(scatter.Together.Met))
		if len(scatter.Missed) > 0 {
			a.Holds = false
			a.Says += fmt.Sprintf(" Less probable than asked: %s.", plain.List(scatter.Missed))
		}
	}
	for _, part := range []struct {
		of     *Scattered
		missed func(result.Parts, string) bool
		says   string
	}{
		{s.Rare, func(p result.Parts, id string) bool { return p.Probabilities[id].Verdict == verdict.Missed }, " Missed more often than asked: %s."},
		{s.Worst, func(p result.Parts, id string) bool { return p.Worst[id].Verdict == verdict.Missed }, " Missed within the tolerances: %s."},
	} {
		if part.of == nil {
			continue
		}
		var missed []string
		for _, q := range s.Bench.Requirements {
			if q.Decisive() && part.missed(part.of.Parts, q.ID) {
				missed = append(missed, q.ID)
			}
		}
		if len(missed) > 0 {
			a.Holds = false
			a.Says += fmt.Sprintf(part.says, plain.List(missed))
		}
	}
}
