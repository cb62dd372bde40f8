package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/bench/plain"
	"ropebench/result"
)

// scatter shows what scatter of the inputs does: how probable it is that requirements are met, and the distributions of values.
func (v view) scatter(r found) {
	if r.Scatter == nil {
		return
	}
	v.line("")
	v.line("  %s.", strings.ToUpper(r.Scatter.Says[:1])+r.Scatter.Says[1:])
	v.line("%s", v.slate("  "+strings.Join(r.Scatter.Inputs, ", ")+" "+map[bool]string{true: "scatters", false: "scatter"}[len(r.Scatter.Inputs) == 1]+"."))
	if r.Scatter.Causes != "" {
		v.line("  %s.", r.Scatter.Causes)
	}
	if r.Scatter.Predicted > 0 {
		v.line("  %s were drawn from surrogates, which predict %s.", plain.Count(r.Scatter.Predicted, "design"), v.qualities(r.Scatter.Q2))
	}
	v.line("")
	if len(v.bench.Requirements) > 0 {
		t := v.newTable([]int{3, 4, 5}, "requirement", "limit", "met in", "between", "asked", "")
		for _, q := range v.bench.Requirements {
			p, known := r.Probabilities[q.ID]
			if !known {
				continue // it is on a statistic
			}
			row := table.Row{requirementName(q) + besides(q), q.Limit, plain.Percent(p.Met), plain.Percent(p.From) + " and " + plain.Percent(p.To)}
			if p.Asked > 0 {
				row = append(row, plain.Percent(p.Asked), v.verdict(string(p.Verdict), q))
			} else {
				row = append(row, "", "")
			}
			t.AppendRow(row)
		}
		t.Render()
		v.line("")
		v.told(r.Scatter.Told)
	}
	heads := []any{"value", "mean", "deviation"}
	for _, p := range result.QuantilesShown {
		heads = append(heads, plain.Percent(p))
	}
	t := v.newTable([]int{2, 3, 4, 5, 6, 7, 8}, append(heads, "from the least to the largest")...)
	for _, o := range v.bench.Outputs {
		d, scatters := r.Scatter.Values[o.Name]
		if !scatters {
			continue
		}
		row := table.Row{named(o.Name, o.Unit), plain.Show(d.Mean.Value), plain.Show(d.Deviation)}
		for _, q := range d.Quantiles {
			row = append(row, plain.Show(q.Value))
		}
		t.AppendRow(append(row, sparkline(d.Counts)))
	}
	t.Render()
	v.line("%s", v.slate("Limits hold with a confidence of 95 % each; a quantile is the value that is not exceeded in so many draws."))
}

// qualities tells how well values are predicted.
func (v view) qualities(q2 map[string]float64) string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(q2)) {
		all = append(all, fmt.Sprintf("%s with a Q² of %.4f", name, q2[name]))
	}
	return plain.List(all)
}
