package dispatch

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"os"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// square is a model of one input x with the output y = x^2, the derived value 1/y, and a requirement x >= 0.
type square struct{}

func (square) Variables() int                                  { return 1 }
func (square) Names() []string                                 { return []string{"y", "inverse"} }
func (square) Outputs() (columns, curves int)                  { return 1, 0 }
func (square) Fill(design core.Design, row []float64)          { row[0] = design[0] }
func (square) Value(_ string, inputs, _ []float64) bench.Value { return bench.Number(inputs[0]) }
func (square) Moves() []string                                 { return []string{"x"} }
func (square) Finish(_, values core.Matrix, _ [][]curve.Curve, errs []error) {
	for i := range values.Rows {
		values.Row(i)[1] = 1 / values.Row(i)[0]
		if values.Row(i)[0] == 49 {
			errs[i] = errors.New("there is no crossing")
		}
	}
}
func (square) Screen(inputs, values core.Matrix, missed []bool) {
	for i := range inputs.Rows {
		values.Row(i)[0], values.Row(i)[1] = math.NaN(), math.NaN()
		missed[i] = inputs.Row(i)[0] < 0
	}
}

// squares is its solver, in batches.
type squares struct{ calls *atomic.Int32 }

func newSquares() squares { return squares{&atomic.Int32{}} }

func (squares) Key() (solver.Key, error) { return solver.Key{}, nil }
func (squares) Question(question []byte, inputs []float64, _ solver.Lookup) []byte {
	return binary.LittleEndian.AppendUint64(question, math.Float64bits(inputs[0]))
}
func (s squares) SolveAll(ctx context.Context, rows solver.Rows) error {
	for i := range rows.Inputs.Rows {
		s.calls.Add(1)
		rows.Values.Row(i)[0] = rows.Inputs.Row(i)[0] * rows.Inputs.Row(i)[0]
	}
	return ctx.Err()
}

// memory is a journal.
type memory struct {
	slow func() // called before records are kept; nil: it is quick

	mutex   sync.Mutex // guards what follows
	commits [][]Record
	fails   error
}

func (m *memory) Append(records []Record) error {
	if m.slow != nil {
		m.slow()
	}
	m.mutex.Lock()
	defer m.mutex.Unlock()
	if m.fails != nil {
		return m.fails
	}
	kept := make([]Record, len(records))
	for i, record := range records {
		kept[i] = record
		kept[i].Values = slices.Clone(record.Values)
	}
	m.commits = append(m.commits, kept)
	return nil
}

func (m *memory) all() []Record {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	var all []Record
	for _, commit := range m.commits {
		all = append(all, commit...)
	}
	for i := range all {
		all[i].Order = i + 1
	}
	return all
}

func (m *memory) Read(number int) (Record, error) {
	for _, record := range m.all() {
		if record.Number == number {
			return record, nil
		}
	}
	return Record{}, fmt.Errorf("there is no evaluation %d", number)
}

// replay gives records to a resumed run, in the order in which they were finished.
func replay(records []Record) Replay {
	return func(yield func(Record, error) bool) {
		for _, record := range records {
			if !yield(record, nil) {
				return
			}
		}
	}
}

func designs(xs ...float64) []core.Design {
	var all []core.Design
	for _, x := range xs {
		all = append(all, core.Design{x})
	}
	return all
}

func dispatcher(t testing.TB, c Config) *Dispatcher {
	if c.Model == nil {
		c.Model = square{}
	}
	d, err := New(c)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, d.Close()) })
	return d
}

func TestOneCommitForEachBatch(t *testing.T) {
	t.Parallel()
	s, journal := newSquares(), &memory{}
	d := dispatcher(t, Config{Solver: s, Journal: journal})
	outcomes, err := d.Evaluate(t.Context(), designs(1, 2, -3, 2, 0))
	require.NoError(t, err)
	require.Len(t, journal.commits, 1)
	assert.Len(t, journal.commits[0], 4, "a design asked twice is one evaluation")
	assert.Equal(t, int32(3), s.calls.Load(), "a design that misses a requirement on inputs is not tried")
	assert.Equal(t, []float64{4, 0.25}, outcomes[1].Values)
	assert.Equal(t, []int{1, 2, 3, 2, 4}, []int{outcomes[0].Number, outcomes[1].Number, outcomes[2].Number, outcomes[3].Number, outcomes[4].Number})
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
	t.Parallel()
	s, journal := newSquares(), &memory{}
	first, err := dispatcher(t, Config{Solver: s, Journal: journal}).Evaluate(t.Context(), designs(1, 2, 3))
	require.NoError(t, err)
	var seen int
	resumed := dispatcher(t, Config{Solver: s, Journal: journal, Replay: replay(journal.all()), Notice: func(r []Record) { seen += len(r) }})
	again, err := resumed.Evaluate(t.Context(), designs(1, 2, 3, 4))
	require.NoError(t, err)
	assert.Equal(t, first, again[:3])
	assert.Equal(t, int32(4), s.calls.Load())
	assert.Equal(t, 4, seen, "who watches hears of what is replayed, too")
	other := dispatcher(t, Config{Solver: s, Replay: replay(journal.all())})
	_, err = other.Evaluate(t.Context(), designs(9))
	assert.ErrorIs(t, err, errOtherRecords)
}

func TestRecordsThatCannotBeWrittenEndTheRun(t *testing.T) {
	t.Parallel()
	d := dispatcher(t, Config{Solver: newSquares(), Journal: &memory{fails: errors.New("disk full")}})
	_, err := d.Evaluate(t.Context(), designs(1))
	assert.ErrorContains(t, err, "the evaluations cannot be written down: disk full")
}

// TestLargeBatchesAreHeardOfInPieces holds that a stop is heard between two pieces of a batch.
func TestLargeBatchesAreHeardOfInPieces(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithCancel(t.Context())
	s, journal := newSquares(), &memory{}
	d := dispatcher(t, Config{Solver: s, Journal: journal, Notice: func([]Record) { cancel() }})
	many := make([]core.Design, 3*pieceSize)
	for i := range many {
		many[i] = core.Design{float64(i + 1)}
	}
	_, err := d.Evaluate(ctx, many)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, int32(pieceSize), s.calls.Load())
	assert.Len(t, journal.all(), pieceSize, "and what was finished is kept")
}

// external is a solver that is asked one by one, and counts how many of it are at work.
type external struct {
	atWork, most, calls, open atomic.Int32
	fail                      func(call int32) error
	arrived, leave            chan struct{} // nil: it answers at once; else it tells that it is at work, and waits to be let go
	written                   map[string]float64
	noisy                     bool
	blind                     bool // what it is asked does not depend on the design
	folders                   sync.Map
}

func (e *external) Key() (solver.Key, error) { return solver.Key{}, nil }
func (e *external) Question(question []byte, inputs []float64, _ solver.Lookup) []byte {
	if e.blind {
		return question
	}
	return binary.LittleEndian.AppendUint64(question, math.Float64bits(inputs[0]))
}
func (e *external) AsWritten(solver.Lookup) map[string]float64 { return e.written }
func (e *external) Noisy() bool                                { return e.noisy }
func (e *external) NeedsFolder() bool                          { return true }
func (e *external) Open(context.Context, solver.Worker) (solver.Session, error) {
	e.open.Add(1)
	return session{e}, nil
}

type session struct{ *external }

func (s session) Close() error {
	s.open.Add(-1)
	return nil
}

func (s session) Solve(ctx context.Context, job solver.Job) (solver.Outputs, error) {
	e := s.external
	now := e.atWork.Add(1)
	defer e.atWork.Add(-1)
	for most := e.most.Load(); now > most && !e.most.CompareAndSwap(most, now); most = e.most.Load() {
	}
	call := e.calls.Add(1)
	if err := os.Mkdir(job.Folder, 0o755); err != nil { // it is fresh
		return solver.Outputs{}, err
	}
	e.folders.Store(job.ID, true)
	if e.leave != nil {
		e.arrived <- struct{}{}
		select {
		case <-e.leave:
		case <-ctx.Done():
			return solver.Outputs{}, &solver.Failure{State: core.Cancelled}
		}
	}
	if e.fail != nil {
		if err := e.fail(call); err != nil {
			return solver.Outputs{}, err
		}
	}
	x := job.Lookup("x").Number
	return solver.Outputs{Scalars: []float64{x*x + 2}}, nil
}

func externalConfig(t *testing.T, e *external, journal Journal) Config {
	return Config{Solver: e, Slots: NewSlots(3), Folders: t.TempDir(), IDPrefix: "t-", Journal: journal}
}

// TestWhatIsFinishedMeanwhileIsWrittenDownTogether: while a slow disk takes one outcome, the slots go on, and what they finish is one
// commit; no method sees an outcome before that.
func TestWhatIsFinishedMeanwhileIsWrittenDownTogether(t *testing.T) {
	t.Parallel()
	const all = 9
	e, journal := &external{arrived: make(chan struct{}, all), leave: make(chan struct{})}, &memory{}
	first, others := make(chan struct{}), make(chan struct{})
	var once sync.Once
	journal.slow = func() { once.Do(func() { close(first); <-others }) }
	d := dispatcher(t, externalConfig(t, e, journal))
	done := make(chan error, 1)
	go func() {
		_, err := d.Evaluate(t.Context(), designs(1, 2, 3, 4, 5, 6, 7, 8, 9))
		done <- err
	}()
	<-e.arrived
	e.leave <- struct{}{}
	<-first
	for range all - 1 {
		e.leave <- struct{}{}
	}
	for finished := 0; finished < all-1; {
		d.mutex.Lock()
		finished = len(d.pending)
		d.mutex.Unlock()
		runtime.Gosched()
	}
	select {
	case <-done:
		t.Fatal("an outcome was seen before it was safe")
	default:
	}
	close(others)
	require.NoError(t, <-done)
	require.Len(t, journal.commits, 2)
	assert.Len(t, journal.commits[1], all-1)
	require.NoError(t, d.Close())
}

func TestSlotsAndLicencesBound(t *testing.T) {
	t.Parallel()
	for licences, most := range map[int]int32{0: 3, 1: 1, 2: 2} {
		e, journal := &external{arrived: make(chan struct{}), leave: make(chan struct{})}, &memory{}
		c := externalConfig(t, e, journal)
		if licences > 0 {
			c.Licences = NewSlots(licences)
		}
		if licences == 2 {
			c.Licences, c.Own = NewSlots(3), NewSlots(2) // of the run
		}
		d := dispatcher(t, c)
		done := make(chan error)
		go func() {
			_, err := d.Evaluate(t.Context(), designs(1, 2, 3, 4, 5, 6, 7))
			done <- err
		}()
		for range most {
			<-e.arrived
		}
		assert.Equal(t, most, e.atWork.Load(), "all slots that there are take one")
		for range 7 - most {
			e.leave <- struct{}{}
			<-e.arrived
		}
		close(e.leave)
		require.NoError(t, <-done)
		assert.Equal(t, most, e.most.Load())
		assert.Len(t, journal.all(), 7)
		folders, err := os.ReadDir(c.Folders)
		require.NoError(t, err)
		assert.Empty(t, folders, "working folders are gone afterwards")
		assert.LessOrEqual(t, e.open.Load(), int32(3), "a session for each slot, for as long as the run lasts")
		assert.Positive(t, e.open.Load())
		require.NoError(t, d.Close())
		assert.Zero(t, e.open.Load())
	}
}

func TestFailuresAreOutcomesAndAreTriedAgain(t *testing.T) {
	t.Parallel()
	e := &external{fail: func(call int32) error {
		if call <= 2 {
			return &solver.Failure{State: core.Failed, Reason: "no \x1b[31mlicence", Tail: "\x1b]0;gone\x07sorry"}
		}
		return nil
	}}
	journal := &memory{}
	c := externalConfig(t, e, journal)
	c.Retry = 2
	var again [][3]int
	c.Again = func(number, try, tries int) { again = append(again, [3]int{number, try, tries}) }
	outcomes, err := dispatcher(t, c).Evaluate(t.Context(), designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.OK, outcomes[0].State)
	assert.Equal(t, [][3]int{{1, 2, 3}, {1, 3, 3}}, again, "who watches hears of the 2nd try of 3, and of the 3rd")
	e.calls.Store(0)
	c.Retry = 1
	outcomes, err = dispatcher(t, c).Evaluate(t.Context(), designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.Failed, outcomes[0].State)
	failed := journal.commits[len(journal.commits)-1][0]
	assert.Equal(t, []string{"no licence (the last of 2 tries)", "sorry"}, []string{failed.Reason, failed.Tail}, "no terminal is commanded by a solver")
	e.calls.Store(0)
	e.fail = func(call int32) error {
		if call == 1 {
			return &solver.Failure{State: core.TimedOut, Reason: "it hung"}
		}
		return nil
	}
	outcomes, err = dispatcher(t, c).Evaluate(t.Context(), designs(1))
	require.NoError(t, err)
	assert.Equal(t, core.OK, outcomes[0].State, "one that hung is tried again, too")
	e.calls.Store(0)
	e.fail = func(int32) error { return errors.New("the folder is gone") }
	_, err = dispatcher(t, c).Evaluate(t.Context(), designs(1))
	assert.ErrorContains(t, err, "evaluation 1: the folder is gone", "what is no failure of a design ends the run")
}

func TestDesignsAreRecordedAsTheyAreWritten(t *testing.T) {
	t.Parallel()
	e, journal := &external{written: map[string]float64{"x": 1.25}}, &memory{}
	_, err := dispatcher(t, externalConfig(t, e, journal)).Evaluate(t.Context(), designs(1.2468))
	require.NoError(t, err)
	assert.Equal(t, []float64{1.25}, journal.commits[0][0].Design)
	e.written["x"] = -0.0001
	outcomes, err := dispatcher(t, externalConfig(t, e, journal)).Evaluate(t.Context(), designs(0.0001))
	require.NoError(t, err)
	assert.Equal(t, core.NotTried, outcomes[0].State, "requirements on inputs are judged on what is written")
}

func TestCancelledEvaluationsAreNotWrittenDown(t *testing.T) {
	t.Parallel()
	e, journal := &external{arrived: make(chan struct{}, 9), leave: make(chan struct{})}, &memory{}
	ctx, cancel := context.WithCancel(t.Context())
	go func() {
		<-e.arrived
		cancel()
	}()
	_, err := dispatcher(t, externalConfig(t, e, journal)).Evaluate(ctx, designs(1, 2, 3, 4, 5))
	assert.ErrorIs(t, err, context.Canceled)
	assert.Empty(t, journal.commits)
	assert.Zero(t, e.atWork.Load())
}

func TestNoisySolversAndVerificationsAreAskedAgain(t *testing.T) {
	t.Parallel()
	for name, change := range map[string]func(e *external, c *Config){
		"noisy":        func(e *external, _ *Config) { e.noisy = true },
		"verification": func(_ *external, c *Config) { c.Repeat = true },
	} {
		e, journal := &external{}, &memory{}
		c := externalConfig(t, e, journal)
		change(e, &c)
		outcomes, err := dispatcher(t, c).Evaluate(t.Context(), designs(1, 1))
		require.NoError(t, err, name)
		assert.Equal(t, int32(2), e.calls.Load(), name)
		assert.False(t, outcomes[1].Repeated, name)
		keys := map[Key]bool{}
		repeats := 0
		for _, record := range journal.all() {
			keys[record.Key] = true
			repeats += record.Repeat
		}
		assert.Equal(t, name == "noisy", len(keys) == 2, "%s: the repeat is part of the key of a noisy solver only", name)
		assert.Equal(t, 1, repeats, name)
		c.Replay = replay(journal.all())
		again, err := dispatcher(t, c).Evaluate(t.Context(), designs(1, 1))
		require.NoError(t, err, name)
		assert.Equal(t, outcomes, again, name)
		assert.Equal(t, int32(2), e.calls.Load(), "%s: a resumed run asks nothing again", name)
	}
}

// TestDesignsThatTheSolverCannotTellApartShareItsAnswer holds that they are two evaluations, of which one asks.
func TestDesignsThatTheSolverCannotTellApartShareItsAnswer(t *testing.T) {
	t.Parallel()
	e, journal := &external{blind: true}, &memory{}
	d := dispatcher(t, externalConfig(t, e, journal))
	outcomes, err := d.Evaluate(t.Context(), designs(1, 2, 3))
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2, 3}, []int{outcomes[0].Number, outcomes[1].Number, outcomes[2].Number})
	assert.Equal(t, int32(1), e.calls.Load(), "within a batch")
	_, err = d.Evaluate(t.Context(), designs(4))
	require.NoError(t, err)
	assert.Equal(t, int32(1), e.calls.Load(), "and behind it")
	for _, record := range journal.all() {
		assert.Equal(t, record.Number != 1, record.Shares == 1, "%d", record.Number)
		assert.Equal(t, []float64{3, 1.0 / 3}, record.Values)
	}
}

// known is what another run knows.
type known map[Key]Record

func (k known) Find(key Key) (Record, bool, error) {
	record, found := k[key]
	return record, found, nil
}

func TestWhatOtherRunsKnowIsTakenFromThem(t *testing.T) {
	t.Parallel()
	e, journal := &external{}, &memory{}
	_, err := dispatcher(t, externalConfig(t, e, journal)).Evaluate(t.Context(), designs(1, 2))
	require.NoError(t, err)
	earlier := known{}
	for _, record := range journal.all() {
		earlier[record.Key] = record
	}
	c := externalConfig(t, e, &memory{})
	c.Known = earlier
	var records []Record
	c.Notice = func(r []Record) { records = append(records, r...) }
	outcomes, err := dispatcher(t, c).Evaluate(t.Context(), designs(2, 3))
	require.NoError(t, err)
	assert.Equal(t, int32(3), e.calls.Load())
	assert.Equal(t, []float64{6, 1.0 / 6}, outcomes[0].Values)
	assert.Equal(t, []bool{true, false}, []bool{records[0].Reused, records[1].Reused})
	c.SolverKey[0]++
	_, err = dispatcher(t, c).Evaluate(t.Context(), designs(2))
	require.NoError(t, err)
	assert.Equal(t, int32(4), e.calls.Load(), "another solver is asked itself")
}

func TestSeveralCallersAtOnce(t *testing.T) {
	t.Parallel()
	e, journal := &external{}, &memory{}
	c := externalConfig(t, e, journal)
	c.Concurrent = true
	d := dispatcher(t, c)
	var group sync.WaitGroup
	answers := make([][]core.Outcome, 8)
	for caller := range answers {
		group.Go(func() {
			for i := range 20 {
				outcomes, err := d.Evaluate(t.Context(), designs(float64(i+1), float64(100*caller+i+1)))
				assert.NoError(t, err)
				answers[caller] = append(answers[caller], outcomes...)
			}
		})
	}
	group.Wait()
	assert.Equal(t, int32(20+7*20), e.calls.Load(), "what two ask for is evaluated once")
	for caller, outcomes := range answers {
		for i, outcome := range outcomes {
			x := float64(i/2 + 1)
			if i%2 == 1 {
				x = float64(100*caller + i/2 + 1)
			}
			assert.Equal(t, []float64{x*x + 2, 1 / (x*x + 2)}, outcome.Values)
		}
	}
	c.Replay = replay(journal.all())
	again := dispatcher(t, c)
	for caller := 7; caller >= 0; caller-- { // in another order
		for i := range 20 {
			outcomes, err := again.Evaluate(t.Context(), designs(float64(i+1), float64(100*caller+i+1)))
			require.NoError(t, err)
			assert.Equal(t, answers[caller][2*i].Number, outcomes[0].Number, "numbers are those of the records")
			assert.Equal(t, answers[caller][2*i+1].Number, outcomes[1].Number)
		}
	}
	assert.Equal(t, int32(160), e.calls.Load())
}

func TestACallerThatWaitsForAnotherHearsThatItGaveUp(t *testing.T) {
	t.Parallel()
	e := &external{arrived: make(chan struct{}), leave: make(chan struct{})}
	c := externalConfig(t, e, &memory{})
	c.Concurrent = true
	d := dispatcher(t, c)
	ctx, cancel := context.WithCancel(t.Context())
	first, second := make(chan error, 1), make(chan error, 1)
	go func() {
		_, err := d.Evaluate(ctx, designs(1))
		first <- err
	}()
	<-e.arrived
	go func() {
		_, err := d.Evaluate(t.Context(), designs(1))
		second <- err
	}()
	cancel()
	assert.ErrorIs(t, <-first, context.Canceled)
	assert.ErrorIs(t, <-second, errElsewhere)
}
