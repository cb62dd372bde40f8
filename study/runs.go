package study

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver"
)

// Records is where runs and their evaluations are kept.
type Records interface {
	// CreateRun gives the run its ID.
	CreateRun(run *Run) error
	SaveRun(run Run) error
	Run(id int) (Run, error)
	// Runs lists the runs of a bench, or all if bench is "", newest first.
	Runs(bench string) ([]Run, error)
	// SaveParts keeps what a run has found; Parts gives it back.
	SaveParts(run int, parts result.Parts) error
	Parts(run int) (result.Parts, error)
	// CountEvaluations is how many evaluations of a run are written down.
	CountEvaluations(run int) (int, error)
	// Replay gives the evaluations of a run that are written down, by number, without their curves.
	Replay(run int) dispatch.Replay
	// Journal keeps evaluations of a run. durable is safe against a power cut, otherwise against a killed service.
	Journal(run int, key solver.Key, durable bool) dispatch.Journal
	// Known finds evaluations of the same solver in all runs.
	Known(key solver.Key) (dispatch.Known, error)
	// KeepFiles keeps the files of the working folder of an evaluation, and says how many bytes they have; DropFiles removes
	// them; Kept lists what is kept of a run, in the order in which it was.
	KeepFiles(run, evaluation int, folder string) (int64, error)
	DropFiles(run, evaluation int) error
	Kept(run int) ([]Kept, error)
	// Content is that of a revision of a bench.
	Content(bench string, revision int) (bench.Content, error)
}

// A WrongState says why a run cannot be stopped or resumed in its state.
type WrongState string

func (w WrongState) Error() string { return string(w) }

// maxActive is how many runs are led at a time; they share the slots.
const maxActive = 4

// Runs leads the runs of a service: it queues, starts, stops and resumes them.
type Runs struct {
	records Records
	engine  Engine
	notice  func(Run) // told whenever a run changes, not more often than every noticeEvery

	mutex    sync.Mutex // guards what follows
	live     map[int]*liveRun
	unsaved  map[int]ended // runs whose end could not be written down, as it is known
	queue    []int
	licences map[string]*dispatch.Slots
	closed   bool
	leaders  sync.WaitGroup
}

// An ended run, with what it has found.
type ended struct {
	run   Run
	parts result.Parts
}

// NewRuns returns the runs over records; what an earlier service left unfinished is paused.
func NewRuns(records Records, engine Engine, notice func(Run)) (*Runs, error) {
	r := &Runs{records: records, engine: engine, notice: notice, live: map[int]*liveRun{}, unsaved: map[int]ended{}, licences: map[string]*dispatch.Slots{}}
	all, err := records.Runs("")
	if err != nil {
		return nil, err
	}
	for _, run := range all {
		if run.State.Ended() {
			continue
		}
		run.Version++
		run.State, run.Reason = Paused, "the service ended while the run was at work; resume it to go on"
		if run.Evaluations, err = records.CountEvaluations(run.ID); err != nil {
			return nil, err
		}
		if err := records.SaveRun(run); err != nil {
			return nil, err
		}
	}
	return r, nil
}

// Start queues a run of a question on a revision.
func (r *Runs) Start(benchName string, revision int, q Question) (Run, error) {
	content, err := r.records.Content(benchName, revision)
	if err != nil {
		return Run{}, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return Run{}, err
	}
	if err := r.resolve(benchName, b, &q); err != nil {
		return Run{}, err
	}
	a, err := Ask(b, q)
	if err != nil {
		return Run{}, err
	}
	run := Run{Bench: benchName, Revision: revision, Question: a.Question, State: Queued, Created: time.Now(), Layout: a.Model.Layout, Budget: a.Budget(), ValuesForm: valuesForm, Version: 1}
	if err := r.records.CreateRun(&run); err != nil {
		return Run{}, err
	}
	return run, r.enqueue(run, func() error { return nil })
}

// resolve replaces what a question refers to by what it is now, so that the run does not depend on later runs.
func (r *Runs) resolve(benchName string, b *bench.Bench, q *Question) error {
	s, found := b.Study(q.Study)
	if !found {
		return nil // Ask says what is wrong
	}
	q.Kind, q.Besides = s.Kind, besides(b, *q)
	if until := s.Budget.Until; !until.IsZero() && bench.IsClock(until) {
		next := bench.Next(until, time.Now())
		q.Until = &next
	}
	if err := r.lookBack(benchName, b, s, q); err != nil {
		return err
	}
	if err := r.recall(q); err != nil {
		return err
	}
	start, _ := s.StartsFrom()
	if start.BestOf == "" && q.Start == nil {
		q.About = beginning(s, atItsOwn(s, start))
		return nil
	}
	all, err := r.All(benchName)
	if err != nil {
		return err
	}
	if q.Start != nil {
		if q.Of != nil {
			q.About = beginning(s, evaluationOf(b, *q.Of, all))
		}
		return nil
	}
	for _, run := range all {
		if run.Question.Study != start.BestOf || run.State != Finished || run.Headline == nil {
			continue
		}
		_, parts, err := r.Result(run.ID)
		if err == nil && parts.Best != nil {
			q.Start, q.Learned = parts.Best.Inputs, parts.Learned
			of, _ := b.Study(start.BestOf)
			q.About = beginning(s, bestOfStudy(b, of, run, all))
		}
		return err
	}
	return fmt.Errorf("study %s starts from the best design of %s, and there is no finished run of it: run %s first", s.Name, start.BestOf, start.BestOf)
}

// recall takes what was learned in the run at whose best design a search is to start.
func (r *Runs) recall(q *Question) error {
	if q.Of == nil || q.Start == nil {
		return nil
	}
	_, parts, err := r.Result(q.Of.Run)
	if err == nil && parts.Best != nil && parts.Best.Evaluation == q.Of.Evaluation {
		q.Learned = parts.Learned
	}
	return err
}

// enqueue starts the run, or lets it wait until another ends. Before that, and once it is sure that nobody else leads it,
// prepare is called.
func (r *Runs) enqueue(run Run, prepare func() error) error {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if r.closed {
		return errors.New("the service is ending: start the run again in a moment")
	}
	if r.live[run.ID] != nil {
		return WrongState(fmt.Sprintf("run %d is at work already", run.ID))
	}
	if err := prepare(); err != nil {
		return err
	}
	ctx, cancel := context.WithCancelCause(context.Background())
	l := &liveRun{run: run, cancel: cancel, ctx: ctx, done: make(chan struct{})}
	delete(r.unsaved, run.ID)
	r.live[run.ID] = l
	r.queue = append(r.queue, run.ID)
	r.startNextLocked()
	return nil
}

// startNextLocked gives free places to the runs that wait.
func (r *Runs) startNextLocked() {
	active := len(r.live) - len(r.queue)
	for len(r.queue) > 0 && active < maxActive {
		l := r.live[r.queue[0]]
		r.queue = r.queue[1:]
		active++
		r.leaders.Add(1)
		go func() {
			defer r.leaders.Done()
			run := r.runToEnd(l)
			r.mutex.Lock()
			delete(r.live, run.ID)
			r.startNextLocked()
			r.mutex.Unlock()
			r.notice(run)
			close(l.done)
		}()
	}
}

// Run returns a run as it is now.
func (r *Runs) Run(id int) (Run, error) {
	if run, _, known := r.inMemory(id); known {
		return run, nil
	}
	return r.records.Run(id)
}

// Result is a run as it is now, with what it has found until now.
func (r *Runs) Result(id int) (Run, result.Parts, error) {
	if run, parts, known := r.inMemory(id); known {
		return run, parts, nil
	}
	run, err := r.records.Run(id)
	if err != nil {
		return run, result.Parts{}, err
	}
	parts, err := r.records.Parts(id)
	return run, parts, err
}

// inMemory is a run that is live, or whose end could not be written down.
func (r *Runs) inMemory(id int) (run Run, parts result.Parts, known bool) {
	r.mutex.Lock()
	l := r.live[id]
	unsaved, isUnsaved := r.unsaved[id]
	r.mutex.Unlock()
	if l != nil {
		run, parts = l.snapshot()
		return run, parts, true
	}
	return unsaved.run, unsaved.parts, isUnsaved
}

// All lists the runs of a bench, or all if bench is "", newest first, as they are now.
func (r *Runs) All(bench string) ([]Run, error) {
	runs, err := r.records.Runs(bench)
	if err != nil {
		return nil, err
	}
	for i := range runs {
		if run, _, known := r.inMemory(runs[i].ID); known {
			runs[i] = run
		}
	}
	return runs, nil
}

// halted is why a run was ended before its time: it carries the state that the run is to take.
type halted struct {
	state  State
	reason string
}

func (e halted) Error() string { return e.reason }

// Stop ends a run with the best found so far.
func (r *Runs) Stop(id int) (Run, error) {
	return r.halt(id, halted{Stopped, "by hand, with the best found so far"})
}

// Pause ends a run for now.
func (r *Runs) Pause(id int) (Run, error) {
	return r.halt(id, halted{Paused, "by hand; resume it to go on"})
}

// halt ends a run and waits until it has.
func (r *Runs) halt(id int, why halted) (Run, error) {
	r.mutex.Lock()
	l := r.live[id]
	if l == nil {
		r.mutex.Unlock()
		run, err := r.records.Run(id)
		if err == nil {
			err = WrongState(fmt.Sprintf("run %d is %s: only a run that is at work can be paused or stopped", id, run.State))
		}
		return run, err
	}
	l.cancel(why)
	if at := slices.Index(r.queue, id); at >= 0 { // it waits: nobody leads it yet
		l.change(func() { l.run.State, l.run.Reason = why.state, why.reason })
		run, _ := l.snapshot()
		err := r.records.SaveRun(run)
		r.queue = slices.Delete(r.queue, at, at+1)
		delete(r.live, id)
		close(l.done)
		r.mutex.Unlock()
		r.notice(run)
		return run, err
	}
	r.mutex.Unlock()
	<-l.done
	return r.Run(id)
}

// Unfinished lists the runs that are queued or at work.
func (r *Runs) Unfinished() []int {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	return slices.Sorted(maps.Keys(r.live))
}

// Resting refuses to go on where a run of a bench is queued or at work.
func (r *Runs) Resting(bench string) error {
	for _, id := range r.Unfinished() {
		if run, err := r.Run(id); err == nil && run.Bench == bench {
			return WrongState(fmt.Sprintf("run %d of %s is %s: stop or pause it first", id, bench, run.State))
		}
	}
	return nil
}

// Close pauses every run that is not finished and waits for its solvers to end.
func (r *Runs) Close() error {
	r.mutex.Lock()
	r.closed = true
	r.mutex.Unlock()
	var failed error
	for _, id := range r.Unfinished() {
		var ended WrongState
		if _, err := r.halt(id, halted{Paused, "because the service ended; resume it to go on"}); err != nil && !errors.As(err, &ended) {
			failed = errors.Join(failed, err)
		}
	}
	r.leaders.Wait()
	return failed
}

// licencesFor gives the slots that all runs of a bench share, if its solver has a bound of its own.
func (r *Runs) licencesFor(benchName string, atOnce int) *dispatch.Slots {
	if atOnce == 0 {
		return nil
	}
	r.mutex.Lock()
	defer r.mutex.Unlock()
	name := fmt.Sprintf("%s %d", benchName, atOnce)
	if r.licences[name] == nil {
		r.licences[name] = dispatch.NewSlots(atOnce)
	}
	return r.licences[name]
}
