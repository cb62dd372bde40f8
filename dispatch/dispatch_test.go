package dispatch

import (
	"context"
	"errors"
	"math"
	"os"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/solver"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// square is a model of one input x with the output y = x^2, the derived value 1/y, and a requirement x >= 0.
type square struct{}

func (square) Widths() Widths                                 { return Widths{Inputs: 1, Values: 2, Outputs: 1} }
func (square) FillInputs(design core.Design, row []float64)   { row[0] = design[0] }
func (square) Value(string, []float64, []float64) bench.Value { return bench.Value{} }
func (square) Varied() []string                               { return []string{"x"} }
func (square) Name(column int) string                         { return []string{"y", "inverse"}[column] }
func (square) Finish(n int, rows func(row int) *solver.Row) {
	for i := range n {
		rows(i).Values[1] = 1 / rows(i).Values[0]
		if rows(i).Values[0] == 49 {
			rows(i).Err = errors.New("there is no crossing")
		}
	}
}
func (square) Screen(n int, inputs, values func(row int) []float64, missed []bool) {
	for i := range n {
		values(i)[0], values(i)[1] = math.NaN(), math.NaN()
		missed[i] = inputs(i)[0] < 0
	}
}

// squareBatch is its solver.
type squareBatch struct{ calls *int }

func (s squareBatch) SolveAll(n int, rows func(row int) *solver.Row) {
	for i := range n {
		*s.calls++
		rows(i).Values[0] = rows(i).Inputs[0] * rows(i).Inputs[0]
	}
}

type memory struct {
	mutex   sync.Mutex
	commits [][]Record
	fails   error
}

func (m *memory) Append(records []Record) error {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.fails != nil {
		return m.fails
	}
	m.commits = append(m.commits, records)
	return nil
}

func (m *memory) replay(number int) *Record {
	for _, commit := range m.commits {
		for _, record := range commit {
			if record.Number == number {
				return &record
			}
		}
	}
	return nil
}

func designs(xs ...float64) []core.Design {
	var all []core.Design
	for _, x := range xs {
		all = append(all, core.Design{x})
	}
	return all
}

func TestOneCommitForEachBatch(t *testing.T) {
	calls, journal := 0, &memory{}
	d := New(Config{Model: square{}, Batch: squareBatch{&calls}, Journal: journal})
	outcomes, err := d.Evaluate(t.Context(), designs(1, 2, -3, 2, 0))
	require.NoError(t, err)
	require.Len(t, journal.commits, 1)
	assert.Len(t, journal.commits[0], 4, "a design asked twice is one evaluation")
	assert.Equal(t, 3, calls, "a design that misses a requirement on inputs is not tried")
	assert.Equal(t, []float64{4, 0.25}, outcomes[1].Values)
	assert.Equal(t, core.NotTried, outcomes[2].State)
	assert.True(t, outcomes[3].Repeated)
	assert.Equal(t, outcomes[1].Values, outcomes[3].Values)
	assert.Equal(t, core.Failed, outcomes[4].State, "1/0 is a failure, not a value")
	assert.Contains(t, journal.commits[0][3].Reason, "inverse is +Inf, not a finite number")
	outcomes, err = d.Evaluate(t.Context(), designs(7))
	require.NoError(t, err)
	assert.Equal(t, core.Failed, outcomes[0].State)
	assert.Equal(t, "there is no crossing", journal.commits[1][0].Reason)
}

func TestResumedRunsAskNothingAgain(t *testing.T) {
	calls, journal := 0, &memory{}
	d := New(Config{Model: square{}, Batch: squareBatch{&calls}, Journal: journal})
	first, err := d.Evaluate(t.Context(), designs(1, 2, 3))
	require.NoError(t, err)
	var seen int
	resumed := New(Config{Model: square{}, Batch: squareBatch{&calls}, Journal: journal, Replay: journal.replay, Notice: func(r []Record) { seen += len(r) }})
	again, err := resumed.Evaluate(t.Context(), designs(1, 2, 3, 4))
	require.NoError(t, err)
	assert.Equal(t, first, again[:3])
	assert.Equal(t, 4, calls)
	assert.Equal(t, 4, seen, "who watches hears of what is replayed, too")
	other := New(Config{Model: square{}, Batch: squareBatch{&calls}, Replay: journal.replay})
	_, err = other.Evaluate(t.Context(), designs(9))
	assert.ErrorIs(t, err, errOtherRecords)
}

func TestRecordsThatCannotBeWrittenEndTheRun(t *testing.T) {
	calls := 0
	d := New(Config{Model: square{}, Batch: squareBatch{&calls}, Journal: &memory{fails: errors.New("disk full")}})
	_, err := d.Evaluate(t.Context(), designs(1))
	assert.ErrorContains(t, err, "the evaluations cannot be written down: disk full")
}

func TestNoisySolversAreAskedAgain(t *testing.T) {
	calls := 0
	d := New(Config{Model: square{}, Batch: squareBatch{&calls}, Noisy: true})
	outcomes, err := d.Evaluate(t.Context(), designs(1, 1))
	require.NoError(t, err)
	assert.Equal(t, 2, calls)
	assert.False(t, outcomes[1].Repeated)
	verify := New(Config{Model: square{}, Batch: squareBatch{&calls}, Repeat: true})
	_, err = verify.Evaluate(t.Context(), designs(1, 1, 1))
	require.NoError(t, err)
	assert.Equal(t, 5, calls)
}

// external is a slow solver that counts how many of it are at work.
type external struct {
	atWork, most, calls atomic.Int32
	fail                func(call int32) error
	wait                time.Duration
	written             map[string]float64
}

func (e *external) Written(func(string) bench.Value) []string {
	return []string{strconv.Itoa(int(e.calls.Load()))}
}

func (e *external) AsWritten(func(string) bench.Value) map[string]float64 { return e.written }

func (e *external) Solve(ctx context.Context, job solver.Job) (solver.Outputs, error) {
	now := e.atWork.Add(1)
	defer e.atWork.Add(-1)
	e.most.Store(max(e.most.Load(), now))
	call := e.calls.Add(1)
	if _, err := os.Stat(job.Folder); err != nil {
		return solver.Outputs{}, err
	}
	select {
	case <-time.After(e.wait):
	case <-ctx.Done():
		return solver.Outputs{}, &solver.Failure{State: core.Cancelled}
	}
	if e.fail != nil {
		if err := e.fail(call); err != nil {
			return solver.Outputs{}, err
		}
	}
	return solver.Outputs{Scalars: []float64{2}}, nil
}

func externalConfig(t *testing.T, e *external, journal Journal) Config {
	return Config{Model: square{}, Solver: e, Slots: NewSlots(3), Folders: t.TempDir(), Mark: "t-", Repeat: true, Journal: journal}
}

func TestSlotsAndLicencesBound(t *testing.T) {
	e, journal := &external{wait: 20 * time.Millisecond}, &memory{}
	c := externalConfig(t, e, journal)
	_, err := New(c).Evaluate(t.Context(), designs(1, 2, 3, 4, 5, 6, 7))
	require.NoError(t, err)
	assert.Equal(t, int32(3), e.most.Load())
	assert.Len(t, journal.commits, 7, "an external evaluation is committed as soon as it is finished")
	folders, err := os.ReadDir(c.Folders)
	require.NoError(t, err)
	assert.Empty(t, folders, "working folders are gone afterwards")
	e.most.Store(0)
	c.Licences = NewSlots(1)
	_, err = New(c).Evaluate(t.Context(), designs(1, 2, 3))
	require.NoError(t, err)
	assert.Equal(t, int32(1), e.most.Load())
}

func TestFailuresAreOutcomesAndAreTriedAgain(t *testing.T) {
	e := &external{fail: func(call int32) error {
		if call <= 2 {
			return solver.Failed("no licence")
		}
		return nil
	}}
	c := externalConfig(t, e, nil)
	c.Retry = 2
	outcomes, err := New(c).Evaluate(t.Context(), designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.OK, outcomes[0].State)
	e.calls.Store(0)
	c.Retry = 1
	outcomes, err = New(c).Evaluate(t.Context(), designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.Failed, outcomes[0].State)
	e.calls.Store(0)
	e.fail = func(int32) error { return errors.New("the folder is gone") }
	_, err = New(c).Evaluate(t.Context(), designs(1))
	assert.ErrorContains(t, err, "evaluation 1: the folder is gone", "what is no failure of a design ends the run")
}

func TestDesignsAreRecordedAsTheyAreWritten(t *testing.T) {
	e, journal := &external{written: map[string]float64{"x": 1.25}}, &memory{}
	_, err := New(externalConfig(t, e, journal)).Evaluate(t.Context(), designs(1.2468))
	require.NoError(t, err)
	assert.Equal(t, []float64{1.25}, journal.commits[0][0].Design)
	e.written["x"] = -0.0001
	outcomes, err := New(externalConfig(t, e, journal)).Evaluate(t.Context(), designs(0.0001))
	require.NoError(t, err)
	assert.Equal(t, core.NotTried, outcomes[0].State, "requirements on inputs are judged on what is written")
}

func TestCancelledEvaluationsAreNotWrittenDown(t *testing.T) {
	e, journal := &external{wait: time.Minute}, &memory{}
	ctx, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err := New(externalConfig(t, e, journal)).Evaluate(ctx, designs(1, 2, 3, 4, 5))
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.Empty(t, journal.commits)
	assert.Zero(t, e.atWork.Load())
}
