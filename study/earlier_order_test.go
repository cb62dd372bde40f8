package study

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/dispatch"
)

// endedRecords has evaluations in the order in which they ended.
type endedRecords struct {
	Records
	numbers []int
}

func (e endedRecords) Replay(int) dispatch.Replay {
	return func(yield func(dispatch.Record, error) bool) {
		for order, number := range e.numbers {
			if !yield(dispatch.Record{Number: number, Order: order + 1}, nil) {
				return
			}
		}
	}
}

func TestWhichEvaluationEndedFirstChangesNothing(t *testing.T) {
	t.Parallel()
	for _, ended := range [][]int{{1, 2, 3, 4}, {3, 1, 4, 2}, {4, 3, 2, 1}} {
		r := &Runs{records: endedRecords{numbers: ended}}
		records, err := r.byNumber(Earlier{Run: 1, Count: 4})
		require.NoError(t, err)
		var numbers []int
		for _, record := range records {
			numbers = append(numbers, record.Number)
		}
		assert.Equal(t, []int{1, 2, 3, 4}, numbers)
	}
	records, err := (&Runs{records: endedRecords{numbers: []int{3, 1, 4, 2}}}).byNumber(Earlier{Run: 1, Count: 4, Skip: 2})
	require.NoError(t, err)
	assert.Len(t, records, 2)
}

func TestReasonsThatDifferInNumbersAreOne(t *testing.T) {
	t.Parallel()
	one := "residual 0 after 0 steps"
	for _, reason := range []string{"residual 1.5 after 3 steps", "residual 2e-05 after 12 steps", "residual -1.25E+3 after 1,000 steps", "residual NaN after 3 steps", "residual 3D-4 after 3 steps"} {
		assert.Equal(t, one, numbers.ReplaceAllString(reason, "0"), reason)
	}
	assert.NotEqual(t, one, numbers.ReplaceAllString("residual information after 3 steps", "0"))
}
