package read

import (
	"bytes"
	"fmt"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/decimal"
)

// along reads what a vector formula runs along: {stretch: {from: measured.csv, column: x}} or {stretch: {from: 0, to: 0.4, count: 81}}.
func (f *fileReader) along(name string, n *Node) *bench.Along {
	a := &bench.Along{}
	count := 0
	f.named(n, name+": along", false, func(variable string, line int, value *Node) {
		count++
		a.Name = variable
		if first, taken := f.lines[variable]; taken {
			f.wrong(line, "%s: along: %s is already a name, on line %d: take another for what the formula runs along", name, variable, first)
		}
		what := name + ": along: " + variable
		numbers := 0
		f.fields(value, what, keys{
			"from": func(n *Node) {
				if number, isNumber := plain.YAMLNumber(n.Text); isNumber && !n.quoted {
					a.From = number
					return
				}
				a.File = f.path(n, what+": from")
			},
			"to":     func(n *Node) { numbers++; a.To = f.number(n, what+": to") },
			"count":  func(n *Node) { numbers++; a.Count = f.whole(n, what+": count", 2) },
			"column": func(n *Node) { a.Column = f.singleText(n, what+": column") },
		})
		switch {
		case a.File != "" && (a.Column == "" || numbers > 0):
			f.wrong(line, "%s needs the file and its column: {from: measured.csv, column: x}", what)
		case a.File == "" && (numbers != 2 || a.Column != ""):
			f.wrong(line, "%s needs from, to and count, or a file and its column", what)
		case a.Count > plain.MaxValues:
			f.wrong(line, "%s: at most %d values are computed", what, plain.MaxValues)
		}
	})
	if n.kind == mapping && count != 1 {
		f.wrong(n.line, "%s: along needs one name, and there are %d", name, count)
	}
	return a
}

// resolve fills in the values.
func resolveAlong(a *bench.Along, content bench.Content) error {
	if a.File == "" {
		a.Values = make([]float64, a.Count)
		for i := range a.Values {
			a.Values[i] = decimal.Between(a.From, a.To, i, a.Count-1)
		}
		return nil
	}
	column, err := plain.Curve(bytes.NewReader(content.Files[bench.ContentPath(a.File)].Text), a.File, a.Column, a.Column)
	a.Values = column.Y
	return err
}

// readAlong reads what vector formulas run along.
func readAlong(b *bench.Bench, content bench.Content) bench.Problems {
	var problems bench.Problems
	for _, formula := range b.Solver.Formulas {
		if a := formula.Along; a != nil {
			if _, kept := content.Files[bench.ContentPath(a.File)]; a.File != "" && !kept {
				continue // it is missing, which is said already
			}
			if err := resolveAlong(a, content); err != nil {
				problems = append(problems, bench.Problem{File: a.File, Line: 1, Message: fmt.Sprintf("%s: %s", formula.Name, err)})
			}
		}
	}
	return problems
}
