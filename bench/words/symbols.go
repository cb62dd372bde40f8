package words

import (
	"fmt"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// Symbols is the problem of a study as mathematics writes it down, or that of the first optimization if study is "".
// Reserves are taken off the limits, as a search keeps them.
func Symbols(b *bench.Bench, study string) string {
	s, _ := statedStudy(b, study)
	var out strings.Builder
	column := func(head string, lines []string) {
		for i, line := range lines {
			if i > 0 {
				head = ""
			}
			fmt.Fprintf(&out, "  %-11s %s\n", head, line)
		}
	}
	switch aims := aimsOf(s); {
	case aims != "":
		column("find", []string{aims})
	case len(s.Goals()) == 0:
		column("find", []string{"x"})
	}
	for _, goal := range s.Goals() {
		if goal.Maximize {
			column("maximize", []string{goal.Formula.Text})
		} else {
			column("minimize", []string{goal.Formula.Text})
		}
	}
	var limits []string
	for _, q := range b.MetBy(s) {
		limits = append(limits, fmt.Sprintf("%-6s %s", q.ID, inequality(b, q)))
	}
	column("subject to", limits)
	var domains []string
	for _, in := range b.VariedBy(s) {
		domains = append(domains, domain(in))
	}
	column("over", domains)
	return out.String()
}

// inequality writes a requirement with signs.
func inequality(b *bench.Bench, q bench.Requirement) string {
	of, reserve := q.Of.Text, q.Limit.Reserve
	kept := func(limit float64, sign string) string {
		if reserve == 0 {
			return plain.Exact(limit)
		}
		return fmt.Sprintf("%s %s %s", plain.Exact(limit), sign, plain.Exact(reserve))
	}
	var words string
	switch q.Kind {
	case "at_most":
		words = fmt.Sprintf("%s ≤ %s", of, kept(q.Limits[0], "-"))
	case "at_least":
		words = fmt.Sprintf("%s ≥ %s", of, kept(q.Limits[0], "+"))
	case "between":
		words = fmt.Sprintf("%s ≤ %s ≤ %s", kept(q.Limits[0], "+"), of, kept(q.Limits[1], "-"))
	case "equals":
		words = fmt.Sprintf("|%s - %s| ≤ %s", of, plain.Exact(q.Limits[0]), kept(q.Within, "-"))
	case "under", "over":
		words = fmt.Sprintf("%s %s %s", of, map[string]string{"under": "≤", "over": "≥"}[q.Kind], withReserve(q.File, q.Kind, reserve))
	}
	if s, err := q.Of.Shape(b.ShapeOf); err == nil && s != formula.Number {
		words += "  everywhere"
	}
	words += strings.Replace(InCases(b, q), " in ", "  in ", 1)
	if q.Price > 0 {
		words += fmt.Sprintf("  (soft, price %s)", plain.Exact(q.Price))
	}
	return words
}

func withReserve(file, kind string, reserve float64) string {
	if reserve == 0 {
		return file
	}
	return fmt.Sprintf("%s %s %s", file, map[string]string{"under": "-", "over": "+"}[kind], plain.Exact(reserve))
}

// maxListed is how many values of a list are written out.
const maxListed = 8

// domain writes what an input can be with signs.
func domain(in bench.Input) string {
	switch c := in.Choices; {
	case c != nil && c.Catalog != "":
		return fmt.Sprintf("%s ∈ rows of %s (%d)", in.Name, c.Catalog, c.Count())
	case c != nil:
		return fmt.Sprintf("%s ∈ {%s}", in.Name, c.List())
	case in.Step > 0 && (in.Range.Upper-in.Range.Lower)/in.Step < maxListed:
		var values []string
		for k := 0; in.Range.Lower+float64(k)*in.Step <= in.Range.Upper+in.Step/2; k++ {
			values = append(values, plain.Show(in.Range.Lower+float64(k)*in.Step))
		}
		return fmt.Sprintf("%s ∈ {%s}", in.Name, strings.Join(values, ", "))
	case in.Step > 0:
		return fmt.Sprintf("%s ∈ {%s, %s, ..., %s}", in.Name, plain.Exact(in.Range.Lower), plain.Show(in.Range.Lower+in.Step), plain.Exact(in.Range.Upper))
	}
	return fmt.Sprintf("%s ≤ %s ≤ %s", plain.Exact(in.Range.Lower), in.Name, plain.Exact(in.Range.Upper))
}
