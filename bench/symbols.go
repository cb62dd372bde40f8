package bench

import (
	"fmt"
	"strings"

	"ropebench/core/formula"
)

// Symbols is the problem of a study as mathematics writes it down, or that of the first optimization if study is "".
// Reserves are taken off the limits, as a search keeps them.
func (b *Bench) Symbols(study string) string {
	s, _ := b.statedStudy(study)
	var out strings.Builder
	column := func(head string, lines []string) {
		for i, line := range lines {
			if i > 0 {
				head = ""
			}
			fmt.Fprintf(&out, "  %-11s %s\n", head, line)
		}
	}
	switch o := s.Objective; {
	case o == nil:
		column("find", []string{"x"})
	case o.Maximize:
		column("maximize", []string{o.Formula.Text})
	default:
		column("minimize", []string{o.Formula.Text})
	}
	var limits []string
	for _, q := range b.MetBy(s) {
		limits = append(limits, fmt.Sprintf("%-6s %s", q.ID, b.inequality(q)))
	}
	column("subject to", limits)
	var domains []string
	for _, in := range b.variedBy(s) {
		domains = append(domains, in.domain())
	}
	column("over", domains)
	return out.String()
}

// inequality writes a requirement with signs.
func (b *Bench) inequality(q Requirement) string {
	of, reserve := q.Of.Text, q.Limit.Reserve
	kept := func(limit float64, sign string) string {
		if reserve == 0 {
			return exact(limit)
		}
		return fmt.Sprintf("%s %s %s", exact(limit), sign, exact(reserve))
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
		words = fmt.Sprintf("|%s - %s| ≤ %s", of, exact(q.Limits[0]), kept(q.Within, "-"))
	case "under", "over":
		words = fmt.Sprintf("%s %s %s", of, map[string]string{"under": "≤", "over": "≥"}[q.Kind], withReserve(q.File, q.Kind, reserve))
	}
	if s, err := q.Of.Shape(b.ShapeOf); err == nil && s != formula.Number {
		words += "  everywhere"
	}
	if q.Price > 0 {
		words += fmt.Sprintf("  (soft, price %s)", exact(q.Price))
	}
	return words
}

func withReserve(file, kind string, reserve float64) string {
	if reserve == 0 {
		return file
	}
	return fmt.Sprintf("%s %s %s", file, map[string]string{"under": "-", "over": "+"}[kind], exact(reserve))
}

// maxListed is how many values of a list are written out.
const maxListed = 8

// domain writes what an input can be with signs.
func (in Input) domain() string {
	switch c := in.Choices; {
	case c != nil && c.Catalog != "":
		return fmt.Sprintf("%s ∈ rows of %s (%d)", in.Name, c.Catalog, c.Count())
	case c != nil:
		return fmt.Sprintf("%s ∈ {%s}", in.Name, c.words())
	case in.Step > 0 && (in.Range.Upper-in.Range.Lower)/in.Step < maxListed:
		var values []string
		for k := 0; in.Range.Lower+float64(k)*in.Step <= in.Range.Upper+in.Step/2; k++ {
			values = append(values, Show(in.Range.Lower+float64(k)*in.Step))
		}
		return fmt.Sprintf("%s ∈ {%s}", in.Name, strings.Join(values, ", "))
	case in.Step > 0:
		return fmt.Sprintf("%s ∈ {%s, %s, ..., %s}", in.Name, exact(in.Range.Lower), Show(in.Range.Lower+in.Step), exact(in.Range.Upper))
	}
	return fmt.Sprintf("%s ≤ %s ≤ %s", exact(in.Range.Lower), in.Name, exact(in.Range.Upper))
}
