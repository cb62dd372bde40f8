package cli

import (
	"context"
	"fmt"
	"math"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"ropebench/api"
	"ropebench/bench/plain"
	"ropebench/result"
)

func (a *App) compareCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "compare RUN RUN", Short: "Show the best designs of two runs beside each other", Args: cobra.ExactArgs(2),
		Long:    "Shows objective, requirements with their margins, and inputs of the best designs of two runs of one bench beside each other: a study\nwith an input held and the same one with it free, another seed, another start.",
		Example: "  ropebench compare 3 4",
	}
	return a.onService(c, func(ctx context.Context, s *session, args []string) error {
		var pair [2]found
		for i, arg := range args {
			id, err := runNumber(arg)
			if err != nil {
				return err
			}
			run, err := s.Run(ctx, id)
			if err != nil {
				return err
			}
			if pair[i], err = a.found(ctx, s, run); err != nil {
				return err
			}
		}
		if pair[0].Bench != pair[1].Bench {
			return wrongUse("run %d is of the bench %s and run %d of %s: only runs of one bench can be compared", pair[0].ID, pair[0].Bench, pair[1].ID, pair[1].Bench)
		}
		for _, r := range pair {
			if r.Best == nil {
				return fmt.Errorf("run %d has no best design to compare", r.ID)
			}
		}
		if a.json {
			return a.machine(map[string]any{"runs": []any{pair[0].Best, pair[1].Best}})
		}
		b, err := s.BenchAt(ctx, pair[1].Bench, pair[1].Revision)
		if err != nil {
			return err
		}
		a.view(b).beside(pair[0], pair[1])
		return nil
	})
}

// beside shows two runs side by side.
func (v view) beside(one, two found) {
	t := v.newTable([]int{2, 3, 4}, "", title(one), title(two), "change")
	if one.Best.Objective != nil && two.Best.Objective != nil {
		t.AppendRow(table.Row{"objective " + v.objective(two.Run), plain.Show(*one.Best.Objective), plain.Show(*two.Best.Objective), percentChange(*one.Best.Objective, *two.Best.Objective)})
	}
	t.AppendRow(table.Row{"evaluations", one.Evaluations, two.Evaluations, ""})
	t.Render()
	v.line("")
	requirements := v.newTable([]int{2, 4}, "requirement", title(one), "", title(two), "")
	for _, q := range v.bench.Requirements {
		a, b := one.Best.Requirements[q.ID], two.Best.Requirements[q.ID]
		requirements.AppendRow(table.Row{requirementName(q), margin(a, q), v.verdict(string(a.Verdict), q), margin(b, q), v.verdict(string(b.Verdict), q)})
	}
	if len(v.bench.Requirements) > 0 {
		requirements.Render()
		v.line("")
	}
	inputs := v.newTable([]int{2, 3}, "input", title(one), title(two), "change")
	for _, in := range v.bench.Inputs {
		a, b := one.Best.Inputs[in.Name], two.Best.Inputs[in.Name]
		if a == b && !in.Varied {
			continue // it is held in both
		}
		inputs.AppendRow(table.Row{in.Name, a.Show(""), b.Show(in.Unit), change(a, b)})
	}
	inputs.Render()
}

func margin(j result.Judgment, q api.Requirement) string { return "margin " + shown(j.Margin, q.Unit) }

func title(r found) string { return fmt.Sprintf("run %d, %s", r.ID, r.Question.Study) }

func percentChange(from, to float64) string {
	if from == 0 {
		return ""
	}
	return fmt.Sprintf("%+.3g %%", 100*(to-from)/math.Abs(from))
}
