package explore

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/sensitivity"
	"ropebench/model"
	"ropebench/result"
)

// fewFeasible is the share of feasible designs below which is said what stands in the way.
const fewFeasible = 0.05

// Obstacles says how many designs are feasible, and what stands in the way of more.
func (x *Explorer) Obstacles() result.Obstacles {
	o := result.Obstacles{Says: []string{}, Requirements: []result.MetBy{}, Pairs: []result.Conflict{}, Failures: x.failures()}
	rows := x.rowsOf(func(e Evaluation) bool { return e.State == core.OK })
	screened := x.rowsOf(func(e Evaluation) bool { return e.State == core.NotTried })
	feasible := 0
	for _, i := range rows {
		if x.Model.Feasible(x.Evaluations[i].Values) {
			feasible++
		}
	}
	o.Says = append(o.Says, x.firstFact(len(rows), feasible))
	if len(screened) > 0 {
		o.Says = append(o.Says, fmt.Sprintf("%s not tried: by their inputs alone they miss a requirement.", isAre(len(screened), "design")))
	}
	o.Requirements = x.met(rows)
	if len(rows) > 0 && float64(feasible) < fewFeasible*float64(len(rows)) {
		for _, m := range o.Requirements {
			o.Says = append(o.Says, x.saysOf(m, len(rows)))
		}
		if feasible == 0 {
			o.Says = append(o.Says, x.nearest(rows)...)
			o.Pairs = x.conflicts(rows, o.Requirements)
			for _, pair := range o.Pairs {
				o.Says = append(o.Says, pair.Says)
			}
		}
	}
	for _, region := range o.Failures {
		o.Says = append(o.Says, region.Says)
	}
	return o
}

func isAre(n int, what string) string {
	if n == 1 {
		return "1 " + what + " was"
	}
	return plain.Whole(n) + " " + what + "s were"
}

func (x *Explorer) rowsOf(wanted func(Evaluation) bool) []int {
	var rows []int
	for i, e := range x.Evaluations {
		if wanted(e) {
			rows = append(rows, i)
		}
	}
	return rows
}

func (x *Explorer) firstFact(usable, feasible int) string {
	switch {
	case usable == 0:
		return "No evaluation has values."
	case !slices.ContainsFunc(x.Model.Targets, func(t model.Target) bool { return t.Decisive() }):
		return fmt.Sprintf("The bench has no requirement that decides: all %s count as feasible.", plain.Count(usable, "design"))
	case feasible == 0:
		return fmt.Sprintf("None of %s is feasible.", plain.Count(usable, "design"))
	case feasible == usable:
		return fmt.Sprintf("All %s are feasible.", plain.Count(usable, "design"))
	}
	return fmt.Sprintf("%s of %s %s feasible (%s).", plain.Whole(feasible), plain.Count(usable, "design"), map[bool]string{true: "is", false: "are"}[feasible == 1], percent(float64(feasible)/float64(usable)))
}

// met counts for each requirement that decides, and each wish, how many designs meet it.
func (x *Explorer) met(rows []int) []result.MetBy {
	all := []result.MetBy{}
	for _, q := range x.Model.Bench.Requirements {
		m := result.MetBy{ID: q.ID, Wish: !q.Decisive()}
		nearest := result.NearMiss{Margin: math.Inf(-1)}
		for _, i := range rows {
			margin := x.margin(i, q.ID)
			if margin >= 0 {
				m.Met++
			} else if margin > nearest.Margin {
				nearest = result.NearMiss{Evaluation: x.Evaluations[i].Number, Margin: margin}
			}
		}
		if m.Met == 0 && nearest.Evaluation > 0 {
			m.Nearest = &nearest
		}
		all = append(all, m)
	}
	return all
}

// target is the first of a requirement.
func (x *Explorer) target(id string) model.Target {
	return x.Model.Targets[slices.IndexFunc(x.Model.Targets, func(t model.Target) bool { return t.ID == id })]
}

// margin is the least that an evaluation has for a requirement in any case.
func (x *Explorer) margin(i int, id string) float64 {
	least := math.Inf(1)
	for _, t := range x.Model.Targets {
		if t.ID == id {
			least = min(least, t.Limit.Margin(x.Evaluations[i].Values[t.Column]))
		}
	}
	return least
}

func (x *Explorer) saysOf(m result.MetBy, usable int) string {
	t := x.target(m.ID)
	of := fmt.Sprintf("%s (%s)", m.ID, t.Of.Text)
	switch {
	case t.Wish:
		of = fmt.Sprintf("%s (%s, a wish)", m.ID, t.Of.Text)
	case m.Wish:
		of = fmt.Sprintf("%s (%s, soft)", m.ID, t.Of.Text)
	}
	switch {
	case m.Nearest != nil:
		return fmt.Sprintf("No design meets %s: evaluation %d comes nearest and misses by %s.", of, m.Nearest.Evaluation, plain.With(-m.Nearest.Margin, x.Model.Columns[t.Column].Unit))
	case m.Met == usable:
		return fmt.Sprintf("All designs meet %s.", of)
	}
	return fmt.Sprintf("%s of %s meet %s.", plain.Whole(m.Met), plain.Whole(usable), of)
}

// nearest says which design misses its requirements by the least, in shares of their limits.
func (x *Explorer) nearest(rows []int) []string {
	best, least, by := -1, math.Inf(1), model.Target{}
	for _, i := range rows {
		worst, of := 0.0, model.Target{}
		for _, t := range x.Model.Targets {
			if share := t.Limit.Share(x.Evaluations[i].Values[t.Column]); t.Decisive() && share > worst {
				worst, of = share, t
			}
		}
		if worst < least {
			best, least, by = i, worst, of
		}
	}
	if best < 0 {
		return nil
	}
	e := x.Evaluations[best]
	margin := by.Limit.Margin(e.Values[by.Column])
	return []string{fmt.Sprintf("Evaluation %d comes nearest to all of them: its worst is %s, missed by %s.", e.Number, by.Called(), plain.With(-margin, x.Model.Columns[by.Column].Unit))}
}

// conflicts finds the pairs of requirements of which each is met by some design, and both by none.
func (x *Explorer) conflicts(rows []int, met []result.MetBy) []result.Conflict {
	pairs := []result.Conflict{}
	decisive := slices.DeleteFunc(slices.Clone(met), func(m result.MetBy) bool { return m.Wish || m.Met == 0 })
	for b := range decisive {
		for a := range b {
			one, other := x.target(decisive[a].ID), x.target(decisive[b].ID)
			if !slices.ContainsFunc(rows, func(i int) bool { return x.margin(i, one.ID) >= 0 && x.margin(i, other.ID) >= 0 }) {
				pairs = append(pairs, x.conflict(rows, one, other))
			}
		}
	}
	return pairs
}

// pullsFrom is the rank correlation with two margins, in opposite senses, from which on an input pulls them apart.
const pullsFrom = 0.2

// conflict says of two requirements that no design meets both, and which input pulls them apart: that which goes up with the margin of one and
// down with that of the other.
func (x *Explorer) conflict(rows []int, one, other model.Target) result.Conflict {
	c := result.Conflict{Pair: [2]string{one.ID, other.ID}, Says: fmt.Sprintf("No design meets %s and %s together.", one.ID, other.ID)}
	if len(rows) < 4 {
		return c
	}
	designs, margins := make([]core.Design, len(rows)), [2][]float64{}
	for k, i := range rows {
		designs[k] = x.Evaluations[i].Design
		for side, t := range []model.Target{one, other} {
			margins[side] = append(margins[side], x.margin(i, t.ID))
		}
	}
	first, second := sensitivity.Correlate(x.Problem.Space, designs, margins[0]), sensitivity.Correlate(x.Problem.Space, designs, margins[1])
	most := 0.0
	for j, in := range x.Problem.Space {
		a, b := first[j].Rank.Value, second[j].Rank.Value
		if in.Unordered || min(math.Abs(a), math.Abs(b)) < pullsFrom || a*b >= 0 || -a*b <= most {
			continue
		}
		most, c.Input = -a*b, in.Name
		up, down := one.ID, other.ID
		if a < 0 {
			up, down = down, up
		}
		c.Says = fmt.Sprintf("No design meets %s and %s together: a larger %s helps %s and harms %s.", one.ID, other.ID, in.Name, up, down)
	}
	return c
}

// shownReasons is how many reasons of failures are told apart.
const shownReasons = 5

var anyNumber = regexp.MustCompile(`[-+]?[0-9][0-9.,]*`)

// failures says where evaluations failed, for each of the most frequent reasons. Reasons that differ in numbers only are one.
func (x *Explorer) failures() []result.FailureRegion {
	groups, order := map[string][]int{}, []string{}
	for i, e := range x.Evaluations {
		if e.State != core.Failed && e.State != core.TimedOut {
			continue
		}
		key := anyNumber.ReplaceAllString(e.Reason, "0")
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], i)
	}
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(len(groups[b]), len(groups[a])) })
	regions := []result.FailureRegion{}
	for _, key := range order[:min(len(order), shownReasons)] {
		rows := groups[key]
		reason := x.Evaluations[rows[0]].Reason
		regions = append(regions, result.FailureRegion{Reason: reason, Count: len(rows), Says: fmt.Sprintf("%s failed (%s)%s", plain.Count(len(rows), "evaluation"), strings.TrimSuffix(reason, "."), x.where(rows))})
	}
	return regions
}

// where says it of evaluations that failed, by their rows.
func (x *Explorer) where(failed []int) string {
	rows := x.rowsOf(func(e Evaluation) bool {
		return e.State == core.OK || e.State == core.Failed || e.State == core.TimedOut
	})
	designs, isFailed := make([]core.Design, len(rows)), make([]bool, len(rows))
	for k, i := range rows {
		designs[k] = x.Evaluations[i].Design
		_, isFailed[k] = slices.BinarySearch(failed, i)
	}
	if told := Where(x.Model, x.Problem.Space, designs, isFailed); told != "" {
		return ": " + told + "."
	}
	return "."
}
