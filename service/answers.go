package service

import (
	"cmp"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/words"
	"ropebench/core/formula"
	"ropebench/result"
	"ropebench/store"
	"ropebench/study"
)

// summaryOf shows a bench in a list.
func summaryOf(b store.Bench) api.BenchSummary {
	return api.BenchSummary(b)
}

// describe shows a bench; its statement is about a study, or the first search.
func describe(b *bench.Bench, saved store.Bench, stated string) api.Bench {
	a := api.Bench{BenchSummary: summaryOf(saved), Notes: b.Notes, Statement: words.Statement(b, stated), Symbols: words.Symbols(b, stated), Remarks: words.Remarks(b), Solver: words.Solver(b),
		Inputs: []api.Input{}, Outputs: outputsOf(b), Requirements: []api.Requirement{}, Studies: []api.Study{}}
	for _, in := range b.Inputs {
		a.Inputs = append(a.Inputs, api.Input{Input: in, Varied: in.Varied(), Says: cmp.Or(words.Given(b, in), words.Range(in))})
	}
	for _, in := range b.Cases {
		a.Cases = append(a.Cases, api.Case(in))
	}
	for _, q := range b.Requirements {
		a.Requirements = append(a.Requirements, api.Requirement{ID: q.ID, Says: q.Says, Of: q.Of.Text, Unit: b.Unit(q.Of.Text), Kind: q.Kind, In: q.InCases(), On: b.CurvesOf(q), Curve: limitCurve(q),
			Limits: append([]float64{}, q.Limits...), Within: q.Within, Reserve: q.Limit.Reserve, Limit: words.Limit(b, q), Decisive: q.Decisive(), Price: q.Price})
	}
	for _, t := range b.Studies {
		answer := api.Study{Name: t.Name, Kind: t.Kind, Says: words.Study(t), Later: t.Later(), Searches: t.Searches(), Watch: t.Watch, Moves: study.MovesOf(b, t), Evaluations: study.EvaluationsOf(t)}
		if goals := b.GoalsOf(t); len(goals) > 0 {
			answer.Objective, answer.Maximize, answer.ObjectiveUnit = goals[0].Formula.Text, goals[0].Maximize, b.UnitOf(goals[0].Formula.Text)
		}
		for _, target := range t.Targets() {
			answer.Targets = append(answer.Targets, api.Target{Of: target.Of.Text, To: target.To})
		}
		for _, q := range b.MetBy(t) {
			if q.Price > 0 {
				answer.Pays = append(answer.Pays, q.ID)
			}
		}
		a.Studies = append(a.Studies, answer)
	}
	return a
}

// limitCurve is the curve that a requirement is to stay under or over; nil where its limit is a number.
func limitCurve(q bench.Requirement) *api.Curve {
	if q.LimitCurve == nil {
		return nil
	}
	thin := q.LimitCurve.Thin(shownSamples)
	return &api.Curve{X: thin.X, Y: thin.Y}
}

func outputsOf(b *bench.Bench) []api.Output {
	all := []api.Output{}
	for _, r := range b.Returns() {
		answer := api.Output{Name: r.Name, Label: r.Label, Unit: r.Unit, Kind: "value", Says: words.Returned(b, r.Name)}
		if r.Shape != formula.Number {
			answer.Kind, answer.X, answer.XUnit = "curve", r.X, r.XUnit
		}
		all = append(all, answer)
	}
	for _, d := range b.Derived {
		answer := api.Output{Name: d.Name, Label: d.Label, Unit: d.Unit, Kind: "derived", Says: "= " + d.Formula.Text}
		if b.Shapes[d.Name] != formula.Number {
			answer.Kind, answer.X = "curve", "x"
		}
		all = append(all, answer)
	}
	return all
}

// shownRun shows a run.
func shownRun(r study.Run) api.Run {
	q := r.Question
	return api.Run{ID: r.ID, Version: r.Version, Bench: r.Bench, Revision: r.Revision,
		Question: api.Question{Kind: q.Kind, Study: q.Study, Seed: q.Seed, Evaluations: q.Evaluations, Hold: q.Hold, Free: q.Free, Fresh: q.Fresh,
			Design: q.Design, Repeats: q.Repeats, Around: q.Around, Keep: q.Keep, Slots: q.Slots, Of: (*api.Candidate)(q.Of), Start: q.Start, About: q.About, Besides: q.Besides, More: q.More},
		State: string(r.State), Reason: r.Reason, Note: r.Note, Trying: r.Trying, Budget: r.Budget, Created: r.Created, Began: r.Began, Ended: r.Ended,
		Elapsed: r.Elapsed.Seconds(), Counts: r.Counts, Headline: r.Headline, Found: r.Found, LastFailure: r.LastWhy, SolverKey: r.SolverKey}
}

// shownResult shows what a run has found.
func shownResult(r study.Run, parts result.Parts) api.Result {
	return api.Result{Run: r.ID, Study: r.Question.Study, Revision: r.Revision, State: string(r.State), Reason: r.Reason, Seed: r.Question.Seed,
		Evaluations: r.Evaluations, Reused: r.Reused, Failed: r.Failed, NotTried: r.NotTried, Coarse: r.Coarse, Derivatives: r.Derivatives, Parts: parts.Sound()}
}
