package study

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropebench/bench"
	"ropebench/result"
)

func TestValuesOfOlderWorkbooksAreNotReliable(t *testing.T) {
	t.Parallel()
	book := &bench.Bench{Solver: bench.Solver{Steps: []bench.Step{{Workbook: &bench.Workbook{File: "cost.xlsx"}}}}}
	older := Run{Counts: result.Counts{Evaluations: 3}}
	assert.Contains(t, Unreliable(older, book), "not reliable: an older version of Rope Bench calculated the workbook cost.xlsx")
	assert.Empty(t, Unreliable(older, &bench.Bench{}), "formulas were never wrong so")
	now := older
	now.ValuesForm = valuesForm
	assert.Empty(t, Unreliable(now, book))
}
