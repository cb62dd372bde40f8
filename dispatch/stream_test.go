package dispatch

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ropebench/core"
)

// hop is a method on a stream: it keeps some designs open, and asks for the next one by what it was just given.
func hop(t require.TestingT, s core.Stream, open, total int) (given []float64) {
	x := 1.0
	next := func() core.Design {
		x = x*1.37 + 0.5
		return core.Design{float64(int(x)%17) + 1}
	}
	for range open {
		require.NoError(t, s.Submit(context.Background(), next()))
	}
	for range total {
		ticket, outcome, err := s.Next(context.Background())
		require.NoError(t, err)
		given = append(given, float64(ticket), outcome.Values[0])
		x += outcome.Values[0] // what comes first decides what is asked next
		require.NoError(t, s.Submit(context.Background(), next()))
	}
	return given
}

// TestStreamsAreReplayedInTheOrderOfTheJournal cuts a run off anywhere, and holds that the method is given what it was given
// before, in the same order, without asking the solver for it.
func TestStreamsAreReplayedInTheOrderOfTheJournal(t *testing.T) {
	t.Parallel()
	for range 20 {
		e, journal := &external{}, &memory{}
		c := externalConfig(t, e, journal)
		d := dispatcher(t, c)
		s := d.Stream()
		want := hop(t, s, 3, 25)
		s.Close()
		records := journal.all()
		rapid.Check(t, func(rt *rapid.T) {
			kept := records[:rapid.IntRange(0, len(records)).Draw(rt, "kept")]
			before := e.calls.Load()
			again := c
			again.Journal, again.Replay = &memory{}, replay(kept)
			resumed := dispatcher(t, again)
			stream := resumed.Stream()
			defer stream.Close()
			got := hop(rt, stream, 3, 25)
			same := 0
			for same < len(want) && want[same] == got[same] {
				same++
			}
			// What was given while the journal had kept records is given again; repeated designs are given without one.
			if same/2 < len(kept)-3 {
				rt.Fatalf("%d kept, but only %d given alike:\n%v\n%v", len(kept), same/2, want, got)
			}
			if len(kept) == len(records) && e.calls.Load()-before > 3 {
				rt.Fatalf("%d calls for what is known", e.calls.Load()-before)
			}
		})
	}
}

func TestAStreamGivesEachDesignOnce(t *testing.T) {
	t.Parallel()
	e := &external{}
	d := dispatcher(t, externalConfig(t, e, &memory{}))
	s := d.Stream()
	defer s.Close()
	require.NoError(t, s.Submit(t.Context(), designs(1, 2, 1, -4)...))
	seen := map[int]core.Outcome{}
	for range 4 {
		ticket, outcome, err := s.Next(t.Context())
		require.NoError(t, err)
		seen[ticket] = outcome
	}
	_, _, err := s.Next(t.Context())
	assert.ErrorIs(t, err, core.ErrNothingOpen)
	assert.Equal(t, []float64{3, 1.0 / 3}, seen[0].Values)
	assert.Equal(t, seen[0].Values, seen[2].Values)
	assert.True(t, seen[2].Repeated)
	assert.Equal(t, core.NotTried, seen[3].State)
	assert.Equal(t, int32(2), e.calls.Load())
	require.NoError(t, s.Submit(t.Context(), core.Design{2}))
	_, outcome, err := s.Next(t.Context())
	require.NoError(t, err)
	assert.True(t, outcome.Repeated, "what was given before is given at once")
}

func TestStreamsPassTroubleOn(t *testing.T) {
	t.Parallel()
	e := &external{arrived: make(chan struct{}, 2), leave: make(chan struct{})}
	d := dispatcher(t, externalConfig(t, e, &memory{}))
	s := d.Stream()
	require.NoError(t, s.Submit(t.Context(), core.Design{1}))
	<-e.arrived
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err := s.Next(ctx)
	assert.ErrorIs(t, err, context.Canceled)
	assert.ErrorIs(t, s.Submit(ctx, core.Design{2}), context.Canceled)
	s.Close()
	assert.Zero(t, e.atWork.Load(), "nothing is left at work")
	_, _, err = s.Next(t.Context())
	assert.ErrorIs(t, err, context.Canceled)
}

// slopes are the derivatives of squares; where there is no inverse there is none.
type slopes struct{}

func (slopes) Of(_ context.Context, inputs, _ core.Matrix, _ []map[string]map[string]float64) (all []core.Derivatives, errs []error) {
	for i := range inputs.Rows {
		of := core.MatrixOf([][]float64{{2 * inputs.Row(i)[0]}, {0}})
		all, errs = append(all, &of), append(errs, nil)
	}
	return all, errs
}

func TestDerivativesComeWithOutcomesAndAreCounted(t *testing.T) {
	t.Parallel()
	counted := 0
	evaluator := dispatcher(t, Config{Solver: newSquares(), Derivation: slopes{}, Differentiated: func(n int) { counted += n }}).Evaluator()
	outcomes, derivatives, err := evaluator.(core.Differentiator).Differentiate(t.Context(), designs(3, 7, -1, 2))
	require.NoError(t, err)
	assert.Equal(t, []core.State{core.OK, core.Failed, core.NotTried, core.OK}, []core.State{outcomes[0].State, outcomes[1].State, outcomes[2].State, outcomes[3].State})
	assert.Equal(t, 6.0, derivatives[0].Row(0)[0])
	assert.Equal(t, 4.0, derivatives[3].Row(0)[0])
	assert.Nil(t, derivatives[1], "what has no value has no derivative")
	assert.Equal(t, 2, counted)
	assert.Implements(t, (*core.Streamer)(nil), evaluator, "one companion does not hide the other")
}
