package read

import (
	"ropebench/bench"
	"ropebench/bench/deck"
	"ropebench/core/formula"
)

// places reads where the numbers of inputs, or of formulas of inputs, stand: one place, or a list of them, for each.
func (f *fileReader) places(what string, n *Node) []bench.Place {
	places := []bench.Place{}
	if n.kind != mapping || len(n.Entries) == 0 {
		f.wrong(n.line, "%s: put needs inputs and their places: {plate: {lines: 12, field: 3}}", what)
		return places
	}
	for _, e := range n.Entries {
		if !deck.IsName(e.key) {
			if _, err := formula.Parse(e.key); err != nil {
				f.wrong(e.Line, "%s: put: %q is neither a name nor a formula of inputs: %s", what, e.key, err)
				continue
			}
		}
		items := []*Node{e.Value}
		if e.Value.kind == list {
			items = e.Value.Items
		}
		for _, item := range items {
			if place, ok := f.place(e.key, item); ok {
				places = append(places, place)
			}
		}
	}
	return places
}

func (f *fileReader) place(name string, n *Node) (bench.Place, bool) {
	p, before := bench.Place{Input: name}, len(f.problems)
	what := "the place of " + name
	wheres, withins := 0, 0
	f.fields(n, what, keys{
		"after":   func(n *Node) { wheres++; p.After = f.singleText(n, what+": after") },
		"line":    func(n *Node) { p.Line = f.whole(n, what+": line", 0) },
		"lines":   func(n *Node) { wheres++; p.Lines = f.span(n, what+": lines") },
		"field":   func(n *Node) { withins++; p.Field = f.whole(n, what+": field", 1) },
		"columns": func(n *Node) { withins++; p.Columns = f.span(n, what+": columns") },
		"format": func(n *Node) {
			if p.Format = f.singleText(n, what+": format"); !deck.BlankFormat.MatchString(p.Format) {
				f.wrong(n.line, "%s", deck.BadFormat(p.Format, name))
			}
		},
	})
	switch {
	case len(f.problems) > before:
	case wheres != 1:
		f.wrong(n.line, "%s needs its line: after (a text) with line, or lines", what)
	case withins != 1:
		f.wrong(n.line, "%s needs its place in the line: field or columns", what)
	case p.Line != 0 && p.After == "":
		f.wrong(n.line, "%s: line counts below the line that after names; without it write lines", what)
	}
	return p, len(f.problems) == before
}

// span reads one number, or the first and the last of several.
func (f *fileReader) span(n *Node, what string) [2]int {
	if n.kind == scalar {
		one := f.whole(n, what, 1)
		return [2]int{one, one}
	}
	if n.kind != list || len(n.Items) != 2 {
		f.wrong(n.line, "%s needs a number, or the first and the last: [19, 40]", what)
		return [2]int{}
	}
	first, last := f.whole(n.Items[0], what, 1), f.whole(n.Items[1], what, 1)
	if first > last {
		f.wrong(n.line, "%s: [%d, %d] is upside down: write [%d, %d]", what, first, last, last, first)
	}
	return [2]int{first, last}
}
