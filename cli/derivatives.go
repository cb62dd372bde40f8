package cli

import (
	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/api"
)

// derivatives shows how each value of an evaluation changes with each input: a row for each input, in the units of both.
func (v view) derivatives(d api.Derivatives) {
	v.line("Derivatives, by one unit of each input:")
	for _, names := range v.columnsOf(d) {
		right, header := []int{2}, []any{"input", "unit"}
		for i, name := range names {
			right, header = append(right, i+3), append(header, name)
		}
		t := v.newTable(right[1:], header...)
		for i, input := range d.Inputs {
			row := table.Row{input, v.slate(v.unit(input))}
			for _, name := range names {
				row = append(row, shown(d.Values[name][i], ""))
			}
			t.AppendRow(row)
		}
		t.Render()
		v.line("")
	}
}

// columnsAtOnce is how many values stand beside each other.
const columnsAtOnce = 7

// columnsOf parts the values into tables: outputs in the order of the bench, then what requirements limit.
func (v view) columnsOf(d api.Derivatives) [][]string {
	var names []string
	taken := map[string]bool{}
	add := func(name string) {
		if _, known := d.Values[name]; known && !taken[name] {
			names, taken[name] = append(names, name), true
		}
	}
	for _, o := range v.bench.Outputs {
		add(o.Name)
	}
	for _, name := range sortedNames(d.Values) {
		add(name)
	}
	var tables [][]string
	for ; len(names) > columnsAtOnce; names = names[columnsAtOnce:] {
		tables = append(tables, names[:columnsAtOnce])
	}
	return append(tables, names)
}
