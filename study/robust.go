package study

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/model"
	"ropebench/result"
)

// robustKind is a search whose objectives or requirements are statistics over scatter. Studies of kind optimize that ask for such are of it.
var robustKind = kind{name: "optimize", best: chosen, prepare: prepareRobust, budget: budgetOfSearch, moves: scattered, draws: true, run: searchRobust}

const (
	drawsOfMeans  = 32   // for means and deviations
	drawsOfShares = 100  // for quantiles and probabilities at least
	drawsBeyond   = 10   // a quantile has so many draws beyond it: with 200 draws that of 95 % is off by a tenth of a deviation or less
	mostDraws     = 1000 // where the study does not name a number
)

// isRobust is true for a search over scatter: an objective or a requirement that it must meet is a statistic, or it names how many draws there are.
func (a *Asked) isRobust(b *bench.Bench) bool {
	_, is := a.Study.Settings.(*bench.Optimize)
	return asksScatter(a.Study) || is && slices.ContainsFunc(b.MetBy(a.Study), func(q bench.Requirement) bool { return statistical(q.Of) })
}

// asksScatter is true for a study that says so itself: by an objective, or by how many draws there are.
func asksScatter(s bench.Study) bool {
	settings, is := s.Settings.(*bench.Optimize)
	return is && (settings.Draws > 0 || slices.ContainsFunc(settings.Goals(), func(o bench.Objective) bool { return statistical(o.Formula) }))
}

func prepareRobust(a *Asked) error {
	settings := *a.Study.Settings.(*bench.Optimize)
	a.Study.Settings, a.Outer = &settings, &settings
	switch {
	case len(scattered(a)) == 0:
		return fmt.Errorf("study %s asks what scatter does, and no input scatters that is not held: give one a distribution, as in scatter: {normal: {mean: 80, sd: 14}}, or a tolerance", a.Study.Name)
	case a.Question.Kind == "sweep":
		return fmt.Errorf("study %s: a sweep cannot search over scatter in every cell: run it for the cells that matter", a.Study.Name)
	case settings.Using.SurrogateOf != "":
		return fmt.Errorf("study %s: a search over scatter has surrogates of its own: leave using out, and say method: surrogate", a.Study.Name)
	case settings.Repeats > 1:
		return fmt.Errorf("study %s: a search over scatter is made once: leave repeats out, and run it with another seed", a.Study.Name)
	}
	if _, err := a.bench.Joint(scattered(a)); err != nil {
		return fmt.Errorf("study %s: %w", a.Study.Name, err)
	}
	if settings.Draws == 0 {
		settings.Draws = a.drawsNeeded()
	}
	if !a.Study.Budget.Bounded() {
		a.Study.Budget.Evaluations = evaluationsOfASearch
		if len(a.bench.Solver.Steps) == 0 && settings.Methods[0] != "surrogate" {
			a.Study.Budget.Evaluations *= 1 + settings.Draws
		}
	}
	return prepareSearch(a)
}

// drawsNeeded are enough for means, and for every quantile that is asked for.
func (a *Asked) drawsNeeded() int {
	n := drawsOfMeans
	need := func(share float64) {
		n = max(n, min(mostDraws, int(math.Ceil(drawsBeyond/min(share, 1-share)))))
	}
	of := func(e formula.Expression) {
		for _, s := range e.Statistics {
			switch s.Kind {
			case formula.Quantile:
				need(s.Share)
				fallthrough
			case formula.Probability:
				n = max(n, drawsOfShares)
			}
		}
	}
	for _, goal := range a.Study.Goals() {
		of(goal.Formula)
	}
	for _, q := range a.bench.MetBy(a.Study) {
		of(q.Of)
		if q.Probability > 0 {
			need(q.Probability)
		}
	}
	return n
}

// searchRobust finds the design that is best without scatter, and from there the one that is best with it.
func searchRobust(ctx context.Context, s *session) (string, error) {
	r, err := newRobustProblem(s)
	if err != nil {
		return "", err
	}
	if (hunt{session: s, problem: r.problem}).few() || s.Study.Search().Methods[0] == "surrogate" {
		return r.onSurrogates(ctx)
	}
	alone, err := r.alone(ctx)
	if err != nil {
		return "", err
	}
	r.evaluator.See = r.see
	found, err := r.over(ctx, r.evaluator.WithDerivatives(), alone, s.Study.Budget.Evaluations-alone.Used)
	if err != nil {
		return "", err
	}
	if found.Reason = r.reason(found); found.Best.Design == nil {
		return found.Reason, nil
	}
	return found.Reason, r.answer(ctx, r.evaluator, found, alone, r.begun("draws"))
}

// problemAlone is the problem without scatter; false where nothing is asked of a design then.
func (r *robustProblem) problemAlone() (p model.Problem, asked bool) {
	goals := r.Study.Goals()
	if len(goals) != 1 {
		return p, false
	}
	without, err := goals[0].Formula.WithoutScatter()
	if err != nil || len(without.Names) == 0 {
		return p, false
	}
	p = r.session.Problem
	p.Objectives = []core.Objective{{Value: r.Model.Column(without.Text), Maximize: goals[0].Maximize}}
	return p, true
}

// alone searches for the best design without scatter; there is none where nothing is asked of that.
func (r *robustProblem) alone(ctx context.Context) (optimize.Result, error) {
	p, asked := r.problemAlone()
	if !asked {
		return optimize.Result{}, nil
	}
	r.note("looks for the design that is best without scatter")
	most := 0
	if total := r.Study.Budget.Evaluations; total > 0 { // most of it is for designs that are evaluated with all their draws
		most = max(1, min(total/2, max(evaluationsOfASearch, total/(1+r.Study.Settings.(*bench.Optimize).Draws))))
	}
	h := r.hunt(p.Over(r.session.evaluator), most, r.startOf(p))
	h.problem = p
	return h.run(ctx)
}

// hunt is a search with so many evaluations.
func (r *robustProblem) hunt(e core.Evaluator, evaluations int, start core.Design) hunt {
	asked := *r.Asked
	asked.Study.Budget.Evaluations = evaluations
	own := *r.session
	own.Asked = &asked
	return hunt{session: &own, problem: r.problem, evaluator: e, start: start, seed: r.Study.Seed}
}

// placesAlone is from how many of the places that a search without scatter has found one over scatter begins.
const placesAlone = 3

// over searches over scatter: from the best places without it, or by a method that the study names.
func (r *robustProblem) over(ctx context.Context, e core.Evaluator, alone optimize.Result, evaluations int) (optimize.Result, error) {
	each := 1 + r.Study.Settings.(*bench.Optimize).Draws
	left := evaluations / each
	if r.Study.Budget.Evaluations == 0 {
		left = math.MaxInt32 // time ends it
	}
	start := r.startOf(r.problem)
	if alone.Best.Design != nil {
		start = alone.Best.Design
	}
	if left < 2 {
		return optimize.Result{}, fmt.Errorf("the budget leaves %s for designs that are evaluated %d times each, with their draws: give more evaluations, ask for fewer draws, or say method: surrogate", plain.Count(max(0, evaluations), "evaluation"), each)
	}
	if len(r.problem.Objectives) > 1 || !slices.Equal(r.Study.Search().Methods, []string{"auto"}) {
		r.note("searches over scatter")
		return r.hunt(e, left, start).run(ctx)
	}
	if r.asksProbability() {
		r.note("searches over scatter by samples that settle, since a probability has no slopes over draws")
		settings := r.Study.Search()
		return optimize.CMAES(ctx, r.problem.Problem, e, optimize.Options{Seed: r.Study.Seed, Budget: left, Start: start, Tolerance: settings.Stop.Tolerance, Plateau: settings.Stop.Plateau}, r.note)
	}
	starts := []core.Design{start}
	for _, other := range alone.Others[:min(len(alone.Others), placesAlone-1)] {
		starts = append(starts, other.Design)
	}
	order := budget.NewOrder(r.problem.Goal)
	var best optimize.Result
	first, kept := r.startOf(r.problem), 0
	if !slices.Equal(first, start) {
		kept = 1 // for the start itself, where nothing else keeps every requirement
	}
	for i, start := range starts {
		r.note(fmt.Sprintf("searches over scatter, from place %d of %d that are good without it", i+1, len(starts)))
		found, err := optimize.FromStart(ctx, r.problem.Problem, e, optimize.Options{Seed: r.Study.Seed, Budget: max(1, left-kept), Start: start, Effort: optimize.Quick}, r.note)
		if err != nil {
			return found, err
		}
		left -= found.Used
		if best.Best.Design == nil || found.Best.Design != nil && order.Rank(found.Best.Outcome).Better(order.Rank(best.Best.Outcome)) {
			found.Used += best.Used
			best = found
		} else {
			best.Used += found.Used
		}
		if left-kept < 1 {
			break
		}
	}
	if best.Best.Design != nil && !best.Best.Rank.Kept() && left > 0 && kept > 0 {
		r.note("searches over scatter from the start, since nothing near to what is good without it keeps every requirement")
		found, err := optimize.FromStart(ctx, r.problem.Problem, e, optimize.Options{Seed: r.Study.Seed, Budget: left, Start: first, Effort: optimize.Quick}, r.note)
		if err != nil {
			return found, err
		}
		left -= found.Used
		if used := best.Used + found.Used; found.Best.Design != nil && order.Rank(found.Best.Outcome).Better(order.Rank(best.Best.Outcome)) {
			best = found
			best.Used = used
		}
	}
	if best.Best.Design == nil && left > 0 {
		r.note("searches over scatter from anywhere, since a draw fails at every place that is good without it")
		return r.hunt(e, left, start).run(ctx)
	}
	return best, nil
}

// reason says why a search ended whose designs are evaluated with their draws.
func (r *robustProblem) reason(found optimize.Result) string {
	draws := r.Study.Settings.(*bench.Optimize).Draws
	switch {
	case found.Best.Design == nil:
		return fmt.Sprintf("in some of its %d draws every design fails that was tried: look at what fails there, narrow the distributions, or begin at a design that the solver can do in all of them", draws)
	case found.Cause == budget.UsedUp:
		return fmt.Sprintf("its evaluations are used up, by %s with %d draws each", plain.Count(found.Used, "design"), draws)
	}
	return found.Reason
}

// answer enters the design, what it does under scatter, and the one that ignores that.
func (r *robustProblem) answer(ctx context.Context, e core.Evaluator, found, alone optimize.Result, part *result.Robust) error {
	best := found.Best.Design
	number, values := found.Best.Outcome.Number, found.Best.Outcome.Values
	if members := r.front.sorted(); len(members) > 0 {
		m := members[compromise(members)]
		best, number, values = r.problem.Part(m.design), m.number, m.values
	}
	var ignoring []float64
	if alone.Best.Design != nil {
		outcomes, err := e.Evaluate(ctx, []core.Design{alone.Best.Design})
		if err != nil {
			return err
		}
		ignoring = outcomes[0].Values
		part.Alone = &result.WithoutScatter{Evaluation: alone.Best.Outcome.Number, Inputs: r.Model.Values(r.problem.Whole(alone.Best.Design)), Used: alone.Used}
	}
	for i, t := range r.told {
		if t.Value = values[r.columns[i]]; ignoring != nil {
			t.Alone = &ignoring[r.columns[i]]
		}
		if t.Requirement != "" {
			at := slices.IndexFunc(r.problem.Constraints, func(c core.Constraint) bool { return c.Value == r.columns[i] })
			holds := r.problem.Constraints[at].Limit.Margin(t.Value) >= 0
			if q, _ := r.bench.Requirement(t.Requirement); !holds && q.Decisive() && !slices.Contains(part.Missed, q.ID) {
				part.Missed = append(part.Missed, q.ID)
			}
			t.Holds = &holds
		}
		part.Told = append(part.Told, t)
	}
	method := strings.Join(r.Study.Search().Methods, ", ")
	r.enter(func(p *result.Parts) {
		if len(r.front.members) > 0 {
			p.Front, p.Tradeoff, _ = r.front.show()
		}
		p.Search = &result.Search{Method: method + " over scatter", Ended: string(found.Cause), Used: found.Used, ImprovedAt: found.ImprovedAt, Says: found.Reason}
		p.Robust = part
	})
	var objective *float64
	if len(r.problem.Objectives) == 1 {
		objective = &values[r.problem.Objectives[0].Value]
	}
	r.choose(number, r.problem.Whole(best), values[:r.evaluator.Width], objective)
	return nil
}
