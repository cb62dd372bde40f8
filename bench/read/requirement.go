package read

import (
	"strings"

	"ropebench/bench"
)

var limitKinds = []string{"at_most", "at_least", "between", "equals", "under", "over"}

func (f *fileReader) requirement(id string, line int, n *Node) {
	f.requirementLines[id] = line
	q := bench.Requirement{ID: id}
	reserve, kinds := 0.0, []string{}
	single := func(kind string) func(*Node) {
		return func(n *Node) {
			kinds = append(kinds, kind)
			q.Kind, q.Limits = kind, []float64{f.number(n, id+": "+kind)}
		}
	}
	positive := func(what string, into *float64) func(*Node) {
		return func(n *Node) {
			if *into = f.number(n, id+": "+what); *into < 0 {
				f.wrong(n.line, "%s: %s must not be negative", id, what)
			}
		}
	}
	curveLimit := func(kind string) func(*Node) {
		return func(n *Node) {
			kinds = append(kinds, kind)
			q.Kind, q.File = kind, f.path(n, id+": "+kind)
		}
	}
	within, before := -1.0, len(f.problems)
	f.fields(n, id, keys{
		"says": func(n *Node) { q.Says = f.singleText(n, id+": says") },
		"of": func(n *Node) {
			q.Of = f.formula(n, id)
			f.uses = append(f.uses, use{line: n.line, what: id, expression: q.Of, scattered: true})
		},
		"at_most": single("at_most"), "at_least": single("at_least"), "equals": single("equals"),
		"between": func(n *Node) {
			kinds = append(kinds, "between")
			a, b, ok := f.pair(n, id+": between")
			if ok && a > b {
				f.wrong(n.line, "%s: between [%g, %g] is upside down: write [%g, %g]", id, a, b, b, a)
			}
			q.Kind, q.Limits = "between", []float64{a, b}
		},
		"reserve": positive("reserve", &reserve), "within": positive("within", &within), "price": positive("price", &q.Price),
		"with_probability": func(n *Node) {
			if q.Probability = f.number(n, id+": with_probability"); q.Probability <= 0 || q.Probability >= 1 {
				f.wrong(n.line, "%s: with_probability is between 0 and 1, such as 0.99: of a finite number of draws none is sure", id)
			}
		},
		"in":    func(n *Node) { q.In = f.texts(n, id+": in") },
		"on":    func(n *Node) { q.On = f.singleText(n, id+": on") },
		"wish":  func(n *Node) { q.Wish = f.boolean(n, id+": wish") },
		"under": curveLimit("under"), "over": curveLimit("over"),
	})
	if len(f.problems) > before {
		return
	}
	switch {
	case q.Of.Text == "":
		f.wrong(line, "%s does not say what it limits: add of: with the name of a value or a formula", id)
	case len(kinds) == 0:
		f.wrong(line, "%s has no limit: add one of %s", id, strings.Join(limitKinds, ", "))
	case len(kinds) > 1:
		f.wrong(line, "%s has %d limits (%s): keep one, and write the other as a requirement of its own, or use between", id, len(kinds), strings.Join(kinds, ", "))
	case q.Kind == "equals" && within < 0:
		f.wrong(line, "%s: equals needs within: how far from %g is still good?", id, q.Limits[0])
	case q.Kind != "equals" && within >= 0:
		f.wrong(line, "%s: within belongs to equals; for %s write reserve", id, q.Kind)
	}
	if q.Of.Statistics != nil {
		f.checkStatisticLimit(q, line)
	}
	q.Within = max(0, within)
	if len(f.problems) == before {
		q.Limit = bench.LimitOf(q.Kind, q.Limits, q.Within, reserve)
		f.bench.Requirements = append(f.bench.Requirements, q)
	}
}

// checkStatisticLimit refuses what a requirement on a statistic cannot have.
func (f *fileReader) checkStatisticLimit(q bench.Requirement, line int) {
	switch {
	case q.Probability > 0:
		f.wrong(line, "%s: %s is taken over scatter already: leave with_probability out", q.ID, q.Of.Statistics[0].Name)
	case q.Price > 0:
		f.wrong(line, "%s: a price is paid for a value of one design, and %s is of many: leave it out", q.ID, q.Of.Statistics[0].Name)
	case q.File != "":
		f.wrong(line, "%s: %s is asked of a curve, and %s is a number", q.ID, q.Kind, q.Of.Statistics[0].Name)
	}
}
