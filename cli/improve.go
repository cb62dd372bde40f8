package cli

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/result"
)

// answer shows what a search says of its best design: how good it is, what holds it, and what else was found.
func (v view) answer(r found) {
	if r.Search != nil {
		for _, remark := range r.Search.Remarks {
			v.line("%s", v.ochre("! "+remark+"."))
		}
	}
	if r.Optimum != nil {
		v.line("")
		for _, says := range r.Optimum.Says {
			v.line("  %s", says)
		}
	}
	for _, says := range r.Watched {
		v.line("  %s", says)
	}
	v.checks(r.Checks)
	v.front(r)
	v.places(r.Optimum)
	v.reached(r.Reached)
	v.spread(r.Spread)
	v.calibration(r.Fit)
	if r.Search != nil && r.Search.Chose != "" {
		v.line("")
		v.line("%s", v.slate(r.Search.Method+": "+r.Search.Chose+"."))
	}
	if r.Search != nil && r.Search.Coarse != nil {
		v.line("%s", v.slate(r.Search.Coarse.Says+"."))
	}
}

// checks shows what a stand-in has predicted beside what the solver computed.
func (v view) checks(all []result.Check) {
	if len(all) == 0 {
		return
	}
	v.line("")
	v.line("What the stand-in has predicted, beside what the solver computed:")
	t := v.newTable([]int{3, 4, 5}, "check", "value", "predicted", "computed", "off by", "")
	for _, c := range all {
		mark := v.teal(markFeasible + " agrees")
		switch {
		case len(c.Computed) == 0:
			mark = v.slate(markFailed + " the solver failed")
		case !c.Agrees:
			mark = v.ochre(markInfeasible + " differs")
		}
		label := fmt.Sprintf("evaluation %d", c.Evaluation)
		for _, name := range slices.Sorted(maps.Keys(c.Predicted)) {
			computed, off := "", ""
			if value, is := c.Computed[name]; is {
				computed, off = plain.With(value, v.unit(name)), plain.Show(value-c.Predicted[name])
			}
			t.AppendRow(table.Row{label, name, plain.With(c.Predicted[name], v.unit(name)), computed, off, mark})
			label, mark = "", ""
		}
	}
	t.Render()
}

// places shows where other searches ended.
func (v view) places(o *result.Optimum) {
	if o == nil || len(o.Places) == 0 {
		return
	}
	v.line("")
	names := slices.Sorted(maps.Keys(o.Places[0].Inputs))
	moving := slices.DeleteFunc(names, func(name string) bool {
		return !slices.ContainsFunc(o.Places, func(p result.Place) bool { return p.Inputs[name] != o.Places[0].Inputs[name] }) && len(o.Places) > 1
	})
	header := []any{"also", "objective", ""}
	for _, name := range moving[:min(6, len(moving))] {
		header = append(header, name)
	}
	t := v.newTable([]int{2}, header...)
	for _, p := range o.Places {
		mark := markFeasible
		if !p.Feasible {
			mark = markInfeasible
		}
		row := table.Row{fmt.Sprintf("evaluation %d", p.Evaluation), shown(p.Objective, "") + besidePaid(p.Paid), mark}
		for _, name := range moving[:min(6, len(moving))] {
			row = append(row, p.Inputs[name].Show(""))
		}
		t.AppendRow(row)
	}
	t.Render()
}

// besidePaid is what is paid for soft requirements, beside an objective.
func besidePaid(paid float64) string {
	if paid == 0 {
		return ""
	}
	return " (" + plain.Show(paid) + " paid)"
}

// reached shows targets with what they came to.
func (v view) reached(all []result.Reached) {
	if len(all) == 0 {
		return
	}
	v.line("")
	t := v.newTable([]int{2, 3, 4}, "target", "wanted", "came to", "off by", "")
	for _, r := range all {
		mark := v.teal(markFeasible + " reached")
		if !r.Reached {
			mark = v.ochre(markInfeasible + " not reached")
		}
		t.AppendRow(table.Row{r.Of, plain.With(r.To, v.unit(r.Of)), plain.With(r.Value, v.unit(r.Of)), plain.Show(r.Value - r.To), mark})
	}
	t.Render()
}

// spread shows how far apart searches with other seeds ended.
func (v view) spread(s *result.Spread) {
	if s == nil {
		return
	}
	v.line("")
	v.line("%s.", strings.ToUpper(s.Says[:1])+s.Says[1:])
	t := v.newTable([]int{1, 2, 3}, "seed", "objective", "evaluation", "", "how it ended")
	for _, end := range s.Ends {
		mark := v.teal(markFeasible)
		if !end.Feasible {
			mark = v.ochre(markInfeasible)
		}
		t.AppendRow(table.Row{end.Seed, shown(end.Objective, "") + besidePaid(end.Paid), end.Evaluation, mark, end.Says})
	}
	t.Render()
}

// calibration shows how well inputs are known, and how near the model comes to each measurement.
func (v view) calibration(c *result.Calibration) {
	if c == nil {
		return
	}
	v.line("")
	v.line("The weighted sum of squares is %s, with %s.", plain.Show(c.Residual), plain.Count(c.Freedom, "degree")+" of freedom")
	for _, says := range c.Says {
		v.line("  %s.", says)
	}
	t := v.newTable([]int{4, 5}, "match", "of", "with", "points", "root mean square off by")
	for _, m := range c.Matches {
		t.AppendRow(table.Row{m.Of, m.File, valuesInWords(m.With), len(m.Measured) - m.Outside, plain.Show(m.RMS)})
	}
	t.Render()
}

func valuesInWords(values map[string]bench.Value) string {
	var words []string
	for _, name := range slices.Sorted(maps.Keys(values)) {
		words = append(words, name+" = "+values[name].Show(""))
	}
	return strings.Join(words, ", ")
}

const (
	shownOfFront  = 15 // designs of a front that are listed, spread over it
	inputsOfFront = 4
)

// front shows the designs of which none is better in every objective.
func (v view) front(r found) {
	if r.Tradeoff == nil || len(r.Front) == 0 {
		return
	}
	v.line("")
	v.line("  %s.", strings.ToUpper(r.Tradeoff.Says[:1])+r.Tradeoff.Says[1:])
	if len(r.Front) < 2 {
		return
	}
	objectives := r.Tradeoff.Objectives
	var inputs []string // that differ along the front
	for _, in := range v.bench.Inputs {
		if slices.ContainsFunc(r.Front, func(d *result.Design) bool { return d.Inputs[in.Name] != r.Front[0].Inputs[in.Name] }) {
			inputs = append(inputs, in.Name)
		}
	}
	more := max(0, len(inputs)-inputsOfFront)
	inputs = inputs[:len(inputs)-more]
	v.line("")
	v.frontPlot(r.Front, *r.Tradeoff)
	header := []any{"front"}
	for _, name := range objectives {
		header = append(header, name)
	}
	exchanged := len(r.Tradeoff.Exchange) > 0
	if exchanged {
		header = append(header, objectives[1]+" per "+objectives[0])
	}
	for _, name := range inputs {
		header = append(header, name)
	}
	v.line("")
	t := v.newTable(nil, header...)
	listed := alongFront(r.Front, r.Tradeoff.Compromise)
	for i, d := range listed {
		row := table.Row{fmt.Sprintf("evaluation %d", d.Evaluation)}
		switch {
		case d.Evaluation != r.Tradeoff.Compromise:
		case r.Tradeoff.Knee:
			row[0] = v.teal(fmt.Sprintf("evaluation %d, the knee", d.Evaluation))
		default:
			row[0] = v.teal(fmt.Sprintf("evaluation %d, nearest to all", d.Evaluation))
		}
		for _, name := range objectives {
			row = append(row, plain.Show(d.Values[name]))
		}
		switch {
		case !exchanged:
		case i+1 == len(listed):
			row = append(row, "")
		default:
			row = append(row, plain.Show(exchangeTo(d, listed[i+1], objectives)))
		}
		for _, name := range inputs {
			row = append(row, d.Inputs[name].Show(""))
		}
		t.AppendRow(row)
	}
	t.Render()
	if exchanged {
		v.line("%s", v.slate(fmt.Sprintf("%s per %s: what one more unit of %s brings, from each row to the next.", objectives[1], objectives[0], objectives[0])))
	}
	if more > 0 || len(r.Front) > shownOfFront {
		only := " --only feasible"
		if r.Tradeoff.Violation > 0 {
			only = ""
		}
		v.line("%s", v.slate(fmt.Sprintf("%s in all; `ropebench table %d%s` has every input.", plain.Count(r.Tradeoff.Count, "design"), r.ID, only)))
	}
	v.line("%s", v.slate(fmt.Sprintf("hypervolume %s up to %s", plain.Show(r.Tradeoff.Hypervolume), v.point(objectives, r.Tradeoff.Reference))))
}

// exchangeTo is what one more unit of the first objective brings in the second, from one design to another.
func exchangeTo(from, to *result.Design, objectives []string) float64 {
	return (to.Values[objectives[1]] - from.Values[objectives[1]]) / (to.Values[objectives[0]] - from.Values[objectives[0]])
}

// alongFront are some designs of a front, evenly along it, with the one that is picked out.
func alongFront(front []*result.Design, picked int) []*result.Design {
	n := min(shownOfFront, len(front))
	step := float64(len(front)-1) / float64(n-1)
	var shown []*result.Design
	for k := range n {
		shown = append(shown, front[int(math.Round(float64(k)*step))])
	}
	at := slices.IndexFunc(front, func(d *result.Design) bool { return d.Evaluation == picked })
	if at >= 0 && !slices.Contains(shown, front[at]) {
		nearest := int(math.Round(float64(at) / step))
		shown[min(max(1, nearest), n-2)] = front[at] // the ends stay
	}
	return shown
}

// point is one in the space of some values.
func (v view) point(names []string, values []float64) string {
	var parts []string
	for k, name := range names {
		parts = append(parts, name+" "+plain.With(values[k], v.unit(name)))
	}
	return strings.Join(parts, ", ")
}

// cells shows the best of every cell of a sweep.
func (v view) cells(r found) {
	if len(r.Cells) == 0 {
		return
	}
	over := slices.Sorted(maps.Keys(r.Cells[0].At))
	var inputs []string
	for _, in := range v.bench.Inputs {
		if !slices.Contains(over, in.Name) && in.Varied {
			inputs = append(inputs, in.Name)
		}
	}
	inputs = inputs[:min(6, len(inputs))]
	header := []any{}
	for _, name := range over {
		header = append(header, name)
	}
	header = append(header, "", "objective")
	for _, name := range inputs {
		header = append(header, name)
	}
	t := v.newTable(nil, header...)
	for _, c := range r.Cells {
		row := table.Row{}
		for _, name := range over {
			row = append(row, c.At[name].Show(v.unit(name)))
		}
		row = append(row, v.cellState(c), "")
		if c.Best != nil && c.State == "finished" {
			row[len(row)-1] = shown(c.Best.Objective, "")
			for _, name := range inputs {
				row = append(row, c.Best.Inputs[name].Show(""))
			}
		}
		t.AppendRow(row)
	}
	t.Render()
}

func (v view) cellState(c result.Cell) string {
	switch {
	case c.State == "finished":
		return v.teal(markFeasible)
	case c.State == "infeasible" && c.Used == 0:
		return v.ochre(markInfeasible + " " + c.Says)
	case c.State == "infeasible":
		return v.ochre(markInfeasible + " no feasible design")
	}
	return v.slate(c.State)
}
