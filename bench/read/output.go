package read

import (
	"errors"
	"fmt"
	"regexp"
	"regexp/syntax"
	"strconv"

	"ropebench/bench"
	"ropebench/bench/workbook"
	"ropebench/core/formula"
)

func (f *fileReader) output(name string, line int, n *Node) {
	f.declare(name, line)
	out := bench.Output{Name: name}
	var family []fieldOf
	before := len(f.problems)
	f.fields(n, name, keys{
		"label":   func(n *Node) { out.Label = f.singleText(n, name+": label") },
		"unit":    func(n *Node) { out.Unit = f.singleText(n, name+": unit") },
		"file":    func(n *Node) { out.File = f.path(n, name+": file") },
		"pointer": func(n *Node) { out.Pointed, out.Pointer = true, f.pointer(n, name+": pointer") },
		"answer":  func(n *Node) { out.Answer, out.Pointer = true, f.pointer(n, name+": answer") },
		"match":   func(n *Node) { out.Match = f.pattern(n, name) },
		"which":   func(n *Node) { out.Which = f.which(n, name) },
		"curve":   func(n *Node) { out.Curve = f.curveColumns(n, name) },
		"table":   func(n *Node) { out.Table, family = f.table(n, name) },
		"take": func(n *Node) {
			takes, _ := formula.Takes()
			out.Take = f.oneOf(n, name+": take", takes)
		},
		"cell": func(n *Node) {
			out.Cell = f.singleText(n, name+": cell")
			if _, err := workbook.ParseAddress(out.Cell); err != nil {
				f.wrong(n.line, "%s: %s", name, err)
			}
		},
		"decimal": func(n *Node) {
			out.Commas = f.oneOf(n, name+": decimal", []string{",", "."}) == ","
		},
		"gradient": func(n *Node) { out.Gradient = f.gradient(n, name) },
	})
	if len(f.problems) > before {
		return
	}
	f.checkOutput(out, line, len(family))
	if family == nil {
		f.bench.Outputs = append(f.bench.Outputs, out)
		return
	}
	for _, member := range family {
		one := out
		table := *out.Table
		table.Field = member.field
		one.Name, one.Table = name+"."+member.name, &table
		f.lines[one.Name] = line
		f.bench.Outputs = append(f.bench.Outputs, one)
	}
}

func (f *fileReader) pointer(n *Node, what string) string {
	pointer := f.singleText(n, what)
	if pointer != "" && pointer[0] != '/' {
		f.wrong(n.line, "%s: a pointer begins with /: write /%s", what, pointer)
	}
	return pointer
}

func (f *fileReader) gradient(n *Node, name string) *bench.Gradient {
	g := &bench.Gradient{}
	f.fields(n, name+": gradient", keys{
		"file":    func(n *Node) { g.File = f.path(n, name+": gradient: file") },
		"pointer": func(n *Node) { g.Pointer = f.pointer(n, name+": gradient: pointer") },
	})
	if n.kind == mapping && g.File == "" {
		f.wrong(n.line, "%s: gradient needs the file and the place of an object with a derivative for each input: {file: result.json, pointer: /gradient/%s}", name, name)
	}
	return g
}

// checkOutput refuses what cannot be read.
func (f *fileReader) checkOutput(out bench.Output, line, family int) {
	readers := 0
	for _, given := range []bool{out.Pointed, out.Match != "", out.Table != nil, out.Cell != ""} {
		if given {
			readers++
		}
	}
	switch {
	case out.Answer && (out.File != "" || readers > 0 || out.Gradient != nil):
		f.wrong(line, "%s is read from the answer of a program: file, pointer, match, table, cell and gradient do not go with answer", out.Name)
	case out.Answer:
	case out.File == "":
		f.wrong(line, "%s does not say which file it is read from: add file:", out.Name)
	case readers > 1 || readers == 0 && out.Curve == nil:
		f.wrong(line, "%s needs exactly one of pointer, match, table, cell and curve: how is it found in %s?", out.Name, out.File)
	case out.Curve != nil && (out.Match != "" || out.Cell != ""):
		f.wrong(line, "%s: a curve is read from columns, from a table or at a pointer, not by match or cell", out.Name)
	case out.Table != nil && out.Curve == nil && out.Table.Field == "" && family == 0:
		f.wrong(line, "%s: a table needs field (a number, or a name with header: true), or fields (names and fields)", out.Name)
	case out.Table != nil && out.Curve != nil && (out.Table.Field != "" || family > 0):
		f.wrong(line, "%s: the curve names its fields of the table: remove field or columns", out.Name)
	case out.Curve != nil && out.Table != nil && !out.Table.Header && !(isField(out.Curve.X) && isField(out.Curve.Y)):
		f.wrong(line, "%s: in a table the fields of a curve are numbers from 1, not %s and %s, unless it has header: true", out.Name, out.Curve.X, out.Curve.Y)
	case out.Take != "" && out.Curve == nil && out.Table == nil && !out.Pointed && out.Cells() < 2:
		f.wrong(line, "%s: take reduces a curve, a table or a list, and this output is a single number", out.Name)
	case out.Which != 0 && out.Match == "" && out.Table == nil:
		f.wrong(line, "%s: which belongs to match and table", out.Name)
	case out.Gradient != nil && out.Shape() != formula.Number:
		f.wrong(line, "%s: gradient belongs to a single number", out.Name)
	case out.Commas && (out.Pointed || out.Answer || out.Cell != ""):
		f.wrong(line, "%s: decimal belongs to text files: match, table and curve; JSON and workbooks have numbers of their own", out.Name)
	case out.Which == bench.AllBlocks && out.Table == nil:
		f.wrong(line, "%s: which: all belongs to table", out.Name)
	}
	if _, overX := formula.Takes(); overX[out.Take] && out.Curve == nil {
		f.wrong(line, "%s: %s is taken of a curve, and this has no x", out.Name, out.Take)
	}
}

func (f *fileReader) curveColumns(n *Node, name string) *bench.Curve {
	c := &bench.Curve{}
	f.fields(n, name+": curve", keys{
		"x":      func(n *Node) { c.X = f.singleText(n, name+": x") },
		"y":      func(n *Node) { c.Y = f.singleText(n, name+": y") },
		"x_unit": func(n *Node) { c.XUnit = f.singleText(n, name+": x_unit") },
	})
	if c.X == "" || c.Y == "" {
		f.wrong(n.line, "%s: a curve names two columns: {x: time, y: decel}", name)
	}
	return c
}

// A fieldOf is a member of a family of outputs.
type fieldOf struct {
	name, field string
}

func (f *fileReader) table(n *Node, name string) (*bench.Table, []fieldOf) {
	t := &bench.Table{}
	var family []fieldOf
	f.fields(n, name+": table", keys{
		"after":  func(n *Node) { t.After = f.singleText(n, name+": after") },
		"field":  func(n *Node) { t.Field = f.singleText(n, name+": field") },
		"rows":   func(n *Node) { t.Rows = f.whole(n, name+": rows", 1) },
		"until":  func(n *Node) { t.Until = f.singleText(n, name+": until") },
		"header": func(n *Node) { t.Header = f.boolean(n, name+": header") },
		"columns": func(n *Node) {
			if t.Columns = f.span(n, name+": columns"); t.Columns[0] > 0 {
				t.Field = bench.FieldOfColumns(t.Columns)
			}
		},
		"fields": func(n *Node) {
			f.named(n, name+": fields", false, func(member string, _ int, value *Node) {
				family = append(family, fieldOf{member, f.singleText(value, name+": fields: "+member)})
			})
		},
	})
	if t.After == "" {
		f.wrong(n.line, "%s: a table needs after: a text of the line above it", name)
	}
	if t.Field != "" && family != nil {
		f.wrong(n.line, "%s: give field or fields, not both", name)
	}
	if t.Columns[0] > 0 && (t.Header || family != nil || t.Field != bench.FieldOfColumns(t.Columns)) {
		f.wrong(n.line, "%s: give columns, the first and the last character of the number in each row, or field, not both; columns need no header", name)
	}
	if t.Rows > 0 && t.Until != "" {
		f.wrong(n.line, "%s: give rows or until, not both", name)
	}
	for _, asked := range append(family, fieldOf{field: t.Field}) {
		if asked.field != "" && !t.Header && t.Columns[0] == 0 && !isField(asked.field) {
			f.wrong(n.line, "%s: a field is a number from 1, not %s; with header: true it is a name of a column", name, asked.field)
		}
	}
	return t, family
}

// isField is true for the number of a field.
func isField(text string) bool {
	n, err := strconv.Atoi(text)
	return err == nil && n >= 1
}

const maxPattern = 1000

func (f *fileReader) pattern(n *Node, name string) string {
	pattern := f.singleText(n, name+": match")
	if len(pattern) > maxPattern {
		f.wrong(n.line, "%s: the pattern has %d characters; at most %d are read", name, len(pattern), maxPattern)
		return ""
	}
	compiled, err := regexp.Compile(pattern)
	if err != nil {
		f.wrong(n.line, "%s: the pattern cannot be read: %s", name, patternMistake(err))
		return ""
	}
	if groups := compiled.NumSubexp(); groups != 1 {
		f.wrong(n.line, "%s: the pattern has %d groups (...), it needs exactly one around the number; write (?:...) for others", name, groups)
	}
	return pattern
}

func (f *fileReader) which(n *Node, name string) int {
	switch n.Text {
	case "last":
		return 0
	case "first":
		return 1
	case "all":
		return bench.AllBlocks
	}
	which, err := strconv.Atoi(n.Text)
	if err != nil || which < 1 {
		f.wrong(n.line, "%s: which is last, first, all, or a number from 1, not %s", name, n.Text)
	}
	return which
}

// patternMistake says what is wrong with a pattern, in words.
func patternMistake(err error) string {
	var mistake *syntax.Error
	switch {
	case err == nil:
		return fmt.Sprintf("at most %d characters are read", maxPattern)
	case errors.As(err, &mistake):
		return fmt.Sprintf("%s in %s; characters such as ( [ . * + ? that stand for themselves get a \\ before them", mistake.Code, mistake.Expr)
	}
	return err.Error()
}
