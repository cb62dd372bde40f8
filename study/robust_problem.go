package study

import (
	"fmt"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/words"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/formula"
	"ropebench/core/plan"
	"ropebench/core/robust"
	"ropebench/core/space"
	"ropebench/core/uncertainty"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
)

// A robustProblem is a search over scatter: its evaluator, and what each of its values is.
type robustProblem struct {
	*session
	problem   model.Problem
	evaluator robust.Evaluator
	about     scatteringAbout
	told      []result.Told // of the columns, in their order
	columns   []int
	front     front // of several objectives
	trail     []result.Judged
	seen      *budget.Rank // of the best design that was judged over its draws; nil: none was
	// statistics is how many there are: the columns of formulas stand behind theirs.
	statistics int
}

// newRobustProblem puts the problem of the study over scatter.
func newRobustProblem(s *session) (*robustProblem, error) {
	settings := s.Study.Settings.(*bench.Optimize)
	about, err := s.scatteringAt(s.Model.Design(nil))
	if err != nil {
		return nil, err
	}
	r := &robustProblem{session: s, problem: s.Problem, about: about, trail: []result.Judged{}}
	normals := uncertainty.EvenNormals(plan.NewRand(s.Study.Seed), settings.Draws, len(about.names))
	r.evaluator = robust.Evaluator{Whole: s.evaluator, Width: len(s.Model.Columns), Part: func(slopes []float64) []float64 { return r.problem.Part(slopes) }, Plain: r.plain,
		Draws: func(part core.Design) []core.Design {
			whole := r.problem.Whole(part)
			draws := []core.Design{whole}
			scattered := r.about.at(whole)
			for i := range normals.Rows {
				draws = append(draws, scattered.design(scattered.joint.At(normals.Row(i))))
			}
			return draws
		}}
	r.problem.Behind = nil // what is behind the solver is taken over draws here
	r.problem.Constraints = nil
	r.statistics = r.countStatistics()
	r.constrain()
	for _, goal := range s.Study.Goals() {
		r.problem.Objectives = append(r.problem.Objectives, core.Objective{Value: r.add(goal.Formula), Maximize: goal.Maximize})
		r.tell(result.Told{Of: goal.Formula.Text, Unit: s.unitOfStatistic(goal.Formula)}, r.problem.Objectives[len(r.problem.Objectives)-1].Value)
	}
	r.front = front{model: s.Model, objectives: r.problem.Objectives, constraints: s.Problem.Constraints}
	for _, goal := range s.Study.Goals() {
		r.front.called = append(r.front.called, model.Column{Name: goal.Formula.Text, Unit: s.unitOfStatistic(goal.Formula)})
	}
	return r, nil
}

// begun is what is known of the answer from the beginning.
func (r *robustProblem) begun(by string) *result.Robust {
	return &result.Robust{By: by, Draws: r.Study.Settings.(*bench.Optimize).Draws, Inputs: r.about.names, Told: []result.Told{}, Trail: r.trail}
}

// see takes note of a design that was judged over its draws.
func (r *robustProblem) see(design core.Design, o core.Outcome) {
	if o.State != core.OK || o.Repeated {
		return
	}
	r.chooseBetter(design, o)
	if len(r.problem.Objectives) > 0 {
		r.trail = append(r.trail, result.Judged{Evaluation: o.Number, Objective: o.Values[r.problem.Objectives[0].Value], Kept: r.problem.Feasible(o.Values)})
		r.enter(func(p *result.Parts) { p.Robust = r.begun("draws") })
	}
	if r.problem.Feasible(o.Values) {
		r.front.see(dispatch.Record{Number: o.Number, Design: r.problem.Whole(design), State: o.State, Values: o.Values}, budget.Rank{})
	}
}

// chooseBetter shows the best design so far, so that a run that is stopped has one.
func (r *robustProblem) chooseBetter(design core.Design, o core.Outcome) {
	rank := budget.NewOrder(r.problem.Goal).Rank(o)
	if len(r.problem.Objectives) > 1 || r.seen != nil && !rank.Better(*r.seen) {
		return
	}
	r.seen = &rank
	var objective *float64
	if len(r.problem.Objectives) == 1 {
		objective = &o.Values[r.problem.Objectives[0].Value]
	}
	r.choose(o.Number, r.problem.Whole(design), o.Values[:r.evaluator.Width], objective)
}

// asksProbability is true where the objective or a requirement is a probability: over draws it goes in steps, and has no slopes.
func (r *robustProblem) asksProbability() bool {
	of := func(e formula.Expression) bool {
		return slices.ContainsFunc(e.Statistics, func(s formula.Statistic) bool { return s.Kind == formula.Probability })
	}
	return slices.ContainsFunc(r.Study.Goals(), func(g bench.Objective) bool { return of(g.Formula) }) ||
		slices.ContainsFunc(r.bench.MetBy(r.Study), func(q bench.Requirement) bool { return of(q.Of) })
}

// unitOfStatistic is that of what a single statistic is of; "" where the expression is made of more.
func (a *Asked) unitOfStatistic(e formula.Expression) string {
	if len(e.Statistics) == 1 && e.Text == e.Statistics[0].Name && e.Statistics[0].Kind != formula.Probability {
		return a.bench.UnitOf(e.Statistics[0].Of.Text)
	}
	return a.bench.UnitOf(e.Text)
}

func (r *robustProblem) countStatistics() int {
	n := 0
	for _, goal := range r.Study.Goals() {
		n += len(goal.Formula.Statistics)
	}
	for _, q := range r.bench.MetBy(r.Study) {
		switch {
		case q.Of.Statistics != nil:
			for _, one := range q.Limited() {
				n += len(one.Of.Statistics)
			}
		case q.Probability > 0:
			n++
		}
	}
	return n
}

// constrain adds the requirements: those that are to be met with a probability as a quantile of their margin, those on statistics, and the others for
// the design without scatter.
func (r *robustProblem) constrain() {
	for _, q := range r.bench.MetBy(r.Study) {
		switch {
		case q.Of.Statistics != nil:
			for _, one := range q.Limited() {
				at := r.add(one.Of)
				r.problem.Constraints = append(r.problem.Constraints, core.Constraint{Value: at, Limit: q.Limit, Equal: q.Kind == "equals"})
				r.tell(result.Told{Of: one.Of.Text, Unit: r.unitOfStatistic(one.Of), Requirement: q.ID, Limit: words.Limit(r.bench, q)}, at)
			}
		case q.Probability > 0:
			var limits []core.Constraint
			for _, t := range r.targetsOf(q.ID) {
				limits = append(limits, t.Constraint())
			}
			r.evaluator.Statistics = append(r.evaluator.Statistics, robust.Statistic{Value: robust.Value{Limits: limits}, Of: uncertainty.QuantileOf(1 - q.Probability)})
			at := r.evaluator.Width + len(r.evaluator.Statistics) - 1
			r.problem.Constraints = append(r.problem.Constraints, core.Constraint{Value: at, Limit: core.Limit{Lower: 0, Upper: math.Inf(1), Reserve: q.Limit.Reserve}, Price: q.Price})
			r.tell(result.Told{Of: fmt.Sprintf("margin of %s that is kept with a probability of %s", q.Of.Text, plain.Percent(q.Probability)), Unit: r.bench.Unit(q.Of.Text), Requirement: q.ID, Limit: "at least 0"}, at)
		default:
			for _, t := range r.targetsOf(q.ID) {
				r.problem.Constraints = append(r.problem.Constraints, t.Constraint())
			}
		}
	}
}

func (a *Asked) targetsOf(id string) []model.Target {
	return slices.DeleteFunc(slices.Clone(a.Model.Targets), func(t model.Target) bool { return t.ID != id })
}

func (r *robustProblem) tell(t result.Told, column int) {
	r.told, r.columns = append(r.told, t), append(r.columns, column)
}

// add makes a formula a column.
func (r *robustProblem) add(e formula.Expression) int {
	f := robust.Formula{Expression: e, Statistics: map[string]int{}}
	for _, s := range e.Statistics {
		f.Statistics[s.Name] = len(r.evaluator.Statistics)
		r.evaluator.Statistics = append(r.evaluator.Statistics, robust.Statistic{Value: robust.Value{Column: r.Model.Column(s.Of.Text)}, Of: statisticOf(s)})
	}
	r.evaluator.Formulas = append(r.evaluator.Formulas, f)
	return r.evaluator.Width + r.statistics + len(r.evaluator.Formulas) - 1
}

func statisticOf(s formula.Statistic) uncertainty.Statistic {
	switch s.Kind {
	case formula.Deviation:
		return uncertainty.DeviationOf
	case formula.Quantile:
		return uncertainty.QuantileOf(s.Share)
	}
	return uncertainty.ExpectedOf // a probability is what is expected of 1 where it holds
}

// plain is a value without scatter.
func (r *robustProblem) plain(name string, part core.Design, values []float64) robust.Plain {
	if column := r.Model.Column(name); column >= 0 {
		return robust.Plain{Number: values[column], Column: column, Axis: -1}
	}
	row := make([]float64, r.Model.Variables())
	r.Model.Fill(r.problem.Whole(part), row)
	axis := slices.IndexFunc(r.problem.Space, func(in space.Input) bool { return in.Name == name })
	return robust.Plain{Number: r.Model.Value(name, row, values).Number, Column: -1, Axis: axis}
}
