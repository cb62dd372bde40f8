package study

import (
	"fmt"
	"maps"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// bestOfStudy names a design that a study begins at, or is about, where it is the best one of another study: the evaluation, its run, and what it came to; and
// which other run of that study on the same revision has a better one.
func bestOfStudy(b *bench.Bench, of bench.Study, chosen Run, all []Run) string {
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

// evaluationOf names an evaluation of a run; the best one as bestOfStudy does.
func evaluationOf(b *bench.Bench, c Candidate, all []Run) string {
	at := slices.IndexFunc(all, func(run Run) bool { return run.ID == c.Run })
	if at >= 0 && all[at].Headline != nil && all[at].Headline.Evaluation == c.Evaluation {
		if of, found := b.Study(all[at].Question.Study); found {
			return bestOfStudy(b, of, all[at], all)
		}
	}
	return fmt.Sprintf("evaluation %d of run %d", c.Evaluation, c.Run)
}

// atItsOwn names the design at which a study begins, or that it is about, where that is of no other study; "" where it is the nominal one of a search.
func atItsOwn(s bench.Study, start bench.Start) string {
	switch {
	case start.Values != nil:
		return "the design that the study names"
	case s.Kind == "uncertainty":
		return "the nominal design"
	}
	return ""
}

// beginning says that a search starts from a design, or that another study is about it.
func beginning(s bench.Study, design string) string {
	switch {
	case design == "":
		return ""
	case s.Search() != nil:
		return "from " + design
	}
	return "about " + design
}

// besides are what a question holds and frees besides its study, in words, and where it looks farther than the bench does.
func besides(b *bench.Bench, q Question) (says []string) {
	for _, name := range slices.Sorted(maps.Keys(q.Hold)) {
		says = append(says, name+" held at "+q.Hold[name].Show(b.Unit(name)))
	}
	for _, name := range slices.Sorted(maps.Keys(q.Free)) {
		moves := q.Free[name]
		if moves == nil {
			says = append(says, name+" freed")
			continue
		}
		one := fmt.Sprintf("%s from %s to %s", name, plain.Show(moves.Lower), plain.With(moves.Upper, b.Unit(name)))
		if in, found := b.Input(name); found && in.Range != nil && (moves.Lower < in.Range.Lower || moves.Upper > in.Range.Upper) {
			one += fmt.Sprintf(", wider than its range of %s to %s", plain.Show(in.Range.Lower), plain.Show(in.Range.Upper))
		}
		says = append(says, one)
	}
	return says
}
