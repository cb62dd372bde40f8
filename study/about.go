package study

import (
	"fmt"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// startsAt says which design a study begins at, or is about, where it is the best one of another study: the evaluation, its run, and what it came to; and
// which other run of that study on the same revision has a better one.
func startsAt(b *bench.Bench, of bench.Study, chosen Run, all []Run) string {
	better := func(a, than Run) bool { return false }
	worth := func(Run) string { return "" }
	if goals := of.Goals(); len(goals) == 1 {
		name, maximize := goals[0].Formula.Text, goals[0].Maximize
		worth = func(run Run) string {
			if run.Headline.Objective == nil {
				return ""
			}
			return fmt.Sprintf(" with %s = %s", name, plain.With(*run.Headline.Objective, b.Unit(name)))
		}
		better = func(a, than Run) bool {
			one, other := a.Headline.Objective, than.Headline.Objective
			return one != nil && other != nil && (*one < *other) != maximize && *one != *other
		}
	}
	says := fmt.Sprintf("evaluation %d of run %d (%s)%s", chosen.Headline.Evaluation, chosen.ID, of.Name, worth(chosen))
	if !chosen.Headline.Feasible {
		says += ", which misses a requirement"
	}
	best := chosen
	for _, run := range all {
		if run.Question.Study != of.Name || run.Revision != chosen.Revision || run.State != Finished || run.Headline == nil || !run.Headline.Feasible {
			continue
		}
		if !best.Headline.Feasible || better(run, best) {
			best = run
		}
	}
	if best.ID != chosen.ID {
		says += fmt.Sprintf("; run %d has a better one, evaluation %d%s", best.ID, best.Headline.Evaluation, worth(best))
	}
	return says
}

// evaluationOf names an evaluation of a run; the best one as startsAt does.
func evaluationOf(b *bench.Bench, c Candidate, all []Run) string {
	at := slices.IndexFunc(all, func(run Run) bool { return run.ID == c.Run })
	if at >= 0 && all[at].Headline != nil && all[at].Headline.Evaluation == c.Evaluation {
		if of, found := b.Study(all[at].Question.Study); found {
			return startsAt(b, of, all[at], all)
		}
	}
	return fmt.Sprintf("evaluation %d of run %d", c.Evaluation, c.Run)
}

// aboutADesign are the kinds of studies that are about one design.
var aboutADesign = []string{"uncertainty"}

// standsAt says the same of a study that begins at no other study's best design; "" where that is the nominal one of a search.
func standsAt(s bench.Study, start bench.Start) string {
	switch {
	case start.Values != nil:
		return "the design that the study names"
	case slices.Contains(aboutADesign, s.Kind):
		return "the nominal design"
	}
	return ""
}
