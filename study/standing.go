package study

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/verdict"
	"ropebench/dispatch"
	"ropebench/result"
)

// A standing follows the evaluations of a run: which stands for it as the best design, which is the nominal one, and how
// many ended in which way. The order does not depend on which evaluations end first.
type standing struct {
	asked *Asked
	order *budget.Order

	counts  result.Counts
	failed  failures
	front   front
	best    *evaluation
	chosen  *float64 // the objective of a best design that was chosen
	nominal *evaluation
	lastWhy string // why the latest failure failed
}

// An evaluation is what is kept of one.
type evaluation struct {
	number int
	state  core.State
	design core.Design
	values []float64
	rank   budget.Rank
}

func newStanding(a *Asked) *standing {
	s := &standing{asked: a, order: budget.NewOrder(a.Problem.Goal), failed: failures{reasons: map[string]*result.Failure{}}, front: front{model: a.Model, objectives: a.Problem.Objectives, constraints: a.Problem.Constraints}}
	return s
}

// see takes note of records as they are committed; it keeps no reference to their values.
func (s *standing) see(records []dispatch.Record) {
	for _, record := range records {
		s.count(record)
		if record.Number == 1 { // whatever the order in which they end
			s.order.Scale(core.Outcome{State: record.State, Values: record.Values})
		}
		rank := s.order.Rank(core.Outcome{State: record.State, Values: record.Values})
		if record.State == core.OK && s.nominal == nil && s.asked.Model.IsNominal(record.Design) {
			s.nominal = keep(record, rank)
		}
		if s.stands(record, rank) {
			s.best = keep(record, rank)
		}
		switch {
		case record.State != core.OK:
		case s.asked.Model.Feasible(record.Values):
			s.front.see(record, rank)
		default:
			s.front.seeMissing(record, rank, s.asked.Model.Violation(record.Values))
		}
	}
}

// firstFailures is after how many failures a run without any usable evaluation is paused: something else than the designs is wrong.
const firstFailures = 20

// seeHopeless takes note of records, and is true where with them the first evaluations that were tried have all failed.
func (s *standing) seeHopeless(records []dispatch.Record) bool {
	s.see(records)
	return s.counts.Usable == 0 && s.counts.Failed >= firstFailures
}

func (s *standing) count(record dispatch.Record) {
	s.counts.Evaluations++
	if record.Reused {
		s.counts.Reused++
	}
	switch record.State {
	case core.OK:
		s.counts.Usable++
		s.failed.try(record, s.asked.Problem)
		if s.asked.Model.Feasible(record.Values) {
			s.counts.Feasible++
		}
	case core.NotTried:
		s.counts.NotTried++
	case core.Failed, core.TimedOut:
		s.counts.Failed++
		s.lastWhy = record.Reason
		s.failed.try(record, s.asked.Problem)
	}
}

// stands is true where the evaluation is shown in place of the one before.
func (s *standing) stands(record dispatch.Record, rank budget.Rank) bool {
	best := s.asked.kind.best
	switch {
	case best == noBest || best == chosen || best == worstOfCandidate && (record.Number == 1 || s.asked.Question.Around && record.Number > 1+s.asked.Question.Repeats):
		return false
	case s.best == nil:
		return true
	case rank != s.best.rank:
		return rank.Better(s.best.rank) == (best == bestOfAll)
	}
	return record.Number < s.best.number
}

func keep(record dispatch.Record, rank budget.Rank) *evaluation {
	return &evaluation{number: record.Number, state: record.State, design: slices.Clone(record.Design), values: slices.Clone(record.Values), rank: rank}
}

// describe shows an evaluation; nil if it has no values.
func (s *standing) describe(e *evaluation) *result.Design {
	if e == nil || e.state != core.OK {
		return nil
	}
	objective := s.chosen
	if objective == nil || e != s.best {
		objective = objectiveOf(s.asked.Problem.Goal, e.values)
	}
	return s.asked.Model.Describe(e.number, e.design, e.values, objective, s.asked.Problem.Goal)
}

// choose makes an evaluation the best one.
func (s *standing) choose(number int, design core.Design, values []float64, objective *float64) {
	s.best = &evaluation{number: number, design: slices.Clone(design), values: slices.Clone(values)}
	s.chosen = objective
}

// parts are those that every kind of study has.
func (s *standing) parts(p result.Parts) result.Parts {
	p.Failures = s.failed.part(s.counts, s.asked.kind.draws)
	best := cmp.Or(s.enterFront(&p), s.best)
	p.Nominal, p.Best = s.describe(s.nominal), s.describe(best)
	if p.Best != nil {
		p.AtEnds = s.asked.Model.AtEnds(best.design)
	}
	if p.Robust != nil && p.Best != nil {
		s.judgeOverScatter(p)
	}
	if p.Search != nil {
		p.Watched = s.watched(best)
	}
	return p
}

// judgeOverScatter gives the best design the verdicts that one evaluation does not tell, and those of requirements that are to be met with a probability.
func (s *standing) judgeOverScatter(p result.Parts) {
	for _, t := range p.Robust.Told {
		q, known := s.asked.bench.Requirement(t.Requirement)
		if !known || q.Of.Statistics == nil {
			continue
		}
		value, margin := t.Value, q.Limit.Margin(t.Value)
		j := result.Judgment{Verdict: verdict.Judge(q.Limit, value), Value: &value, Margin: &margin}
		if before := p.Best.Requirements[t.Requirement]; before.Value == nil || j.WorseThan(before) {
			p.Best.Requirements[t.Requirement] = j
		}
	}
	p.Best.Feasible = p.Best.Feasible && len(p.Robust.Missed) == 0
}

const watchedShare = 0.01 // of its nominal value, by which a value that is watched must have changed to be told

// watched are the changes from the nominal design that a search was not about: wishes that were fulfilled and are not any more, and
// values to watch.
func (s *standing) watched(best *evaluation) []string {
	if best == nil || s.nominal == nil || best.state != core.OK || best.number == s.nominal.number {
		return nil
	}
	var says []string
	before, after := s.asked.Model.Judge(s.nominal.values), s.asked.Model.Judge(best.values)
	for _, q := range s.asked.Model.Bench.Requirements {
		if !q.Decisive() && before[q.ID].Verdict != verdict.Missed && after[q.ID].Verdict == verdict.Missed {
			says = append(says, fmt.Sprintf("%s got worse: the nominal design fulfils it, and this one misses it by %s.", q.ID, plain.With(-*after[q.ID].Margin, s.asked.Model.Bench.Unit(q.Of.Text))))
		}
	}
	for _, name := range s.asked.Study.Watch {
		column := s.asked.Model.Column(name)
		if column < 0 {
			continue
		}
		from, to := s.nominal.values[column], best.values[column]
		if math.Abs(to-from) > watchedShare*math.Abs(from) {
			unit := s.asked.Model.Bench.Unit(name)
			says = append(says, fmt.Sprintf("%s, which is watched, went from %s to %s.", name, plain.With(from, unit), plain.With(to, unit)))
		}
	}
	return says
}
