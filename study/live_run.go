package study

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
	"ropebench/solver"
)

const (
	noticeEvery = 100 * time.Millisecond // how often those who watch a run hear of it
	saveEvery   = time.Second            // how often what is known of a run is written down
)

// A liveRun is a run that is queued or at work. One goroutine leads it.
type liveRun struct {
	ctx    context.Context
	cancel context.CancelCauseFunc
	done   chan struct{} // closed when it has left the state of being live

	mutex    sync.Mutex // guards what follows
	run      Run
	began    time.Time // of this session; zero while queued
	standing *standing
	entered  result.Parts // by the kind of study
	again    int          // the evaluation that Trying of the run is about
	changed  bool
	over     bool // its method has ended: what takes long is told now
}

// snapshot is the run as it is now, with what it has found.
func (l *liveRun) snapshot() (Run, result.Parts) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.snapshotLocked()
}

func (l *liveRun) snapshotLocked() (Run, result.Parts) {
	run, parts := l.run, l.entered
	if !l.began.IsZero() {
		run.Elapsed += time.Since(l.began)
	}
	if l.standing == nil {
		return run, parts
	}
	run.Counts, run.LastWhy = l.standing.counts, l.standing.lastWhy
	l.standing.front.growing = !l.over
	parts = l.standing.parts(parts)
	run.Headline = parts.InShort()
	return run, parts
}

// change alters the run, which is then another version of it.
func (l *liveRun) change(how func()) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	how()
	l.run.Version++
	l.changed = true
}

// see takes note of records as they are committed.
func (l *liveRun) see(records []dispatch.Record) {
	hopeless := false
	l.change(func() {
		hopeless = l.standing.seeHopeless(records) && !l.run.Hopeless
		l.run.Hopeless = l.run.Hopeless || hopeless
		l.run.Found++
		if slices.ContainsFunc(records, func(r dispatch.Record) bool { return r.Number == l.again }) {
			l.run.Trying = ""
		}
	})
	if hopeless {
		l.cancel(halted{Paused, fmt.Sprintf("since all of its first %d evaluations failed, the last one: %s; mend the model, or resume the run to go on all the same", firstFailures, l.standing.lastWhy)})
	}
}

// tryAgain notes that an evaluation is tried again.
func (l *liveRun) tryAgain(number, try, tries int) {
	l.change(func() {
		l.again = number
		l.run.Trying = fmt.Sprintf("evaluation %d: %s try of %d", number, plain.Ordinal(try), tries)
	})
}

// runToEnd leads a live run to its end, whatever that is, and returns it as it is written down. Until the run has left the
// state of being live it counts as running: who hears of its end finds it written down.
func (r *Runs) runToEnd(l *liveRun) Run {
	l.change(func() {
		l.run.State, l.began = Running, time.Now()
		if l.run.Began.IsZero() {
			l.run.Began = l.began
		}
		l.run.Counts = result.Counts{}
	})
	start, _ := l.snapshot()
	reason, err := "", r.records.SaveRun(start)
	r.notice(start)
	stopWatching := r.watch(l)
	if err == nil {
		reason, err = r.execute(l)
	}
	stopWatching()
	l.change(func() { l.over = true })
	run, parts := l.snapshot()
	run.Note, run.Trying, run.Ended, run.Version = "", "", time.Now(), run.Version+1
	run.State, run.Reason = conclude(l.ctx, reason, err)
	if err := errors.Join(r.records.SaveParts(run.ID, parts), r.records.SaveRun(run)); err != nil {
		run = r.keepUnsaved(run, parts, err)
	}
	return run
}

// keepUnsaved holds the end of a run that could not be written down, as it is known.
func (r *Runs) keepUnsaved(run Run, parts result.Parts, err error) Run {
	if run.State != Broken {
		run.State, run.Reason = Broken, fmt.Sprintf("its end could not be written down: %s", err)
	}
	r.mutex.Lock()
	defer r.mutex.Unlock()
	r.unsaved[run.ID] = ended{run, parts}
	return run
}

// conclude says in which state a run ends, and why.
func conclude(ctx context.Context, reason string, err error) (State, string) {
	var why halted
	switch {
	case err == nil:
		return Finished, reason
	case errors.As(context.Cause(ctx), &why):
		return why.state, why.reason
	case errors.Is(err, context.DeadlineExceeded):
		return Finished, "the time of its budget is used up"
	}
	return Broken, err.Error()
}

// watch tells of changes and writes what is known down, until the function that it returns is called.
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
					run, _ := l.snapshot()
					r.notice(run)
				}
			case <-save.C:
				run, parts := l.snapshot()
				if err := errors.Join(r.records.SaveParts(run.ID, parts), r.records.SaveRun(run)); err != nil {
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
	run, _ := l.snapshot()
	content, err := r.records.Content(run.Bench, run.Revision)
	if err != nil {
		return "", err
	}
	b, err := read.Parse(content)
	if err != nil {
		return "", err
	}
	a, err := Ask(b, run.Question)
	if err != nil {
		return "", err
	}
	blackBox, err := solverOf(a, b, content, r.engine.Path)
	if err != nil {
		return "", err
	}
	l.change(func() { l.standing = newStanding(a) })
	d, err := r.dispatcher(l, b, a, blackBox)
	if err != nil {
		return "", err
	}
	coarse, err := r.coarseOf(l, b, a, content)
	if err != nil {
		return "", errors.Join(err, d.Close())
	}
	aside, err := r.aside(run, b, a, blackBox)
	if err != nil {
		return "", errors.Join(err, d.Close(), coarse.close())
	}
	ctx, cancel := deadline(l.ctx, a.Study.Budget, run.Elapsed)
	defer cancel()
	reason, err = safely(func() (string, error) {
		s := &session{
			Asked:     a,
			evaluator: d.Evaluator(),
			coarse:    coarse.evaluator(),
			note:      func(text string) { l.change(func() { l.run.Note = text }) },
			earlier:   func() ([]optimize.Evaluated, error) { return r.recallEarlier(a, d) },
			record:    d.Journal.Read,
			provenance: func(ctx context.Context) (*result.Provenance, error) {
				return r.provenance(ctx, run, content, blackBox)
			},
			recorded: func() (map[string]float64, bool, error) {
				values, revision, err := r.recordedOf(*run.Question.Of)
				return values, revision == run.Revision, err
			},
			choose: func(number int, design core.Design, values []float64, objective *float64) {
				l.change(func() {
					l.standing.choose(number, design, values, objective)
					l.run.Found++
				})
			},
			enter: func(change func(*result.Parts)) {
				l.change(func() {
					change(&l.entered)
					l.run.Found++
				})
			},
		}
		if aside != nil {
			s.aside = aside.Evaluator()
		}
		return a.kind.run(ctx, s)
	})
	if aside != nil {
		err = errors.Join(err, aside.Close())
	}
	err = errors.Join(err, d.Close(), coarse.close())
	l.change(func() { l.standing.failed.locate(a) })
	return reason, err
}

// safely lets a mistake of this program end the run that meets it, and no other.
func safely(run func() (string, error)) (reason string, err error) {
	defer func() {
		if mistake := recover(); mistake != nil {
			slog.Error("a run panicked", "error", mistake, "stack", string(debug.Stack()))
			err = fmt.Errorf("a mistake in Rope Bench ended the run, please report it with the log of the service: %v", mistake)
		}
	}()
	return run()
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
func (r *Runs) dispatcher(l *liveRun, b *bench.Bench, a *Asked, blackBox solver.Solver) (*dispatch.Dispatcher, error) {
	key, err := blackBox.Key()
	if err != nil {
		return nil, err
	}
	if err := l.pin(key, func(run *Run) *string { return &run.SolverKey }); err != nil {
		return nil, err
	}
	run, _ := l.snapshot()
	config := r.config(run, b, a, blackBox, key, run.ID)
	config.Notice, config.Again, config.Repeat, config.Concurrent = l.see, l.tryAgain, a.kind.repeats, a.kind.concurrent
	if config.Keeper, config.KeepGood, err = r.keeperOf(l, b.Solver.Keep); err != nil {
		return nil, err
	}
	if derivation, err := a.Model.Derivation(blackBox); err == nil {
		config.Derivation = derivation
		config.Differentiated = func(n int) { l.change(func() { l.standing.counts.Derivatives += n }) }
	}
	if config.Known, err = r.known(run, b, key); err != nil {
		return nil, err
	}
	d, err := dispatch.New(config)
	if err == nil && a.kind.repeats {
		d.Known = onlyNominal(config.Known, d.KeyOf(a.Model.Design(nil)), d.KeyOf(a.Model.Design(run.Question.Design)))
	}
	return d, err
}

// unscreened is a model whose requirements on inputs alone keep no design from being evaluated: their limits are moved, too.
type unscreened struct{ *model.Model }

// Screen implements dispatch.Model.
func (u unscreened) Screen(inputs, values core.Matrix, missed []bool) {
	u.Model.Screen(inputs, values, missed)
	clear(missed)
}

// aside answers designs beside a run, of formulas that are calculated at once; nil of other solvers.
func (r *Runs) aside(run Run, b *bench.Bench, a *Asked, blackBox solver.Solver) (*dispatch.Dispatcher, error) {
	if len(b.Solver.Formulas) == 0 || a.overScatter || a.Study.Search() == nil || imported(a) != nil {
		return nil, nil
	}
	key, err := blackBox.Key()
	if err != nil {
		return nil, err
	}
	config := dispatch.Config{Model: unscreened{a.Model}, Solver: blackBox, SolverKey: key, Slots: r.engine.Slots, Folders: r.engine.Folder, IDPrefix: fmt.Sprintf("%srun%d-aside-", r.engine.IDPrefix, run.ID), Journal: &memory{records: map[int]dispatch.Record{}}}
	if derivation, err := a.Model.Derivation(blackBox); err == nil {
		config.Derivation = derivation
	}
	return dispatch.New(config)
}

// config is what every dispatcher of a run has; what it finds is kept under a number.
func (r *Runs) config(run Run, b *bench.Bench, a *Asked, blackBox solver.Solver, key solver.Key, number int) dispatch.Config {
	_, external := blackBox.(solver.Opener)
	config := dispatch.Config{Model: a.Model, Solver: blackBox, SolverKey: key, Slots: r.engine.Slots, Folders: r.engine.Folder, IDPrefix: fmt.Sprintf("%srun%d-", r.engine.IDPrefix, number),
		Retry: retries(a, b), Licences: r.licencesFor(run.Bench, b.Solver.AtOnce), Journal: r.records.Journal(number, key, external), Replay: r.records.Replay(number)}
	if run.Question.Slots > 0 {
		config.Own = dispatch.NewSlots(run.Question.Slots)
	}
	return config
}

// known is what other runs know of a solver; nil where a run is not to use it.
func (r *Runs) known(run Run, b *bench.Bench, key solver.Key) (dispatch.Known, error) {
	if run.Question.Fresh || b.Volatile() {
		return nil, nil
	}
	return r.records.Known(key)
}

// errOtherSolver ends a resumed run whose programs were changed meanwhile: its evaluations cannot be mixed with new ones.
var errOtherSolver = errors.New("a program that its steps start has changed since the run was begun, and its evaluations cannot be mixed with those of another solver: start a new run")

// pin notes a solver with which a run is begun, and holds it to that.
func (l *liveRun) pin(key solver.Key, of func(run *Run) *string) error {
	now, pinned := hex.EncodeToString(key[:]), ""
	l.change(func() {
		noted := of(&l.run)
		if *noted == "" {
			*noted = now
		}
		pinned = *noted
	})
	if pinned != now {
		return errOtherSolver
	}
	return nil
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
