package cli

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/result"
)

const mostCompared = 6 // designs that stand beside each other in a terminal

func (a *App) compareCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "compare DESIGN DESIGN ...", Short: "Show designs of any runs beside each other, and beside the nominal one", Args: cobra.MinimumNArgs(1),
		Long: "Shows objective, requirements with their margins, outputs and inputs of designs of one bench beside each other, and what got worse from the\n" +
			"first to each other one. A design is named by RUN, for its best, by RUN:EVALUATION, by the name of a candidate, or by nominal: the same study with\n" +
			"another seed, with an input held, a candidate and what was found since. With one design, the nominal one stands before it.",
		Example: "  ropebench compare 3 4\n  ropebench compare nominal 4:17 light",
	}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		if len(args) == 1 {
			args = []string{nominalName, args[0]}
		}
		if len(args) > mostCompared {
			return wrongUse("at most %d designs stand beside each other, not %d", mostCompared, len(args))
		}
		all, err := a.compared(ctx, s, args)
		if err != nil {
			return err
		}
		b, err := s.BenchAt(ctx, all[0].Bench, all[0].Revision)
		if err != nil {
			return err
		}
		searches, err := convergences(ctx, s, b, all)
		if err != nil {
			return err
		}
		if a.json {
			return a.machine(map[string]any{"designs": all, "convergence": searches})
		}
		a.view(b).beside(all, searches)
		return nil
	})
}

const nominalName = "nominal"

// A compared design is an evaluation with its run; the nominal design has none where it was never evaluated.
type compared struct {
	Name         string                     `json:"name"`
	Bench        string                     `json:"bench"`
	Revision     int                        `json:"revision"`
	Run          int                        `json:"run,omitempty"`
	Study        string                     `json:"study,omitempty"`
	Seed         uint64                     `json:"seed,omitempty"`
	Evaluation   int                        `json:"evaluation,omitempty"`
	State        string                     `json:"state"`
	Evaluations  int                        `json:"evaluations,omitempty"` // of its run
	Inputs       map[string]bench.Value     `json:"inputs"`
	Values       map[string]float64         `json:"values"`
	Requirements map[string]result.Judgment `json:"requirements"`
	Feasible     bool                       `json:"feasible"`
}

// compared finds the designs that are named. They are of one bench.
func (a *App) compared(ctx context.Context, s *session, names []string) ([]compared, error) {
	all := make([]compared, len(names))
	first := "" // the bench
	for i, name := range names {
		if name == nominalName {
			continue
		}
		d, err := a.designOf(ctx, s, name)
		if err != nil {
			return nil, err
		}
		run, err := s.Run(ctx, d.Run)
		if err != nil {
			return nil, err
		}
		if first != "" && first != run.Bench {
			return nil, wrongUse("%s is of the bench %s and others are of %s: only designs of one bench can be compared", name, run.Bench, first)
		}
		first = run.Bench
		e, err := s.Evaluation(ctx, d.Run, d.Evaluation)
		if err != nil {
			return nil, err
		}
		all[i] = compared{Name: d.title(), Bench: run.Bench, Revision: run.Revision, Run: run.ID, Study: run.Question.Study, Seed: run.Question.Seed, Evaluation: d.Evaluation, State: e.State,
			Evaluations: run.Evaluations, Inputs: e.Inputs, Values: e.Named, Requirements: e.Requirements, Feasible: e.Feasible}
	}
	if first == "" {
		return nil, wrongUse("name a design to stand beside the nominal one, as in `ropebench compare nominal 4`")
	}
	return all, a.fillNominal(ctx, s, first, all)
}

// fillNominal shows the nominal design as it is now. Its values are those of an evaluation, known or made now.
func (a *App) fillNominal(ctx context.Context, s *session, name string, all []compared) error {
	for i := range all {
		if all[i].Name != "" {
			continue
		}
		b, err := s.Bench(ctx, name)
		if err != nil {
			return err
		}
		run, err := s.Start(ctx, name, api.Order{Study: "try"})
		if err != nil {
			return err
		}
		if run, err = a.follow(ctx, s, b, run); err != nil {
			return err
		}
		e, err := s.Evaluation(ctx, run.ID, 1)
		if err != nil {
			return err
		}
		all[i] = compared{Name: nominalName, Bench: name, Revision: run.Revision, Run: run.ID, Study: nominalName, Evaluation: 1, State: e.State, Evaluations: 1, Inputs: e.Inputs, Values: e.Named, Requirements: e.Requirements, Feasible: e.Feasible}
	}
	return nil
}

// convergences are those of the searches among the runs, by their numbers.
func convergences(ctx context.Context, s *session, b api.Bench, all []compared) (map[int]result.Convergence, error) {
	searches := map[int]result.Convergence{}
	for _, d := range all {
		of, named := bench.Find(b.Studies, d.Study, func(one api.Study) string { return one.Name })
		if _, known := searches[d.Run]; known || !named || !of.Searches || of.Kind == "sweep" {
			continue
		}
		var err error
		if searches[d.Run], err = s.Convergence(ctx, d.Run); err != nil {
			return nil, err
		}
	}
	return searches, nil
}

// beside shows designs side by side.
func (v view) beside(all []compared, searches map[int]result.Convergence) {
	v.besideRuns(all)
	v.besideConvergence(searches)
	v.besideRequirements(all)
	v.besideValues(all)
	v.besideInputs(all)
	v.worse(all)
}

// columns are the heads of a table of designs, with the change from the first to the second where there are two.
func columnsOf(what string, all []compared) (heads []any, right []int) {
	heads = []any{what}
	for i, d := range all {
		heads, right = append(heads, d.Name), append(right, i+2)
	}
	if len(all) == 2 {
		heads, right = append(heads, "change"), append(right, 4)
	}
	return heads, right
}

func (v view) besideRuns(all []compared) {
	for _, d := range all {
		if d.Study == nominalName {
			v.line("%s  as the bench is now, on revision %d", d.Name, d.Revision)
			continue
		}
		v.line("%s  run %d, %s, seed %d, revision %d: evaluation %d of %s", d.Name, d.Run, d.Study, d.Seed, d.Revision, d.Evaluation, plain.Whole(d.Evaluations))
	}
	v.line("")
}

// partsOfConvergence are the shares of the longest search after which it is told how far each has come.
var partsOfConvergence = []float64{0.1, 0.25, 0.5, 0.75, 1}

// besideConvergence shows how far each search had come after as many evaluations.
func (v view) besideConvergence(searches map[int]result.Convergence) {
	if len(searches) < 2 {
		return
	}
	runs, most := slices.Sorted(maps.Keys(searches)), 0
	heads, right := []any{"best after"}, []int{1}
	for i, run := range runs {
		heads, right = append(heads, fmt.Sprintf("run %d", run)), append(right, i+2)
		most = max(most, searches[run].Evaluations)
	}
	t := v.newTable(right, heads...)
	for _, part := range partsOfConvergence {
		after := int(math.Ceil(part * float64(most)))
		row := table.Row{plain.Count(after, "evaluation")}
		for _, run := range runs {
			row = append(row, v.bestAfter(searches[run], after))
		}
		t.AppendRow(row)
	}
	t.Render()
	v.line("")
}

// bestAfter is the best of a search after so many evaluations; nothing once it has ended.
func (v view) bestAfter(c result.Convergence, after int) string {
	var best *result.Improvement
	for i, step := range c.Steps {
		if step.Evaluation <= after {
			best = &c.Steps[i]
		}
	}
	switch {
	case best == nil:
		return "-"
	case !best.Feasible:
		return v.ochre(markInfeasible + " misses " + best.Misses)
	case best.Objective == nil:
		return v.teal(markFeasible)
	}
	text := plain.With(*best.Objective, c.Unit)
	if after > c.Evaluations {
		return v.slate(text + ", ended")
	}
	return text
}

func (v view) besideRequirements(all []compared) {
	if len(v.bench.Requirements) == 0 {
		return
	}
	heads := []any{"requirement", "limit"}
	var right []int
	for i, d := range all {
		heads, right = append(heads, d.Name, "margin"), append(right, 2*i+3, 2*i+4)
	}
	t := v.newTable(right, heads...)
	for _, q := range v.bench.Requirements {
		name := requirementName(q)
		if len(all) > 2 {
			name = q.ID + " " + q.Of
		}
		row := table.Row{name, q.Limit}
		for _, d := range all {
			j := d.Requirements[q.ID]
			row = append(row, shown(j.Value, ""), v.marked(string(j.Verdict), q, shown(j.Margin, "")))
		}
		t.AppendRow(row)
	}
	t.Render()
	v.line("")
}

// marked is a margin with the mark of its verdict.
func (v view) marked(judged string, q api.Requirement, text string) string {
	switch {
	case judged == wasNotShown:
		return v.slate(markFailed)
	case judged == wasMetBarely:
		return v.ochre(text + " " + markNoReserve)
	case judged == wasMet:
		return text + " " + v.teal(markFeasible)
	case !q.Decisive:
		return v.slate(text + " " + markInfeasible)
	}
	return v.ochre(text + " " + markInfeasible)
}

func (v view) besideValues(all []compared) {
	heads, right := columnsOf("value", all)
	t := v.newTable(right, heads...)
	for _, o := range v.bench.Outputs {
		row, known := table.Row{named(o.Name, o.Unit)}, 0
		for _, d := range all {
			if value, is := d.Values[o.Name]; is {
				known++
				row = append(row, plain.Show(value))
			} else {
				row = append(row, "-")
			}
		}
		switch {
		case known == 0:
			continue // a vector or a curve
		case len(all) == 2 && known == 2:
			row = append(row, percentChange(all[0].Values[o.Name], all[1].Values[o.Name]))
		case len(all) == 2:
			row = append(row, "")
		}
		t.AppendRow(row)
	}
	if len(v.bench.Outputs) > 0 {
		t.Render()
		v.line("")
	}
}

func (v view) besideInputs(all []compared) {
	heads, right := columnsOf("input", all)
	t := v.newTable(right, heads...)
	for _, in := range v.bench.Inputs {
		row, same := table.Row{named(in.Name, in.Unit)}, true
		for _, d := range all {
			same = same && d.Inputs[in.Name] == all[0].Inputs[in.Name]
			row = append(row, d.Inputs[in.Name].Show(""))
		}
		if same && !in.Varied {
			continue // it is held
		}
		if len(all) == 2 {
			row = append(row, change(all[0].Inputs[in.Name], all[1].Inputs[in.Name]))
		}
		t.AppendRow(row)
	}
	t.Render()
	v.line("")
}

// worse says which requirements got worse from the first design to each other one.
func (v view) worse(all []compared) {
	first := all[0]
	for _, d := range all[1:] {
		for _, q := range v.bench.Requirements {
			was, is := first.Requirements[q.ID], d.Requirements[q.ID]
			switch {
			case !was.Verdict.IsMet() || is.Margin == nil || was.Margin == nil:
			case !is.Verdict.IsMet():
				v.line("%s", v.ochre(fmt.Sprintf("! %s misses %s, which %s meets, by %s.", d.Name, q.ID, first.Name, plain.With(-*is.Margin, q.Unit))))
			case is.Verdict == wasMetBarely && was.Verdict == wasMet:
				v.line("  %s meets %s without its reserve, which %s keeps.", d.Name, q.ID, first.Name)
			}
		}
		if d.State != "ok" {
			v.line("%s", v.slate(fmt.Sprintf("  %s has no values: its evaluation %s.", d.Name, endedAs(d.State))))
		}
		if maps.Equal(first.Inputs, d.Inputs) && d.Run != first.Run {
			v.line("  %s and %s are the same design.", first.Name, d.Name)
		}
	}
}

func percentChange(from, to float64) string {
	if from == 0 {
		return ""
	}
	return plain.Change(from, to)
}
