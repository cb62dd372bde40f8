package cli

import (
	"maps"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/result"
)

// rare shows how rarely each requirement is missed.
func (v view) rare(r found) {
	if len(r.Rare) == 0 {
		return
	}
	v.line("")
	t := v.newTable([]int{3, 4, 5}, "requirement", "limit", "probability of violation", "reliability index", "required", "")
	for _, q := range v.bench.Requirements {
		one, known := r.Rare[q.ID]
		if !known {
			continue
		}
		row := table.Row{requirementName(q) + inCase(one.Case) + besides(q), q.Limit, "", "", "", ""}
		if one.Found {
			row[3] = plain.Show(one.Index)
		}
		if one.Miss != nil {
			row[2] = plain.Show(one.Miss.Value)
		}
		if p := r.Probabilities[q.ID]; p.Asked > 0 {
			row[4], row[5] = plain.Percent(p.Asked), v.verdict(string(p.Verdict), q)
		}
		t.AppendRow(row)
	}
	t.Render()
	for _, q := range v.bench.Requirements {
		one, known := r.Rare[q.ID]
		if !known {
			continue
		}
		v.line("  %s: %s.", q.ID, one.Says)
		if one.Found {
			v.line("%s", v.slate("      at "+v.at(one.At)))
		}
	}
	v.line("%s", v.slate("The reliability index is how many standard deviations the most probable failure point is from the median."))
}

// worst shows the least margins within the tolerances.
func (v view) worst(r found) {
	if len(r.Worst) == 0 {
		return
	}
	v.line("")
	t := v.newTable([]int{3, 4}, "requirement", "limit", "at worst", "margin", "", "where")
	for _, q := range v.bench.Requirements {
		one, known := r.Worst[q.ID]
		if !known {
			continue
		}
		t.AppendRow(table.Row{requirementName(q) + inCase(one.Case) + besides(q), q.Limit, plain.With(one.Value, q.Unit), plain.Show(one.Margin), v.verdict(string(one.Verdict), q), v.at(one.At)})
	}
	t.Render()
}

// at names inputs with their values.
func (v view) at(inputs map[string]bench.Value) string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(inputs)) {
		all = append(all, name+" "+inputs[name].Show(v.unit(name)))
	}
	return strings.Join(all, ", ")
}

// unshown lists requirements that decide and are asked for with a probability that evaluations about failure points do not show.
func unshown(r result.Parts) (names []string) {
	for id, one := range r.Rare {
		if p := r.Probabilities[id]; one.Decides && p.Asked > 0 && string(p.Verdict) == wasNotShown {
			names = append(names, id)
		}
	}
	slices.Sort(names)
	return names
}

// improbable lists requirements that decide and are shown to be missed too often, or in the worst case.
func improbable(r result.Parts) (missed []string) {
	for id, one := range r.Rare {
		if one.Decides && string(r.Probabilities[id].Verdict) == wasMissed {
			missed = append(missed, id)
		}
	}
	for id, one := range r.Worst {
		if one.Decides && string(one.Verdict) == wasMissed {
			missed = append(missed, id)
		}
	}
	slices.Sort(missed)
	return missed
}
