package study

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"sync"
	"time"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/dispatch"
)

const (
	noticeEvery = 100 * time.Millisecond // how often those who watch a run hear of it
	saveEvery   = time.Second            // how often the counts of a run are written down
)

// A liveRun is a run that is queued or at work.
type liveRun struct {
	ctx    context.Context
	cancel context.CancelCauseFunc
	done   chan struct{} // closed when it has left the state of being live

	mutex   sync.Mutex
	run     Run
	began   time.Time // of this session; zero while queued
	model   *Model
	tracker *tracker
	note    string
	changed bool
}

// snapshot is the run as it is now.
func (l *liveRun) snapshot() Run {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.snapshotLocked()
}

func (l *liveRun) snapshotLocked() Run {
	run := l.run
	run.Note = l.note
	if !l.began.IsZero() {
		run.Elapsed += time.Since(l.began)
	}
	if l.tracker == nil {
		return run
	}
	run.Usable, run.Feasible, run.LastWhy = l.tracker.usable, l.tracker.feasible, l.tracker.lastWhy
	run.Nominal = l.model.describe(l.tracker.nominal)
	if run.Question.Kind != "sample" {
		run.Best = l.model.describe(l.tracker.record)
	}
	if run.Best != nil {
		run.AtEnds = l.model.AtEnds(l.tracker.record.Design)
	}
	return run
}

// see takes note of records as they are committed.
func (l *liveRun) see(records []dispatch.Record) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.tracker.see(records)
	for _, record := range records {
		l.run.Counts.Add(record)
	}
	l.changed = true
}

// lead runs a live run to its end, whatever that is.
func (r *Runs) lead(l *liveRun) {
	l.mutex.Lock()
	l.run.State, l.began = Running, time.Now()
	if l.run.Began.IsZero() {
		l.run.Began = l.began
	}
	l.run.Counts = dispatch.Counts{}
	start := l.run
	l.mutex.Unlock()
	saveErr := r.records.SaveRun(start)
	r.notice(start)
	stopWatching := r.watch(l)
	reason, err := "", saveErr
	if err == nil {
		reason, err = r.execute(l)
	}
	stopWatching()
	l.mutex.Lock()
	l.note = ""
	run := l.snapshotLocked()
	l.mutex.Unlock()
	run.State, run.Reason = conclude(l.ctx, reason, err)
	run.Ended = time.Now()
	if err := r.records.SaveRun(run); err != nil {
		if run.State != Broken {
			run.State, run.Reason = Broken, fmt.Sprintf("its end could not be written down: %s", err)
		}
		r.mutex.Lock()
		r.unsaved[run.ID] = run
		r.mutex.Unlock()
	}
	l.mutex.Lock()
	l.run, l.tracker, l.began = run, nil, time.Time{}
	l.mutex.Unlock()
	r.notice(run)
}

// conclude says in which state a run ends, and why.
func conclude(ctx context.Context, reason string, err error) (State, string) {
	var hand errHand
	switch {
	case err == nil:
		return Finished, reason
	case errors.As(context.Cause(ctx), &hand):
		return hand.state, hand.reason
	case errors.Is(err, context.DeadlineExceeded):
		return Finished, "the time of its budget is used up"
	}
	return Broken, err.Error()
}

// watch tells of changes and writes the counts down, until the function that it returns is called.
func (r *Runs) watch(l *liveRun) (stop func()) {
	quit, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		notice, save := time.NewTicker(noticeEvery), time.NewTicker(saveEvery)
		defer notice.Stop()
		defer save.Stop()
		for {
			select {
			case <-quit:
				return
			case <-notice.C:
				l.mutex.Lock()
				changed := l.changed
				l.changed = false
				l.mutex.Unlock()
				if changed {
					r.notice(l.snapshot())
				}
			case <-save.C:
				if err := r.records.SaveRun(l.snapshot()); err != nil {
					l.cancel(fmt.Errorf("the run cannot be written down: %w", err))
					return
				}
			}
		}
	}()
	return func() { close(quit); <-done }
}

// execute compiles the run's question and asks it of the real solver.
func (r *Runs) execute(l *liveRun) (reason string, err error) {
	run := l.run
	content, err := r.records.Content(run.Bench, run.Revision)
	if err != nil {
		return "", err
	}
	b, err := bench.Parse(content)
	if err != nil {
		return "", err
	}
	s, m, err := Ask(b, run.Question)
	if err != nil {
		return "", err
	}
	d, err := r.dispatcher(l, b, content, m)
	if err != nil {
		return "", err
	}
	ctx, cancel := deadline(l.ctx, s.Budget, run.Elapsed)
	defer cancel()
	return execute(ctx, s, run.Question, m, d, func(note string) {
		l.mutex.Lock()
		defer l.mutex.Unlock()
		l.note, l.changed = note, true
	})
}

// deadline bounds a run by the clock: elapsed is what it has used of its time before.
func deadline(ctx context.Context, budget bench.Budget, elapsed time.Duration) (context.Context, context.CancelFunc) {
	switch end := budget.Until; {
	case budget.Time > 0:
		byTime := time.Now().Add(budget.Time - elapsed)
		if !end.IsZero() && end.Before(byTime) {
			byTime = end
		}
		return context.WithDeadline(ctx, byTime)
	case !end.IsZero():
		return context.WithDeadline(ctx, end)
	}
	return context.WithCancel(ctx)
}

// dispatcher makes the evaluator of a run on its real solver.
func (r *Runs) dispatcher(l *liveRun, b *bench.Bench, content bench.Content, m *Model) (*dispatch.Dispatcher, error) {
	config := dispatch.Config{Model: m, Slots: r.engine.Slots, Folders: r.engine.Folder, Mark: fmt.Sprintf("%srun%d-", r.engine.Mark, l.run.ID),
		Retry: b.Solver.Retry, Noisy: b.Solver.Noisy, Licences: r.licencesFor(l.run.Bench, b.Solver.AtOnce), Notice: l.see, Keep: l.run.Question.Keep}
	if err := r.engine.attach(&config, b, content); err != nil {
		return nil, err
	}
	if err := l.pinSolver(config.SolverKey); err != nil {
		return nil, err
	}
	verify := l.run.Question.Kind == KindVerify
	config.Repeat = verify
	config.Journal = r.records.Journal(l.run.ID, config.SolverKey, config.Solver != nil)
	replay, err := r.replay(l.run.ID)
	if err != nil {
		return nil, err
	}
	config.Replay = replay
	if !l.run.Question.Fresh {
		if config.Known, err = r.records.Known(config.SolverKey); err != nil {
			return nil, err
		}
	}
	d := dispatch.New(config)
	if verify {
		d.Known = onlyNominal(config.Known, d.KeyOf(m.Design(nil)), d.KeyOf(m.Design(l.run.Question.Design)))
	}
	l.mutex.Lock()
	l.model, l.tracker = m, newTracker(m, verify)
	l.mutex.Unlock()
	return d, nil
}

// errOtherSolver ends a resumed run whose programs were changed meanwhile: its evaluations cannot be mixed with new ones.
var errOtherSolver = errors.New("a program that its steps start has changed since the run was begun, and its evaluations cannot be mixed with those of another solver: start a new run")

// pinSolver notes the solver with which a run is begun, and holds it to that.
func (l *liveRun) pinSolver(key [32]byte) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	now := hex.EncodeToString(key[:])
	if l.run.SolverKey != "" && l.run.SolverKey != now {
		return errOtherSolver
	}
	l.run.SolverKey = now
	return nil
}

// replay gives the records that the run has already, or nil where it has none.
func (r *Runs) replay(id int) (func(number int) *dispatch.Record, error) {
	records := map[int]*dispatch.Record{}
	err := r.records.Evaluations(id, 1, func(record dispatch.Record) bool {
		records[record.Number] = &record
		return true
	})
	if err != nil || len(records) == 0 {
		return nil, err
	}
	return func(number int) *dispatch.Record {
		record := records[number]
		delete(records, number) // it is asked for once
		return record
	}, nil
}

// nominalKnown answers for the nominal design only: a verification evaluates its candidate afresh.
type nominalKnown struct {
	dispatch.Known
	key dispatch.Key
}

func onlyNominal(known dispatch.Known, nominal, candidate dispatch.Key) dispatch.Known {
	if known == nil || nominal == candidate {
		return nil
	}
	return nominalKnown{known, nominal}
}

// Find implements dispatch.Known.
func (n nominalKnown) Find(key dispatch.Key) (dispatch.Record, bool, error) {
	if key != n.key {
		return dispatch.Record{}, false, nil
	}
	return n.Known.Find(key)
}

var _ core.Evaluator = (*dispatch.Dispatcher)(nil)
