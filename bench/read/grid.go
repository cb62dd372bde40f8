package read

import (
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/decimal"
)

// grid reads {springs: [2, 3, 4], rider_mass: {from: 50, to: 110, count: 7}} or {table: cells.csv}.
func (f *fileReader) grid(n *Node, what string) bench.Grid {
	g := bench.Grid{}
	if n.kind != mapping || len(n.Entries) == 0 {
		f.wrong(n.line, "%s needs inputs with their values, {springs: [2, 3, 4]}, or a file, {table: cells.csv}", what)
		return g
	}
	if len(n.Entries) == 1 && n.Entries[0].key == "table" && n.Entries[0].Value.kind == scalar {
		g.Table = f.path(n.Entries[0].Value, what+": table")
		return g
	}
	cells := 1
	for _, e := range n.Entries {
		axis := bench.GridAxis{Input: e.key, Values: f.axis(e.Value, what+": "+e.key)}
		g.Axes = append(g.Axes, axis)
		if cells *= max(1, len(axis.Values)); cells > bench.MaxCells {
			f.wrong(e.Value.line, "%s has more than %d cells: take fewer values", what, bench.MaxCells)
			return g
		}
	}
	return g
}

// axis reads the values of one input of a grid.
func (f *fileReader) axis(n *Node, what string) []bench.Value {
	var values []bench.Value
	switch {
	case n.kind == list && len(n.Items) > 0:
		for _, item := range n.Items {
			number, isNumber := plain.YAMLNumber(item.Text)
			if isNumber && !item.quoted {
				values = append(values, bench.Number(number))
			} else {
				values = append(values, bench.Value{Word: f.singleText(item, what)})
			}
		}
	case n.kind == mapping:
		from, to, count := 0.0, 0.0, 0
		f.fields(n, what, keys{
			"from":  func(n *Node) { from = f.number(n, what+": from") },
			"to":    func(n *Node) { to = f.number(n, what+": to") },
			"count": func(n *Node) { count = f.whole(n, what+": count", 2) },
		})
		if count < 2 {
			f.wrong(n.line, "%s needs from, to and count: {from: 50, to: 110, count: 7}", what)
		}
		for i := range min(count, bench.MaxCells) {
			values = append(values, bench.Number(decimal.Between(from, to, i, count-1)))
		}
	default:
		f.wrong(n.line, "%s needs values, [2, 3, 4], or {from: 50, to: 110, count: 7}", what)
	}
	return values
}

// checkGrid looks up the inputs of a sweep, their values, and the study that it makes.
func (f *fileReader) checkGrid(s bench.Study, k bench.Key, g bench.Grid) {
	for _, axis := range g.Axes {
		for _, value := range axis.Values {
			before := len(f.problems)
			f.checkValues(s, k.Name, map[string]bench.Value{axis.Input: value})
			if len(f.problems) > before {
				break // one is enough
			}
		}
	}
	each, found := f.bench.Study(s.Settings.(*bench.Sweep).Each)
	if found && each.Search() == nil {
		f.wrong(f.studyLines[s.Name], "%s: each names %s, of kind %s: a sweep makes a search for each cell: optimize, seek or calibrate", s.Name, each.Name, each.Kind)
	}
}
