package table_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/core"
	"ropebench/core/table"
)

func filled() *table.Table {
	t := table.New([]table.Column{{Name: "width", Unit: "mm", Input: true}, {Name: "mass", Unit: "kg"}}, 4)
	for i, row := range [][2]float64{{3, 7}, {1, math.NaN()}, {2, 5}, {4, 7}} {
		state := core.OK
		if math.IsNaN(row[1]) {
			state = core.Failed
		}
		t.Append(i+1, state, func(column int) float64 { return row[column] })
	}
	return t
}

func TestRowsAreSortedByAColumn(t *testing.T) {
	t.Parallel()
	all := filled()
	mass, found := all.Column("mass")
	assert.True(t, found)
	assert.Equal(t, []int{2, 0, 3, 1}, all.Sorted(mass, false), "equal ones keep their order, those without a number come last")
	assert.Equal(t, []int{0, 3, 2, 1}, all.Sorted(mass, true), "last either way")
	_, found = all.Column("cost")
	assert.False(t, found)
	assert.Equal(t, 4, all.Rows())
}

func TestTablesOfOneMakeDoNotShareNumbers(t *testing.T) {
	t.Parallel()
	columns := []table.Column{{Name: "a"}}
	first, second := table.New(columns, 2), table.New(columns, 2)
	first.Append(1, core.OK, func(int) float64 { return 1 })
	second.Append(1, core.OK, func(int) float64 { return 2 })
	assert.Equal(t, []float64{1}, first.Columns[0].Numbers)
}

func ExampleTable_Sorted() {
	t := table.New([]table.Column{{Name: "mass", Unit: "kg"}}, 3)
	for i, mass := range []float64{7, 5, 6} {
		t.Append(i+1, core.OK, func(int) float64 { return mass })
	}
	for _, row := range t.Sorted(t.Columns[0], false) {
		fmt.Println(t.Numbers[row], t.Columns[0].Numbers[row], t.Columns[0].Unit)
	}
	// Output:
	// 2 5 kg
	// 3 6 kg
	// 1 7 kg
}
