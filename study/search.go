package study

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/curve"
	"ropebench/core/optimize"
	"ropebench/model"
	"ropebench/result"
)

// evaluationsOfASearch is the budget of a search that names none, neither evaluations nor time.
const evaluationsOfASearch = 200

// prepareSearch fills in the budget of a search, and refuses one that has nothing to move.
func prepareSearch(a *Asked) error {
	if !a.Study.Budget.Bounded() {
		a.Study.Budget.Evaluations = evaluationsOfASearch
	}
	if err := a.mustVary(); err != nil {
		return err
	}
	for _, name := range a.Study.Search().Methods {
		if unsuited := optimize.Unsuited(name, a.Problem.Space); unsuited != "" {
			return fmt.Errorf("study %s: %s", a.Study.Name, unsuited)
		}
	}
	if a.Outer != a.Study.Settings {
		return nil // a cell of a sweep may have no design
	}
	return a.mustHaveRoom()
}

// mustHaveRoom refuses a search whose requirements on inputs alone exclude each other.
func (a *Asked) mustHaveRoom() error {
	if excluded := a.excluded(a.Problem, a.Problem.Part(a.Model.Design(a.Question.Start))); excluded != "" {
		return fmt.Errorf("study %s: %s within the ranges of the inputs that move, as far as is found from formulas of inputs alone, and nothing was asked of the solver: widen a range, give a limit, or leave one out of meet", a.Study.Name, excluded)
	}
	return nil
}

// excluded says which requirements on inputs alone no design of a problem meets together; "" where one does, as far as is found.
func (a *Asked) excluded(p model.Problem, start core.Design) string {
	excluded := optimize.Excluded(p.Problem, optimize.Options{Budget: 1, Start: start})
	if len(excluded) == 0 {
		return ""
	}
	met := a.Model.Bench.MetBy(a.Study)
	var named []string
	i := 0
	for _, t := range a.Model.Targets {
		if !slices.ContainsFunc(met, func(q bench.Requirement) bool { return q.ID == t.ID }) {
			continue
		}
		if slices.Contains(excluded, i) {
			named = append(named, t.Called())
		}
		i++
	}
	verb := "exclude each other"
	if len(named) == 1 {
		verb = "cannot be met"
	}
	return strings.Join(named, " and ") + " " + verb
}

// EvaluationsOf is how many evaluations a search takes at most, by what the bench file says; 0: that is not known before.
func EvaluationsOf(s bench.Study) int {
	settings := s.Search()
	switch {
	case settings == nil, asksScatter(s): // draws multiply them
		return 0
	case !s.Budget.Bounded():
		return evaluationsOfASearch * settings.Repeats
	}
	return s.Budget.Evaluations * settings.Repeats
}

// budgetOfSearch is that of every repeat, times the repeats.
func budgetOfSearch(a *Asked) int { return a.Study.Budget.Evaluations * a.Study.Search().Repeats }

// A hunt is a search for the best design of a problem: its methods in turn.
type hunt struct {
	*session
	problem   model.Problem
	evaluator core.Evaluator
	start     core.Design
	then      core.Design // the second start; nil: there is none
	learned   *optimize.Learned
	earlier   []optimize.Evaluated // by other runs
	seed      uint64
	quiet     bool // of many: it says nothing while it goes on
}

// startOf is where a search begins: what the question says, or the study.
func (s *session) startOf(p model.Problem) core.Design {
	start := s.Study.Search().Start.Values
	if s.Question.Start != nil {
		start = s.Question.Start
	}
	return p.Part(s.Model.Design(start))
}

// method is what the study names: seek has its own.
func (h hunt) methods() []string {
	settings := h.Study.Search()
	if h.Study.Kind == "seek" {
		return []string{"seek"}
	}
	if settings.Using.SurrogateOf != "" {
		return []string{"stand-in"}
	}
	return settings.Methods
}

var effortOf = map[string]optimize.Effort{"quick": optimize.Quick, "normal": optimize.Normal, "thorough": optimize.Thorough}

// run runs the methods in turn, each from where the one before ended, on what is left of the budget in equal parts.
func (h hunt) run(ctx context.Context) (optimize.Result, error) {
	settings, methods := h.Study.Search(), h.methods()
	left, open := h.Study.Budget.Evaluations, len(methods)*settings.Rounds
	if left == 0 {
		left = math.MaxInt // time ends it
	}
	order := budget.NewOrder(h.problem.Goal)
	var all optimize.Result
	var answers []budget.Answer
	used, start, learned := 0, h.start, h.learned
	external := len(h.Model.Bench.Solver.Steps) > 0
	for range settings.Rounds {
		for _, name := range methods {
			options := optimize.Options{Seed: h.seed, Budget: max(1, left/open), Start: start, Then: h.then, Learned: learned, Tolerance: settings.Stop.Tolerance, Plateau: settings.Stop.Plateau, Effort: effortOf[settings.Effort],
				Check: external, Few: h.few(), AtOnce: h.Question.AtOnce, Earlier: h.earlier, Coarse: h.coarsely(), Curves: h.curvesOf, Noisy: h.Model.Bench.Solver.Noisy}
			open--
			found, err := h.method(name)(ctx, h.problem.Problem, h.evaluator, options, h.says)
			if err != nil {
				return found, err
			}
			order.Scale(found.Best.Outcome)
			better := all.Best.Design == nil || found.Best.Design != nil && order.Rank(found.Best.Outcome).Better(order.Rank(all.Best.Outcome))
			if !better {
				found.Best, found.ImprovedAt = all.Best, all.ImprovedAt
			} else {
				found.ImprovedAt += used
			}
			answers = append(answers, found.Answers...)
			found.Answers = answers
			used += found.Used
			left -= found.Used
			found.Used = used
			all = found
			if len(methods) > 1 {
				all.Reason = name + ": " + all.Reason
			}
			if left < 1 || all.Cause == budget.Satisfied {
				return all, nil
			}
			if all.Best.Design != nil {
				start, learned = all.Best.Design, all.Learned
			}
		}
	}
	return all, nil
}

// curvesOf are the vectors and curves that the solver gave in an evaluation.
func (h hunt) curvesOf(number int) ([]curve.Curve, error) {
	record, err := h.record(number)
	_, given := h.Model.Outputs()
	return record.Curves[:min(given, len(record.Curves))], err
}

func (h hunt) method(name string) optimize.Method {
	switch name {
	case "seek":
		return optimize.Seek
	case "stand-in":
		return optimize.StandIn
	}
	return optimize.Methods[name]
}

func (h hunt) says(text string) {
	if !h.quiet {
		h.note(text)
	}
}

// remarks are what is to be known of a search before it begins.
func (h hunt) remarks() []string {
	var remarks []string
	for i, in := range h.problem.Space {
		if in.Values == nil && (h.start[i] < in.Lower || h.start[i] > in.Upper) {
			remarks = append(remarks, fmt.Sprintf("the start has %s = %s, outside of its range of %s to %s: the search begins at the nearest end", in.Name, plain.Show(h.start[i]), plain.Show(in.Lower), plain.Show(in.Upper)))
		}
	}
	_, exact := h.evaluator.(core.Differentiator)
	if least, most := len(h.problem.Space)+2, h.Study.Budget.Evaluations; most > 0 && most < least && !exact {
		remarks = append(remarks, fmt.Sprintf("a budget of %s does not pay for the slopes of %s: it is good for a look at the start and its neighbours; %d or more make a search", plain.Count(most, "evaluation"), plain.Count(len(h.problem.Space), "input"), 10*least))
	}
	if h.Model.Bench.Solver.Noisy {
		for _, c := range h.problem.Constraints {
			if c.Equal {
				remarks = append(remarks, "an equation is asked of a noisy solver: within its tolerance it may hold by chance, verify the design with repeats")
				break
			}
		}
	}
	return remarks
}

// few is true where each evaluation is worth to be thought about: the solver is known to be slow or has a coarse
// variant, or the budget is small. In a sweep the
// neighbours' best designs say more.
func (h hunt) few() bool {
	if len(h.Model.Bench.Solver.Steps) == 0 || h.Question.Kind != "optimize" {
		return false
	}
	most := h.Study.Budget.Evaluations
	return h.coarse != nil || h.Question.Pace > slowPace || most > 0 && most <= fewForAnInput*(len(h.problem.Space)+1)
}

// checks are the designs at which a stand-in was compared with the solver.
func (h hunt) checks(found optimize.Result) []result.Check {
	var all []result.Check
	named := func(values map[int]float64) map[string]float64 {
		names := map[string]float64{}
		for column, value := range values {
			names[h.Model.Columns[column].Name] = value
		}
		return names
	}
	for _, c := range found.Checks {
		all = append(all, result.Check{Evaluation: c.Number, Predicted: named(c.Predicted), Computed: named(c.Computed), Agrees: c.Agrees})
	}
	return all
}

// chose says what a search does and why, and what it knew.
func chose(found optimize.Result) string {
	if found.Knew == 0 {
		return found.Chose
	}
	knew := "it knew " + plain.Count(found.Knew, "evaluation") + " of earlier runs, at no cost"
	if found.Chose == "" {
		return knew
	}
	return found.Chose + "; " + knew
}

// searched is what is told of a search.
func (h hunt) searched(found optimize.Result) *result.Search {
	return &result.Search{Coarse: h.usedCoarse(found), Method: strings.Join(h.methods(), ", "), Chose: chose(found), Ended: string(found.Cause), Used: found.Used, ImprovedAt: found.ImprovedAt, Misses: found.Best.Design != nil && !found.Best.Rank.Kept(), Says: found.Reason, Remarks: slices.Concat(h.remarks(), together(found), h.doubts(found), h.luck(found))}
}

// together says that designs were chosen by which of those at work ended first.
func together(found optimize.Result) []string {
	if found.Together < 2 {
		return nil
	}
	return []string{fmt.Sprintf("up to %d designs were evaluated at a time, and the next was chosen as soon as one had ended: another run with the same seed may go another way; --slots 1 makes it repeat itself", found.Together)}
}

// doubts says which derivatives of the solver were found wrong.
func (h hunt) doubts(found optimize.Result) []string {
	var says []string
	for _, column := range slices.Sorted(maps.Keys(found.Doubted)) {
		d := found.Doubted[column]
		says = append(says, fmt.Sprintf("the derivative of %s by %s that the solver gives is %s, and the difference of neighbours is %s: differences were taken for %s", h.Model.Columns[column].Name, h.problem.Space[d.Input].Name, plain.Show(d.Given), plain.Show(d.Difference), h.Model.Columns[column].Name))
	}
	return says
}

// objectiveOf is the objective of values in the user's own sense; nil where there is none.
func objectiveOf(goal core.Goal, values []float64) *float64 {
	if !goal.Aims() || values == nil {
		return nil
	}
	value := goal.Least(values)
	if len(goal.Objectives) > 0 {
		value = values[goal.Objectives[0].Value]
	}
	return &value
}

// repeated searches with the seeds that follow each other, and says how far apart these end.
func (h hunt) repeated(ctx context.Context) (optimize.Result, error) {
	repeats := h.Study.Search().Repeats
	if repeats == 1 {
		return h.run(ctx)
	}
	order := budget.NewOrder(h.problem.Goal)
	var best optimize.Result
	var answers []budget.Answer
	var ends []result.Seed
	for i := range repeats {
		one := h
		one.seed = h.seed + uint64(i)
		h.says(fmt.Sprintf("search %d of %d, with seed %d", i+1, repeats, one.seed))
		found, err := one.run(ctx)
		if err != nil {
			return found, err
		}
		end := result.Seed{Seed: one.seed, Evaluation: found.Best.Outcome.Number, Objective: objectiveOf(h.problem.Goal, found.Best.Outcome.Values),
			Feasible: found.Best.Design != nil && h.problem.Feasible(found.Best.Outcome.Values), Used: found.Used, Says: found.Reason}
		if found.Best.Outcome.Values != nil {
			end.Paid = h.problem.Paid(found.Best.Outcome.Values)
		}
		ends = append(ends, end)
		if best.Best.Design == nil || found.Best.Design != nil && order.Rank(found.Best.Outcome).Better(order.Rank(best.Best.Outcome)) {
			best = found
		}
		answers = append(answers, found.Answers...)
		best.Answers = answers
		h.enter(func(p *result.Parts) { p.Spread = &result.Spread{Ends: ends, Says: apart(ends, h.problem.Objectives)} })
	}
	return best, nil
}

// sameEnd is the share of the objective within which two searches ended at one value.
const sameEnd = 1e-3

// apart says how far apart searches ended.
func apart(ends []result.Seed, objectives []core.Objective) string {
	sign, with := 1.0, ""
	if len(objectives) > 0 && objectives[0].Maximize {
		sign = -1
	}
	least, most, feasible := math.Inf(1), math.Inf(-1), 0
	for _, end := range ends {
		if !end.Feasible {
			continue
		}
		feasible++
		if end.Objective != nil {
			objective := *end.Objective + sign*end.Paid
			least, most = min(least, objective), max(most, objective)
			if end.Paid > 0 {
				with = ", with what is paid for soft requirements"
			}
		}
	}
	searches := plain.Count(len(ends), "search")
	if len(ends) > 1 {
		searches = fmt.Sprintf("%d searches", len(ends))
	}
	switch {
	case feasible == 0:
		return fmt.Sprintf("none of %s found a design that meets every requirement", searches)
	case math.IsInf(least, 1):
		return fmt.Sprintf("%d of %s found a design that meets every requirement", feasible, searches)
	case feasible < len(ends):
		return fmt.Sprintf("%d of %s found designs that meet every requirement, with objectives from %s to %s%s: do not believe one of them alone", feasible, searches, plain.Show(least), plain.Show(most), with)
	case most-least <= sameEnd*math.Max(math.Abs(least), math.Abs(most)):
		return fmt.Sprintf("all %s ended at an objective of %s%s", searches, plain.Show(least), with)
	}
	return fmt.Sprintf("%s ended at objectives from %s to %s%s: do not believe one of them alone", searches, plain.Show(least), plain.Show(most), with)
}

// settled enters what a search found: how it ended, and what holds its best design.
func (h hunt) settled(ctx context.Context, found optimize.Result) error {
	if len(h.problem.Objectives) > 1 {
		h.enter(func(p *result.Parts) { p.Search = h.searched(found) })
		return nil
	}
	if h.Model.Bench.Solver.Noisy {
		return h.settledWithNoise(ctx, found)
	}
	optimum, err := optimize.Explain(ctx, h.problem.Problem, h.evaluator, h.atNoCost(), found)
	if err != nil {
		return err
	}
	told := h.tell(found, optimum)
	h.enter(func(p *result.Parts) {
		p.Search, p.Optimum, p.Checks = h.searched(found), told, h.checks(found)
		if found.Learned != nil {
			p.Learned = &result.Learned{Of: h.shape(), Learned: *found.Learned}
		}
	})
	return nil
}

// atNoCost answers designs of the problem beside the run; nil where the solver is not made of formulas, or designs are judged over draws.
func (h hunt) atNoCost() core.Evaluator {
	if h.aside == nil || h.overScatter {
		return nil
	}
	return h.problem.Over(h.aside)
}

// shape tells apart problems of which different things are learned: by their objective, and by the scales of their inputs.
func (h hunt) shape() string {
	var shape []string
	for _, goal := range h.Study.Goals() {
		shape = append(shape, fmt.Sprintf("%s, most: %t", goal.Formula.Text, goal.Maximize))
	}
	for _, in := range h.problem.Space {
		if in.Log {
			shape = append(shape, in.Name+" by ratios")
		}
	}
	return strings.Join(shape, "; ")
}

// recalled is what an earlier search has learned, where that was of the same.
func (h hunt) recalled(learned *result.Learned) *optimize.Learned {
	if learned == nil || learned.Of != h.shape() {
		return nil
	}
	return &learned.Learned
}
