package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/bench/plain"
	"ropebench/result"
)

// robust shows what the best design does under scatter, beside the one that ignores it.
func (v view) robust(r found) {
	if r.Robust == nil {
		return
	}
	v.line("")
	v.told(r.Robust.Told)
	if alone := r.Robust.Alone; alone != nil {
		v.line("%s", v.slate(fmt.Sprintf("The design that ignores scatter is evaluation %d; it took %s.", alone.Evaluation, plain.Count(alone.Used, "evaluation"))))
	}
	how := fmt.Sprintf("Over %s of %s, the same for every design.", plain.Count(r.Robust.Draws, "draw"), plain.List(r.Robust.Inputs))
	if r.Robust.Checked != nil {
		how = fmt.Sprintf("Over %s of %s, predicted by surrogates: the last that were computed as well were off by at most %s of the spread of a value; make a study of kind uncertainty about the design before you believe it.", plain.Count(r.Robust.Draws, "draw"), plain.List(r.Robust.Inputs), plain.Percent(*r.Robust.Checked))
	}
	v.line("%s", v.slate(how))
}

// told shows numbers under scatter; those of the design that ignores it where they are known.
func (v view) told(all []result.Told) {
	if len(all) == 0 {
		return
	}
	beside := false
	for _, t := range all {
		beside = beside || t.Alone != nil
	}
	heads, right := []any{"with scatter", "value"}, []int{2}
	if beside {
		heads, right = append(heads, "ignoring it"), []int{2, 3}
	}
	t := v.newTable(right, append(heads, "limit", "")...)
	for _, one := range all {
		row := table.Row{strings.TrimSpace(one.Requirement + " " + one.Of), plain.With(one.Value, one.Unit)}
		if one.From != nil && one.To != nil {
			row[1] = fmt.Sprintf("%s (%s to %s)", row[1], plain.Show(*one.From), plain.Show(*one.To))
		}
		if beside {
			row = append(row, shown(one.Alone, ""))
		}
		judged := ""
		for _, q := range v.bench.Requirements {
			switch {
			case q.ID != one.Requirement:
			case one.Holds == nil:
				judged = v.verdict(wasNotShown, q)
			default:
				judged = v.verdict(map[bool]string{true: wasMet, false: wasMissed}[*one.Holds], q)
			}
		}
		t.AppendRow(append(row, one.Limit, judged))
	}
	t.Render()
	v.line("")
}
