package study

import (
	"fmt"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/formula"
	"ropebench/core/pareto"
	"ropebench/core/verdict"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
)

// A FrontQuestion asks for a front among the evaluations of a run, whatever that was about: no solver is called.
type FrontQuestion struct {
	Minimize, Maximize []string // names of values; neither: the objectives of the run
	Meet               []string // ids of requirements that members must meet; nil: all that are neither wishes nor soft
}

// A BadQuestion says what is asked that a run cannot tell.
type BadQuestion string

func (b BadQuestion) Error() string { return string(b) }

// A FrontAgain is a front that was taken again. Where no evaluation meets what is asked it is that of the least violated, or has no designs
// and no trade-off where the question names the requirements.
type FrontAgain struct {
	Front    []*result.Design
	Tradeoff *result.Tradeoff
	Growth   []result.Growth
}

// Front takes the front of a run again. An error of type BadQuestion says what is wrong with the question.
func (r *Runs) Front(id int, q FrontQuestion) (again FrontAgain, err error) {
	_, a, err := r.asked(id)
	if err != nil {
		return again, err
	}
	if a.overScatter && len(q.Minimize)+len(q.Maximize) == 0 && q.Meet == nil {
		_, parts, err := r.Result(id) // no evaluation has its objectives: they are over draws
		if err != nil || parts.Tradeoff != nil {
			return FrontAgain{Front: parts.Front, Tradeoff: parts.Tradeoff, Growth: []result.Growth{}}, err
		}
	}
	f := front{model: a.Model, constraints: a.Problem.Constraints}
	if f.objectives, err = objectivesOf(a, q); err != nil {
		return again, err
	}
	meets, err := meeting(a.Model, q.Meet)
	if err != nil {
		return again, err
	}
	var met []dispatch.Record // in the order in which they were asked, without what is not needed
	for record, err := range r.records.Replay(id) {
		if err != nil {
			return again, err
		}
		switch {
		case record.State != core.OK:
		case meets(record.Values):
			f.see(record, budget.Rank{})
			met = append(met, dispatch.Record{Number: record.Number, Values: slices.Clone(record.Values)})
		case q.Meet == nil:
			f.seeMissing(record, budget.Rank{}, a.Model.Violation(record.Values))
		}
	}
	if len(f.members) == 0 {
		if len(f.missing) > 0 {
			least := f.leastViolated()
			again.Front, again.Tradeoff, _ = least.show()
		}
		return again, nil
	}
	again.Front, again.Tradeoff, _ = f.show()
	again.Growth = f.growth(met, again.Tradeoff)
	return again, nil
}

const (
	stagesOfGrowth = 25 // at which the hypervolume is looked at
	mostGrowing    = 3  // objectives, of more it takes too long
)

// growth is how much of the hypervolume was there after some of the evaluations that met what was asked.
func (f *front) growth(met []dispatch.Record, t *result.Tradeoff) []result.Growth {
	if len(f.objectives) > mostGrowing || !(t.Hypervolume > 0) {
		return nil
	}
	reference := make([]float64, len(f.objectives))
	for k, o := range f.objectives {
		reference[k] = t.Reference[k]
		if o.Maximize {
			reference[k] *= -1
		}
	}
	var stages []result.Growth
	early := front{model: f.model, objectives: f.objectives, constraints: f.constraints}
	seen := 0
	for stage := 1; stage <= stagesOfGrowth; stage++ {
		upTo := (len(met)*stage + stagesOfGrowth - 1) / stagesOfGrowth
		if upTo == seen {
			continue
		}
		for _, record := range met[seen:upTo] {
			early.see(record, budget.Rank{})
		}
		seen = upTo
		stages = append(stages, result.Growth{Evaluation: met[seen-1].Number, Share: pareto.Hypervolume(pointsOf(early.members), reference) / t.Hypervolume})
	}
	return stages
}

// objectivesOf finds the columns of the values that are asked for.
func objectivesOf(a *Asked, q FrontQuestion) ([]core.Objective, error) {
	objectives := a.Problem.Objectives
	if len(q.Minimize)+len(q.Maximize) > 0 {
		objectives = nil
	}
	for k, name := range slices.Concat(q.Minimize, q.Maximize) {
		column := a.Model.Column(name)
		if column < 0 || a.Model.Columns[column].Source == model.Matched {
			var known []string
			for _, shown := range a.Model.ShownColumns(a.Model.Bench) {
				known = append(known, a.Model.Columns[shown].Name)
			}
			return nil, BadQuestion(fmt.Sprintf("%q is no value of this run%s: its values are %s; another formula is to be named under derived in the bench", name, formula.Suggest(name, known), strings.Join(known, ", ")))
		}
		objective := core.Objective{Value: column, Maximize: k >= len(q.Minimize)}
		if slices.ContainsFunc(objectives, func(o core.Objective) bool { return o.Value == column }) {
			return nil, BadQuestion(fmt.Sprintf("%s is asked for twice: name each value once, under minimize or under maximize", name))
		}
		objectives = append(objectives, objective)
	}
	if len(objectives) < 2 {
		return nil, BadQuestion("a front needs two values or more: name them, as in minimize cost and minimize mass")
	}
	return objectives, nil
}

// meeting says of values whether they meet some requirements.
func meeting(m *model.Model, ids []string) (func(values []float64) bool, error) {
	if ids == nil {
		return m.Feasible, nil
	}
	for _, id := range ids {
		if !slices.ContainsFunc(m.Bench.Requirements, func(q bench.Requirement) bool { return q.ID == id }) {
			var known []string
			for _, q := range m.Bench.Requirements {
				known = append(known, q.ID)
			}
			return nil, BadQuestion(fmt.Sprintf("there is no requirement %s%s: there are %s", id, formula.Suggest(id, known), strings.Join(known, ", ")))
		}
	}
	return func(values []float64) bool {
		judged := m.Judge(values)
		return !slices.ContainsFunc(ids, func(id string) bool { return judged[id].Verdict == verdict.Missed })
	}, nil
}
