package optimize_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/core"
	"ropebench/core/optimize"
)

// A workshop has some slots and a clock of its own: each design takes a time that depends on it.
type workshop struct {
	core.EvaluatorFunc
	takes func(core.Design) float64
	clock float64
	free  []float64     // when each slot will be
	asked []core.Design // in the order in which they came out
}

func newWorkshop(slots int, f core.EvaluatorFunc) *workshop {
	// from 1 to 5, without any order
	takes := func(x core.Design) float64 { return 3 + 2*math.Sin(1e4*(x[0]+3*x[1])) }
	return &workshop{EvaluatorFunc: f, takes: takes, free: make([]float64, slots)}
}

// begin gives the next slot to a design, and says when it will have come out.
func (w *workshop) begin(x core.Design) float64 {
	slot := slices.Index(w.free, slices.Min(w.free))
	w.free[slot] = max(w.clock, w.free[slot]) + w.takes(x)
	return w.free[slot]
}

func (w *workshop) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	for _, x := range designs {
		w.begin(x)
		w.asked = append(w.asked, slices.Clone(x))
	}
	w.clock = slices.Max(w.free)
	return w.EvaluatorFunc.Evaluate(ctx, designs)
}

func (w *workshop) Stream() core.Stream { return &counter{workshop: w} }

// A counter is where single designs are handed in and out.
type counter struct {
	*workshop
	open    []core.Design
	ends    []float64
	tickets []int
	given   int
}

func (c *counter) Submit(_ context.Context, designs ...core.Design) error {
	for _, x := range designs {
		c.open, c.ends, c.tickets = append(c.open, slices.Clone(x)), append(c.ends, c.begin(x)), append(c.tickets, c.given)
		c.given++
	}
	return nil
}

func (c *counter) Next(context.Context) (int, core.Outcome, error) {
	if len(c.open) == 0 {
		return 0, core.Outcome{}, core.ErrNothingOpen
	}
	i := slices.Index(c.ends, slices.Min(c.ends))
	x, ticket := c.open[i], c.tickets[i]
	c.clock = max(c.clock, c.ends[i])
	c.open, c.ends, c.tickets = slices.Delete(c.open, i, i+1), slices.Delete(c.ends, i, i+1), slices.Delete(c.tickets, i, i+1)
	c.asked = append(c.asked, x)
	return ticket, c.EvaluatorFunc(x), nil
}

func (c *counter) Close() {}

func TestNoSlotWaitsForTheSlowest(t *testing.T) {
	t.Parallel()
	const evaluations = 60
	spent := map[int]float64{}
	for _, slots := range []int{1, 2} {
		w := newWorkshop(slots, branin)
		r, err := optimize.Surrogate(t.Context(), braninProblem, w, optimize.Options{Seed: 3, Budget: evaluations, AtOnce: slots}, nil)
		require.NoError(t, err)
		require.Len(t, w.asked, r.Used, "what was begun is waited for")
		assert.Less(t, r.Best.Outcome.Values[0], 0.4)
		spent[slots] = w.clock / float64(r.Used)
	}
	assert.LessOrEqual(t, spent[2]/spent[1], 0.55, "of the time of one slot, for each evaluation")
}

func TestAStreamThatIsAskedAgainIsTheSame(t *testing.T) {
	t.Parallel()
	fails := func(x core.Design) core.Outcome {
		if x[0] > 8 {
			return core.Outcome{State: core.Failed}
		}
		return branin(x)
	}
	var asked [2][]core.Design
	for i := range asked {
		w := newWorkshop(3, fails)
		_, err := optimize.Surrogate(t.Context(), braninProblem, w, optimize.Options{Seed: 5, Budget: 40, AtOnce: 3}, nil)
		require.NoError(t, err)
		asked[i] = w.asked
		assert.Len(t, slices.CompactFunc(slices.SortedFunc(slices.Values(w.asked), slices.Compare[core.Design]), slices.Equal[core.Design]), len(w.asked), "nothing is asked for twice, also while it is at work")
	}
	assert.Equal(t, asked[0], asked[1])
}

func TestAStreamEndsWithItsContext(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	asked := 0
	w := newWorkshop(2, func(x core.Design) core.Outcome {
		if asked++; asked == 20 {
			cancel()
		}
		return branin(x)
	})
	_, err := optimize.Surrogate(ctx, braninProblem, w, optimize.Options{Seed: 1, Budget: 60, AtOnce: 2}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}
