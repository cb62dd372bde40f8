// Package table holds evaluations by columns: what fits, indices, tables and figures read.
package table

import (
	"math"
	"slices"

	"ropebench/core"
)

// A Table has a row for each evaluation, in the order of their numbers, and a column for each input and value.
type Table struct {
	Numbers []int        // of the evaluations, ascending
	States  []core.State // as many
	Columns []Column
}

// A Column is one number of every evaluation: NaN where it has none. An input that is a word is its index.
type Column struct {
	Name    string
	Unit    string
	Input   bool
	Words   []string // that the indices stand for; nil: they are numbers
	Numbers []float64
}

// New returns an empty table with columns of their own, and room for so many rows.
func New(columns []Column, rows int) *Table {
	t := &Table{Numbers: make([]int, 0, rows), States: make([]core.State, 0, rows), Columns: slices.Clone(columns)}
	for i := range t.Columns {
		t.Columns[i].Numbers = make([]float64, 0, rows)
	}
	return t
}

// Rows is how many there are.
func (t *Table) Rows() int { return len(t.Numbers) }

// Append adds an evaluation. values gives the number of a column; NaN where there is none.
func (t *Table) Append(number int, state core.State, values func(column int) float64) {
	t.Numbers, t.States = append(t.Numbers, number), append(t.States, state)
	for i := range t.Columns {
		t.Columns[i].Numbers = append(t.Columns[i].Numbers, values(i))
	}
}

// Column finds a column by its name.
func (t *Table) Column(name string) (Column, bool) {
	i := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Name == name })
	if i < 0 {
		return Column{}, false
	}
	return t.Columns[i], true
}

// Sorted lists the rows by a column, the smallest first or the largest; those that have no number come last, and equal
// ones keep their order.
func (t *Table) Sorted(column Column, largestFirst bool) []int {
	rows := make([]int, t.Rows())
	for i := range rows {
		rows[i] = i
	}
	slices.SortStableFunc(rows, func(a, b int) int {
		x, y := column.Numbers[a], column.Numbers[b]
		switch noX, noY := math.IsNaN(x), math.IsNaN(y); {
		case noX && noY:
			return 0
		case noX:
			return 1
		case noY:
			return -1
		case x == y:
			return 0
		case (x < y) != largestFirst:
			return -1
		}
		return 1
	})
	return rows
}
