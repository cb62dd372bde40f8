package cli

import (
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/result"
)

// The marks of designs, the same as in console and reports.
const (
	markFeasible   = "●"
	markNoReserve  = "◐" // met, without its reserve
	markInfeasible = "◇"
	markFailed     = "▪"
	markNominal    = "○"
	markPicked     = "◉"
)

// A view shows runs of one bench to people.
type view struct {
	out    io.Writer
	colour bool
	bench  api.Bench
}

func (a *App) view(b api.Bench) view {
	return view{out: a.people(), colour: isTerminal(a.people()), bench: b}
}

// line writes a sentence; a window breaks it between words.
func (v view) line(format string, args ...any) {
	fmt.Fprintln(v.out, wrapped(fmt.Sprintf(format, args...), widthOf(v.out)))
}

// wrapped breaks a sentence that is wider than a window between words. What begins with blanks or in a colour does so on every line.
func wrapped(words string, width int) string {
	if width == 0 || text.StringWidthWithoutEscSequences(words) <= width || strings.Contains(words, "\n") {
		return words
	}
	colour, reset := "", ""
	if plain, is := strings.CutSuffix(words, "\x1b[0m"); is && strings.HasPrefix(plain, "\x1b[") && strings.Count(plain, "\x1b[") == 1 {
		end := strings.IndexByte(plain, 'm') + 1
		colour, reset, words = plain[:end], "\x1b[0m", plain[end:]
	}
	indent := words[:len(words)-len(strings.TrimLeft(words, " "))]
	lines := strings.Split(text.WrapSoft(words[len(indent):], max(leastWidth, width-len(indent))), "\n")
	for i, line := range lines {
		lines[i] = colour + indent + strings.TrimRight(line, " ") + reset
	}
	return strings.Join(lines, "\n")
}

// teal and ochre are the two colours that mean something; each mark says the same without colour.
func (v view) teal(words string) string { return v.paint(words, "38;2;45;160;150") }

func (v view) ochre(words string) string { return v.paint(words, "38;2;200;110;30") }

func (v view) slate(words string) string { return v.paint(words, "38;2;120;135;155") }

func (v view) paint(words, code string) string {
	if !v.colour {
		return words
	}
	return "\x1b[" + code + "m" + words + "\x1b[0m"
}

// unit of an input or a value of the bench.
func (v view) unit(name string) string {
	for _, in := range v.bench.Inputs {
		if in.Name == name {
			return in.Unit
		}
	}
	for _, o := range v.bench.Outputs {
		if o.Name == name {
			return o.Unit
		}
	}
	for _, s := range v.bench.Studies {
		if s.Objective == name {
			return s.ObjectiveUnit
		}
	}
	return ""
}

// requirements shows a verdict and a margin for each; before may be nil.
func (v view) requirements(judged map[string]result.Judgment, before *result.Design) {
	if len(v.bench.Requirements) == 0 {
		return
	}
	header := []any{"requirement", "value", "limit", "margin", "verdict"}
	right := []int{2, 4}
	if before != nil {
		header = []any{"requirement", "nominal", "value", "limit", "margin", "verdict"}
		right = []int{2, 3, 5}
	}
	t := v.newTable(right, header...)
	for _, q := range v.bench.Requirements {
		j := judged[q.ID]
		row := table.Row{requirementName(q) + inCase(j.Case)}
		if before != nil {
			row = append(row, v.slate(shown(before.Requirements[q.ID].Value, "")))
		}
		row = append(row, shown(j.Value, q.Unit), q.Limit, shown(j.Margin, ""), v.verdict(string(j.Verdict), q))
		t.AppendRow(row)
	}
	t.Render()
	v.line("")
}

func requirementName(q api.Requirement) string {
	if q.Says != "" {
		return q.ID + " " + q.Says
	}
	return q.ID + " " + q.Of
}

// inCase says in which case a requirement is worst; "" where there are none.
func inCase(name string) string {
	if name == "" {
		return ""
	}
	return ", in " + name
}

func shown(value *float64, unit string) string {
	if value == nil {
		return "-"
	}
	return plain.With(*value, unit)
}

func (v view) verdict(verdict string, q api.Requirement) string {
	words := verdictWords(verdict) + besides(q)
	switch verdict {
	case wasMet:
		return v.teal(markFeasible + " " + words)
	case wasMetBarely:
		return v.ochre(markNoReserve + " " + words)
	case wasNotShown:
		return v.slate(markFailed + " " + words)
	}
	return v.ochre(markInfeasible + " " + words)
}

// The verdicts.
const (
	wasMet       = "met"
	wasMetBarely = "met_without_reserve"
	wasMissed    = "missed"
	wasNotShown  = "not_shown"
)

func verdictWords(verdict string) string {
	return map[string]string{wasMet: "met", wasMetBarely: "met without its reserve", wasMissed: "missed", wasNotShown: "not shown"}[verdict]
}

// besides says why a requirement is not in the way of feasibility; "" where it is.
func besides(q api.Requirement) string {
	switch {
	case q.Decisive:
		return ""
	case q.Price > 0:
		return " (soft)"
	}
	return " (a wish)"
}

// values shows every output of an evaluation, beside those of the nominal design where they are known.
func (v view) values(named map[string]float64, before *result.Design) {
	header, right := []any{"output", "value", ""}, []int{2}
	if before != nil {
		header, right = []any{"output", "nominal", "value", ""}, []int{2, 3}
	}
	if len(v.bench.Outputs) == 0 {
		v.line("No outputs are read yet: say under outputs: what the solver leaves, and where.\n")
		return
	}
	t := v.newTable(right, header...)
	for _, o := range v.bench.Outputs {
		value, known := named[o.Name]
		if !known {
			continue
		}
		row := table.Row{o.Name}
		if before != nil {
			row = append(row, v.slate(plain.Show(before.Values[o.Name])))
		}
		t.AppendRow(append(row, plain.With(value, o.Unit), v.slate(o.Label)))
	}
	t.Render()
	v.line("")
}

// inputs shows a design beside the nominal one; varied inputs first, then those that differ from the nominal.
func (v view) inputs(design map[string]bench.Value) {
	t := v.newTable([]int{2, 3}, "input", "nominal", "design", "")
	for _, in := range v.bench.Inputs {
		value, known := design[in.Name]
		if !known || !in.Varied && value == in.Nominal {
			continue
		}
		t.AppendRow(table.Row{in.Name, v.slate(in.Nominal.Show("")), value.Show(in.Unit), v.slate(change(in.Nominal, value))})
	}
	t.Render()
	v.line("")
}

// change says how a value moved.
func change(from, to bench.Value) string {
	switch {
	case from == to:
		return "as it was"
	case from.Number == 0 || to.Word != "":
		return ""
	}
	if math.Abs(to.Number-from.Number) < 5e-4*math.Abs(from.Number) {
		return "as it was"
	}
	return plain.Change(from.Number, to.Number)
}

// run shows where a run is, and its result.
func (v view) run(r found) {
	v.line("%s  run %d, revision %d, seed %d: %s%s", r.Question.Study, r.ID, r.Revision, r.Question.Seed, r.State, prefixed(" - ", r.Reason))
	for _, says := range slices.Concat([]string{r.Question.About}, r.Question.Besides) {
		if says != "" {
			v.line("%s", says)
		}
	}
	v.line("%s", v.slate(counts(r.Run)))
	v.line("")
	if len(r.Unshown) > 0 {
		v.line("%s\n", v.ochre("! not shown, since they hold a number that is not finite, a mistake of Rope Bench: "+strings.Join(r.Unshown, ", ")))
	}
	if r.Unreliable != "" {
		v.line("%s", v.ochre("! "+r.Unreliable))
		v.line("")
	}
	if len(r.Changes) > 0 {
		v.line("The bench has changed since, and is at revision %d:", r.Newest)
		for _, change := range r.Changes {
			v.line("  %s", change)
		}
		v.line("")
	}
	v.failures(r.Failures)
	v.cells(r)
	if r.Best == nil {
		return
	}
	v.best(r)
	v.answer(r)
}

// failures says why evaluations failed, and how often.
func (v view) failures(f *result.Failures) {
	if f == nil {
		return
	}
	if f.Doubt {
		v.line("%s", v.ochre("! "+f.Says+"."))
	}
	for _, reason := range f.Reasons {
		v.line("- %s, first in evaluation %d: %s", plain.Count(reason.Count, "time"), reason.Evaluation, reason.Reason+prefixed("; ", reason.Where))
	}
	v.line("")
}

func prefixed(prefix, words string) string {
	if words == "" {
		return ""
	}
	return prefix + words
}

// counts says how the evaluations of a run ended.
func counts(r api.Run) string {
	parts := []string{plain.Count(r.Evaluations, "evaluation")}
	for _, p := range []struct {
		n     int
		words string
	}{{r.Reused, "reused"}, {r.Failed, "failed"}, {r.NotTried, "not tried"}, {r.Feasible, "feasible"}} {
		if p.n > 0 {
			parts = append(parts, plain.Whole(p.n)+" "+p.words)
		}
	}
	return strings.Join(parts, ", ") + fmt.Sprintf("; %.3g s at work", r.Elapsed)
}

// best shows the design that a run found: the objective first, then requirements and inputs.
func (v view) best(r found) {
	nominal := r.Nominal
	if objective := v.objective(r.Run); objective != "" && r.Best.Objective != nil {
		before := ""
		if nominal != nil && nominal.Objective != nil {
			before = fmt.Sprintf(" (nominal %s)", plain.Show(*nominal.Objective))
		}
		v.line("%s %s%s, evaluation %d: %s\n", objective, plain.With(*r.Best.Objective, v.unit(objective)), before, r.Best.Evaluation, v.feasibility(r.Best))
	} else {
		v.line("evaluation %d: %s\n", r.Best.Evaluation, v.feasibility(r.Best))
	}
	if r.Best.Paid > 0 {
		v.line("%s", v.ochre(fmt.Sprintf("beside it %s are paid for soft requirements that are missed", plain.With(r.Best.Paid, v.unit(v.objective(r.Run))))))
	}
	v.requirements(r.Best.Requirements, nominal)
	v.inputs(r.Best.Inputs)
	if r.Optimum == nil { // it says so itself
		v.ends(r.AtEnds)
	}
}

// objective is what the study of a run makes least or most.
func (v view) objective(r api.Run) string {
	for _, s := range v.bench.Studies {
		if s.Name == r.Question.Study {
			return s.Objective
		}
	}
	return ""
}

func (v view) feasibility(b *result.Design) string {
	if len(v.bench.Requirements) == 0 {
		return "there is no requirement to meet"
	}
	if b.Feasible {
		return v.teal(markFeasible+" every requirement is met") + v.wishesMissed(b.Requirements)
	}
	return v.ochre(markInfeasible + " not feasible: it misses " + b.Misses)
}

// wishesMissed says how many wishes a design does not fulfil.
func (v view) wishesMissed(judged map[string]result.Judgment) string {
	missed := 0
	for _, q := range v.bench.Requirements {
		if !q.Decisive && q.Price == 0 && judged[q.ID].Verdict == wasMissed {
			missed++
		}
	}
	switch missed {
	case 0:
		return ""
	case 1:
		return v.ochre(", one wish is not")
	}
	return v.ochre(fmt.Sprintf(", %d wishes are not", missed))
}

func (v view) ends(ends []result.End) {
	for _, e := range ends {
		if e.Guess {
			v.line("%s", v.ochre("! "+e.Says))
		} else {
			v.line("  %s", e.Says)
		}
	}
}
