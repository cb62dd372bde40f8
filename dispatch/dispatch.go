package dispatch

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/solver"
)

// Config is what a dispatcher works with. Exactly one of Solver and Batch is set.
type Config struct {
	Model     Model
	Solver    solver.Solver
	Batch     solver.Batch
	SolverKey [32]byte // of the solver's part of the revision, and of its programs
	Slots     *Slots   // shared by all runs
	Licences  *Slots   // of this solver, shared by all runs that need it; nil: no bound but the slots
	Retry     int      // further tries of an evaluation that failed
	Noisy     bool     // the same design may give other values: the key gets the number of the repeat
	Repeat    bool     // a design that is asked again is evaluated again
	Folders   string   // below it every evaluation gets a working folder of its own
	Mark      string   // begins the ids of this run's evaluations
	Keep      string   // a folder into which the files of a working folder are copied before it is removed; "": none

	Journal Journal                  // nil: nothing is kept
	Known   Known                    // nil: nothing is known from other runs
	Replay  func(number int) *Record // the record that this run has already; nil: none
	Notice  func(records []Record)   // told of what is committed or replayed, one call at a time; nil: nobody
}

// A Dispatcher is the evaluator of one run on its real solver. It answers one call of Evaluate at a time.
type Dispatcher struct {
	Config
	widths Widths

	numbers map[Key]int32 // of the designs asked in this run
	repeats map[Key]int   // how often a design was asked, where the solver is noisy
	states  []core.State  // by number - 1
	values  []float64     // by number - 1, in rows
	buffer  []byte

	mutex sync.Mutex // what is kept, and the order of commits
}

// Counts say how the evaluations of a run ended.
type Counts struct {
	Evaluations int `json:"evaluations"` // distinct designs asked, known ones included
	Reused      int `json:"reused"`      // of these, taken from other runs
	Failed      int `json:"failed"`      // failed or timed out
	NotTried    int `json:"not_tried"`
}

// Add counts one evaluation.
func (c *Counts) Add(record Record) {
	c.Evaluations++
	if record.Reused {
		c.Reused++
	}
	switch record.State {
	case core.Failed, core.TimedOut:
		c.Failed++
	case core.NotTried:
		c.NotTried++
	}
}

// New returns a dispatcher.
func New(c Config) *Dispatcher {
	d := &Dispatcher{Config: c, numbers: map[Key]int32{}, repeats: map[Key]int{}}
	d.widths = c.Model.Widths()
	return d
}

// KeyOf is the key under which a design is known.
func (d *Dispatcher) KeyOf(design core.Design) Key {
	return d.prepare([]core.Design{design})[0].record.Key
}

// A task is a design that was not asked before in this run.
type task struct {
	solver.Row
	record Record
	missed bool // a requirement on inputs alone
}

// Evaluate answers the designs. Each new one gets the next number; what the journal of this run has already is taken
// from it, what earlier runs know from them, and the rest is asked of the solver.
func (d *Dispatcher) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	candidates := d.prepare(designs)
	outcomes, asked := make([]core.Outcome, len(designs)), make([]int, len(designs))
	tasks := candidates[:0]
	for i := range candidates {
		number, again := d.number(candidates[i].record.Key)
		asked[i], outcomes[i].Repeated = number, again
		if !again {
			t := candidates[i]
			t.record.Number = number
			tasks = append(tasks, t)
		}
	}
	if err := d.answer(ctx, tasks); err != nil {
		return nil, err
	}
	for i, number := range asked {
		outcomes[i].State = d.states[number-1]
		if outcomes[i].State == core.OK || outcomes[i].State == core.NotTried {
			outcomes[i].Values = d.row(number)
		}
	}
	return outcomes, nil
}

// prepare fills the inputs of the designs, screens them and finds their keys.
func (d *Dispatcher) prepare(designs []core.Design) []task {
	tasks, rows := make([]task, len(designs)), make([]float64, len(designs)*(d.widths.Inputs+d.widths.Values))
	missed := make([]bool, len(designs))
	for i, design := range designs {
		t := &tasks[i]
		t.record.Design = design
		t.Inputs, rows = rows[:d.widths.Inputs:d.widths.Inputs], rows[d.widths.Inputs:]
		t.Values, rows = rows[:d.widths.Values:d.widths.Values], rows[d.widths.Values:]
		d.Model.FillInputs(design, t.Inputs)
	}
	d.Model.Screen(len(tasks), func(i int) []float64 { return tasks[i].Inputs }, func(i int) []float64 { return tasks[i].Values }, missed)
	if d.Solver != nil {
		d.takeAsWritten(tasks, missed)
	}
	for i := range tasks {
		tasks[i].missed = missed[i]
		tasks[i].record.Key = d.key(&tasks[i])
	}
	return tasks
}

// takeAsWritten gives each design the values that the solver reads after formatting: these are recorded and judged.
func (d *Dispatcher) takeAsWritten(tasks []task, missed []bool) {
	varied := d.Model.Varied()
	for i := range tasks {
		t := &tasks[i]
		written := d.Solver.AsWritten(d.lookUp(t))
		design := slices.Clone(t.record.Design)
		for k, name := range varied {
			if value, isWritten := written[name]; isWritten {
				design[k] = value
			}
		}
		t.record.Design = design
		d.Model.FillInputs(design, t.Inputs)
	}
	clear(missed)
	d.Model.Screen(len(tasks), func(i int) []float64 { return tasks[i].Inputs }, func(i int) []float64 { return tasks[i].Values }, missed)
}

// key hashes what the evaluation depends on.
func (d *Dispatcher) key(t *task) Key {
	d.buffer = append(d.buffer[:0], d.SolverKey[:]...)
	if d.Solver != nil {
		for _, text := range d.Solver.Written(d.lookUp(t)) {
			d.buffer = append(append(d.buffer, text...), 0)
		}
	} else {
		for _, value := range t.Inputs {
			d.buffer = binary.LittleEndian.AppendUint64(d.buffer, math.Float64bits(value))
		}
	}
	key := shorten(d.buffer)
	if d.Noisy {
		d.repeats[key]++
		key = shorten(binary.LittleEndian.AppendUint64(d.buffer, uint64(d.repeats[key])))
	}
	return key
}

func shorten(text []byte) Key {
	sum := sha256.Sum256(text)
	return Key(sum[:len(Key{})])
}

func (d *Dispatcher) lookUp(t *task) func(name string) bench.Value {
	return func(name string) bench.Value { return d.Model.Value(name, t.Inputs, t.Values) }
}

// number gives a design its number: a new one, or that under which it was asked before.
func (d *Dispatcher) number(key Key) (number int, again bool) {
	if known, again := d.numbers[key]; again && !d.Repeat {
		return int(known), true
	}
	d.states = append(d.states, core.Cancelled)
	number = len(d.states)
	d.numbers[key] = int32(number)
	return number, false
}

// row is where the values of an evaluation are kept while the run lasts.
func (d *Dispatcher) row(number int) []float64 {
	width := d.widths.Values
	return d.values[(number-1)*width : number*width : number*width]
}

// answer finds an outcome for every task and commits it.
func (d *Dispatcher) answer(ctx context.Context, tasks []task) error {
	d.values = append(d.values, make([]float64, len(d.states)*d.widths.Values-len(d.values))...)
	var open, ready, kept []*task
	for i := range tasks {
		t := &tasks[i]
		switch found, err := d.lookBack(t); {
		case err != nil:
			return err
		case found == replayed:
			kept = append(kept, t)
		case found == recalled:
			ready = append(ready, t)
		default:
			open = append(open, t)
		}
	}
	d.keep(kept)
	if d.Batch != nil {
		d.solveBatch(open)
		return d.commit(append(ready, open...))
	}
	if err := d.commit(ready); err != nil {
		return err
	}
	return d.solveEach(ctx, open)
}

// source says from where the outcome of a task is known.
type source uint8

const (
	nowhere  source = iota
	replayed        // from the journal of this run
	recalled        // from another run, or from the inputs alone: new in this run
)

// errOtherRecords ends a resumed run whose method asks for other designs than it did before.
var errOtherRecords = errors.New("the records of this run do not fit what the method asks now; it was begun by another version of Rope Bench: start a new run")

// lookBack takes an outcome that is known without the solver.
func (d *Dispatcher) lookBack(t *task) (source, error) {
	if d.Replay != nil {
		if kept := d.Replay(t.record.Number); kept != nil {
			if kept.Key != t.record.Key || len(kept.Values) > len(t.Values) {
				return nowhere, errOtherRecords
			}
			copy(t.Values, kept.Values)
			t.record = *kept
			return replayed, nil
		}
	}
	if t.missed {
		t.record.State, t.record.Reason = core.NotTried, "a requirement on inputs alone is missed"
		return recalled, nil
	}
	if d.Known == nil {
		return nowhere, nil
	}
	known, found, err := d.Known.Find(t.record.Key)
	if err != nil || !found || len(known.Values) < d.widths.Outputs || len(known.Curves) < d.widths.Curves {
		return nowhere, err
	}
	copy(t.Values[:d.widths.Outputs], known.Values)
	t.Curves = known.Curves[:d.widths.Curves:d.widths.Curves]
	t.record.Reused, t.record.Seconds, t.record.Steps, t.record.Gradients = true, known.Seconds, known.Steps, known.Gradients
	d.finish([]*task{t})
	return recalled, nil
}

// finish computes what follows from the outputs of the solver; what cannot be computed or is not finite is a failure.
func (d *Dispatcher) finish(tasks []*task) {
	tasks = slices.DeleteFunc(slices.Clone(tasks), failedBefore)
	d.Model.Finish(len(tasks), func(i int) *solver.Row { return &tasks[i].Row })
	for _, t := range tasks {
		if t.Err != nil {
			t.record.State, t.record.Reason = core.Failed, t.Err.Error()
			continue
		}
		for column, value := range t.Values {
			if math.IsNaN(value) || math.IsInf(value, 0) {
				t.record.State = core.Failed
				t.record.Reason = fmt.Sprintf("%s is %g, not a finite number", d.Model.Name(column), value)
				break
			}
		}
		t.record.Curves = t.Curves
	}
}

// failedBefore notes a failure of the solver itself.
func failedBefore(t *task) bool {
	if t.Err != nil {
		t.record.State, t.record.Reason = core.Failed, t.Err.Error()
	}
	return t.Err != nil
}

func (d *Dispatcher) solveBatch(tasks []*task) {
	if len(tasks) == 0 {
		return
	}
	d.Batch.SolveAll(len(tasks), func(i int) *solver.Row { return &tasks[i].Row })
	d.finish(tasks)
}

// commit makes outcomes safe, and only then lets them be seen.
func (d *Dispatcher) commit(tasks []*task) error {
	if len(tasks) == 0 {
		return nil
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if d.Journal != nil {
		if err := d.Journal.Append(recordsOf(tasks, time.Now())); err != nil {
			return fmt.Errorf("the evaluations cannot be written down: %w", err)
		}
	}
	d.keepLocked(tasks)
	return nil
}

// recordsOf completes the records of tasks that ended just now.
func recordsOf(tasks []*task, now time.Time) []Record {
	records := make([]Record, len(tasks))
	for i, t := range tasks {
		t.record.At = now
		if t.record.State == core.OK || t.record.State == core.NotTried {
			t.record.Values = t.Values
		}
		records[i] = t.record
	}
	return records
}

func (d *Dispatcher) keep(tasks []*task) {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.keepLocked(tasks)
}

// keepLocked holds outcomes for the rest of the run and tells of them.
func (d *Dispatcher) keepLocked(tasks []*task) {
	for _, t := range tasks {
		d.states[t.record.Number-1] = t.record.State
		copy(d.row(t.record.Number), t.Values)
	}
	if d.Notice != nil && len(tasks) > 0 {
		records := make([]Record, len(tasks))
		for i, t := range tasks {
			records[i] = t.record
		}
		d.Notice(records)
	}
}
