package dispatch

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/solver"
)

// Config is what a dispatcher works with.
type Config struct {
	Model      Model
	Solver     solver.Solver // a solver.Batch or a solver.Opener
	SolverKey  solver.Key    // as it was when the run was begun
	Derivation Derivation    // nil: no derivatives are known
	Slots      *Slots        // shared by all runs
	Licences   *Slots        // of this solver, shared by all runs that need it; nil: no bound but the slots
	Own        *Slots        // of this run alone; nil: no bound but the slots
	Retry      int           // further tries of an evaluation that failed
	Repeat     bool          // a design that is asked again is evaluated again
	Folders    string        // below it every evaluation gets a working folder of its own
	IDPrefix   string        // begins the ids of this run's evaluations
	Keeper     Keeper        // of the files of working folders; nil: none are kept
	KeepGood   bool          // it is shown those of evaluations that are OK, too
	Concurrent bool          // several callers ask at once, so that the order of their questions is not that of the numbers

	Journal Journal                // nil: nothing is kept
	Known   Known                  // nil: nothing is known from other runs
	Replay  Replay                 // what this run has already; nil: nothing
	Notice  func(records []Record) // told of what is committed or replayed, one call at a time; nil: nobody

	// Again is told that an evaluation is tried again: try of tries; nil: nobody.
	Again func(number, try, tries int)
	// Differentiated is told how many derivatives were given, which are no evaluations of the solver; nil: nobody.
	Differentiated func(n int)
}

// A Dispatcher is the evaluator of one run on its real solver. It answers several callers at once.
type Dispatcher struct {
	Config
	batch  solver.Batch
	opener solver.Opener
	writer solver.Writer // nil: inputs reach the solver to the last bit
	noisy  bool

	outputs, curves int // that come from the solver

	mutex      sync.Mutex                            // guards what follows
	pending    []pending                             // outcomes that wait to be written down
	committing bool                                  // a goroutine writes them down
	numbers    map[identity]int                      // of the designs asked in this run
	repeats    map[identity]int                      // how often a design was asked, where each time is another evaluation
	listeners  map[int][]*stream                     // who hear of an evaluation when it is committed
	answers    map[Key]int                           // the evaluation that has the answer of a solver that is asked one by one
	waiting    map[int]chan struct{}                 // closed when an evaluation that is at work has ended, one way or the other
	rows       pages                                 // values by number
	states     []core.State                          // by number - 1
	seconds    []float64                             // that the solver took, by number - 1
	journaled  map[int]Record                        // of earlier sessions, that were not asked again yet; without values and curves
	reserved   map[int]bool                          // their numbers, and those given
	last       int                                   // the numbers up to here are all given
	sessions   map[int]solver.Session                // by slot
	given      map[int]map[string]map[string]float64 // derivatives that the solver said, by number
}

// New returns a dispatcher; it takes in what the run has already.
func New(c Config) (*Dispatcher, error) {
	d := &Dispatcher{Config: c, numbers: map[identity]int{}, repeats: map[identity]int{}, listeners: map[int][]*stream{}, answers: map[Key]int{}, waiting: map[int]chan struct{}{},
		journaled: map[int]Record{}, reserved: map[int]bool{}, sessions: map[int]solver.Session{}, given: map[int]map[string]map[string]float64{},
		rows: pages{width: len(c.Model.Names())}}
	d.batch, _ = c.Solver.(solver.Batch)
	d.opener, _ = c.Solver.(solver.Opener)
	d.writer, _ = c.Solver.(solver.Writer)
	d.noisy = solver.IsNoisy(c.Solver)
	if (d.batch == nil) == (d.opener == nil) {
		return nil, errors.New("a solver is asked in batches or one by one")
	}
	d.outputs, d.curves = c.Model.Outputs()
	if d.opener != nil && d.opener.NeedsFolder() {
		if err := os.MkdirAll(d.Folders, 0o755); err != nil {
			return nil, fmt.Errorf("make the folder of working folders: %w", err)
		}
	}
	return d, d.takeIn()
}

// Close ends the sessions of the workers. Nobody may ask any more.
func (d *Dispatcher) Close() error {
	d.mutex.Lock()
	defer d.mutex.Unlock()
	var group errgroup.Group
	for slot, session := range d.sessions {
		group.Go(func() error {
			err := session.Close()
			if d.opener.NeedsFolder() {
				err = errors.Join(err, RemoveFolder(d.sessionFolder(slot)))
			}
			return err
		})
	}
	clear(d.sessions)
	return group.Wait()
}

// Evaluator is the dispatcher as methods see it: it is a core.Differentiator where derivatives are known.
func (d *Dispatcher) Evaluator() core.Evaluator {
	if d.Derivation == nil {
		return d
	}
	return differentiating{d}
}

// pieceSize is how many designs are answered together: between two pieces a stop is heard.
const pieceSize = 1 << 13

// Evaluate answers the designs. Each new one gets the next number; what the journal of this run has already is taken
// from it, what earlier runs know from them, and the rest is asked of the solver.
func (d *Dispatcher) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, 0, len(designs))
	for piece := range slices.Chunk(designs, pieceSize) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		answered, err := d.evaluate(ctx, piece)
		if err != nil {
			return nil, err
		}
		outcomes = append(outcomes, answered...)
	}
	return outcomes, nil
}

func (d *Dispatcher) evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	q := d.prepare(designs)
	d.mutex.Lock()
	err := d.admit(q)
	d.mutex.Unlock()
	if err != nil {
		return nil, err
	}
	err = d.answer(ctx, q)
	d.mutex.Lock()
	d.leave(q)
	d.mutex.Unlock()
	if err != nil {
		return nil, err
	}
	if err := d.waitForOthers(ctx, q); err != nil {
		return nil, err
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	outcomes := make([]core.Outcome, len(designs))
	for i, number := range q.numbers {
		outcomes[i] = d.outcome(number)
		outcomes[i].Repeated = q.again[i]
	}
	return outcomes, nil
}

// outcome is what is known of a number.
func (d *Dispatcher) outcome(number int) core.Outcome {
	o := core.Outcome{State: d.states[number-1], Number: number, Seconds: d.seconds[number-1]}
	if o.State == core.OK || o.State == core.NotTried {
		o.Values = d.rows.row(number)
	}
	return o
}

// errElsewhere ends a caller that waits for an evaluation which another caller gave up.
var errElsewhere = errors.New("an evaluation that another part of the run had asked for was given up")

// waitForOthers waits for evaluations of this question that other callers have at work.
func (d *Dispatcher) waitForOthers(ctx context.Context, q *question) error {
	for i, number := range q.numbers {
		if !q.again[i] {
			continue
		}
		d.mutex.Lock()
		ended := d.waiting[number]
		d.mutex.Unlock()
		if ended != nil {
			select {
			case <-ended:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		d.mutex.Lock()
		state := d.states[number-1]
		d.mutex.Unlock()
		if state == core.Cancelled {
			return errors.Join(ctx.Err(), errElsewhere)
		}
	}
	return nil
}

// differentiating is a dispatcher whose model knows its derivatives.
type differentiating struct{ *Dispatcher }

// Differentiate implements core.Differentiator.
func (d differentiating) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, err := d.Evaluate(ctx, designs)
	if err != nil {
		return nil, nil, err
	}
	derivatives, _, err := d.DerivativesOf(ctx, designs, outcomes)
	if err == nil && d.Differentiated != nil {
		known := slices.DeleteFunc(slices.Clone(derivatives), func(of core.Derivatives) bool { return of == nil })
		d.Differentiated(len(known))
	}
	return outcomes, derivatives, err
}

// DerivativesOf gives the derivatives of outcomes, or says of each why it has none.
func (d *Dispatcher) DerivativesOf(ctx context.Context, designs []core.Design, outcomes []core.Outcome) ([]core.Derivatives, []error, error) {
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	q := d.prepare(designs)
	var usable []int
	for i, outcome := range outcomes {
		if outcome.State == core.OK {
			usable = append(usable, i)
		}
	}
	inputs, values := core.NewMatrix(len(usable), q.inputs.Columns), core.NewMatrix(len(usable), q.values.Columns)
	given := make([]map[string]map[string]float64, len(usable))
	d.mutex.Lock()
	for k, i := range usable {
		copy(inputs.Row(k), q.inputs.Row(i))
		copy(values.Row(k), outcomes[i].Values)
		given[k] = d.given[outcomes[i].Number]
	}
	d.mutex.Unlock()
	found, why := d.Derivation.Of(ctx, inputs, values, given)
	derivatives, errs := make([]core.Derivatives, len(designs)), make([]error, len(designs))
	for i := range designs {
		errs[i] = fmt.Errorf("the evaluation is %s", outcomes[i].State)
	}
	for k, i := range usable {
		derivatives[i], errs[i] = found[k], why[k]
	}
	return derivatives, errs, nil
}
