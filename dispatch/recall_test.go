package dispatch

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
)

// What earlier runs know is told without a number, a record or a call.
func TestWhatOtherRunsKnowIsRecalled(t *testing.T) {
	t.Parallel()
	e, journal := &external{}, &memory{}
	_, err := dispatcher(t, externalConfig(t, e, journal)).Evaluate(t.Context(), designs(1, 2))
	require.NoError(t, err)
	earlier := known{}
	for _, record := range journal.all() {
		earlier[record.Key] = record
	}
	own := &memory{}
	c := externalConfig(t, e, own)
	c.Known = earlier
	c.Notice = func([]Record) { t.Error("nothing is to be noticed") }
	d := dispatcher(t, c)
	outcomes, _, err := d.Recall(designs(2, 3, 1))
	require.NoError(t, err)
	assert.Equal(t, []core.State{core.OK, core.Cancelled, core.OK}, []core.State{outcomes[0].State, outcomes[1].State, outcomes[2].State})
	assert.Equal(t, []float64{6, 1.0 / 6}, outcomes[0].Values, "with what follows from them")
	assert.Nil(t, outcomes[1].Values)
	assert.Zero(t, outcomes[0].Number)
	assert.Equal(t, int32(2), e.calls.Load(), "the solver is left alone")
	assert.Empty(t, own.all())
	c.Notice = nil
	fresh := dispatcher(t, c)
	_, _, err = fresh.Recall(designs(1, 2))
	require.NoError(t, err)
	asked, err := fresh.Evaluate(t.Context(), designs(7))
	require.NoError(t, err)
	assert.Equal(t, 1, asked[0].Number, "and no number was taken")
	c.Known = nil
	nothing, _, err := dispatcher(t, c).Recall(designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.Cancelled, nothing[0].State)
}
