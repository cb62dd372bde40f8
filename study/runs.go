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
	"ropebench/dispatch"
)

// Records is where runs and their evaluations are kept.
type Records interface {
	// CreateRun gives the run its ID.
	CreateRun(run *Run) error
	SaveRun(run Run) error
	Run(id int) (Run, error)
	// Runs lists the runs of a bench, or all if bench is "", newest first.
	Runs(bench string) ([]Run, error)
	// CountEvaluations is how many evaluations of a run are written down.
	CountEvaluations(run int) (int, error)
	// Evaluations calls see for each evaluation of a run in the order of their numbers, from one on.
	Evaluations(run, from int, see func(dispatch.Record) (more bool)) error
	// Journal keeps evaluations of a run. durable is safe against a power cut, otherwise against a killed service.
	Journal(run int, solverKey [32]byte, durable bool) dispatch.Journal
	// Known finds evaluations of the same solver in all runs.
	Known(solverKey [32]byte) (dispatch.Known, error)
	// Content is that of a revision of a bench.
	Content(bench string, revision int) (bench.Content, error)
}

// ErrWrongState is wrapped by errors that say why a run cannot be stopped or resumed in its state.
var ErrWrongState = errors.New("the run is in another state")

// maxActive is how many runs are led at a time; they share the slots.
const maxActive = 4

// Runs leads the runs of a service: it queues, starts, stops and resumes them.
type Runs struct {
	records Records
	engine  Engine
	notice  func(Run) // told whenever a run changes, not more often than every noticeEvery

	mutex    sync.Mutex
	live     map[int]*liveRun
	unsaved  map[int]Run // runs whose end could not be written down, as it is known
	queue    []int
	licences map[string]*dispatch.Slots
	closed   bool
	leaders  sync.WaitGroup
}

// NewRuns returns the runs over records; what an earlier service left unfinished is paused.
func NewRuns(records Records, engine Engine, notice func(Run)) (*Runs, error) {
	r := &Runs{records: records, engine: engine, notice: notice, live: map[int]*liveRun{}, unsaved: map[int]Run{}, licences: map[string]*dispatch.Slots{}}
	all, err := records.Runs("")
	if err != nil {
		return nil, err
	}
	for _, run := range all {
		if run.State.Ended() {
			continue
		}
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
	b, err := bench.Parse(content)
	if err != nil {
		return Run{}, err
	}
	if err := r.resolve(benchName, b, &q); err != nil {
		return Run{}, err
	}
	s, m, err := Ask(b, q)
	if err != nil {
		return Run{}, err
	}
	run := Run{Bench: benchName, Revision: revision, Question: q, State: Queued, Created: time.Now(), Layout: m.Layout, Budget: evaluations(s, q)}
	if err := r.records.CreateRun(&run); err != nil {
		return Run{}, err
	}
	return run, r.enqueue(run)
}

// resolve replaces what a question refers to by what it is now, so that the run does not depend on later runs.
func (r *Runs) resolve(benchName string, b *bench.Bench, q *Question) error {
	s, found := b.Study(q.Study)
	if !found {
		return nil // Ask says what is wrong
	}
	q.Kind = s.Kind
	if s.StartBest == "" {
		return nil
	}
	all, err := r.records.Runs(benchName)
	if err != nil {
		return err
	}
	for _, run := range all {
		if run.Question.Study == s.StartBest && run.State == Finished && run.Best != nil {
			q.Start = run.Best.Inputs
			return nil
		}
	}
	return fmt.Errorf("study %s starts from the best design of %s, and there is no finished run of it: run %s first", s.Name, s.StartBest, s.StartBest)
}

// enqueue starts the run, or lets it wait until another ends.
func (r *Runs) enqueue(run Run) error {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	if r.closed {
		return errors.New("the service is ending: start the run again in a moment")
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
			r.lead(l)
			r.mutex.Lock()
			defer r.mutex.Unlock()
			delete(r.live, l.run.ID)
			close(l.done)
			r.startNextLocked()
		}()
	}
}

// Run returns a run as it is now.
func (r *Runs) Run(id int) (Run, error) {
	r.mutex.Lock()
	l := r.live[id]
	ended, unsaved := r.unsaved[id]
	r.mutex.Unlock()
	switch {
	case l != nil:
		return l.snapshot(), nil
	case unsaved:
		return ended, nil
	}
	return r.records.Run(id)
}

// All lists the runs of a bench, or all if bench is "", newest first, as they are now.
func (r *Runs) All(bench string) ([]Run, error) {
	runs, err := r.records.Runs(bench)
	if err != nil {
		return nil, err
	}
	r.mutex.Lock()
	live, unsaved := maps.Clone(r.live), maps.Clone(r.unsaved)
	r.mutex.Unlock()
	for i := range runs {
		if l := live[runs[i].ID]; l != nil {
			runs[i] = l.snapshot()
		} else if ended, ok := unsaved[runs[i].ID]; ok {
			runs[i] = ended
		}
	}
	return runs, nil
}

// errHand carries the state that a run is to take when somebody ends it.
type errHand struct {
	state  State
	reason string
}

func (e errHand) Error() string { return e.reason }

// Stop ends a run with the best found so far.
func (r *Runs) Stop(id int) (Run, error) {
	return r.halt(id, errHand{Stopped, "stopped by hand, with the best found so far"})
}

// Pause ends a run for now.
func (r *Runs) Pause(id int) (Run, error) {
	return r.halt(id, errHand{Paused, "paused by hand; resume it to go on"})
}

// halt ends a run and waits until it has.
func (r *Runs) halt(id int, why errHand) (Run, error) {
	r.mutex.Lock()
	l := r.live[id]
	if l == nil {
		r.mutex.Unlock()
		run, err := r.records.Run(id)
		if err == nil {
			err = fmt.Errorf("run %d is %s, it is not at work: %w", id, run.State, ErrWrongState)
		}
		return run, err
	}
	l.cancel(why)
	if at := slices.Index(r.queue, id); at >= 0 { // it waits: nobody leads it yet
		r.queue = slices.Delete(r.queue, at, at+1)
		delete(r.live, id)
		close(l.done)
		l.run.State, l.run.Reason = why.state, why.reason
		r.mutex.Unlock()
		r.notice(l.run)
		return l.run, r.records.SaveRun(l.run)
	}
	r.mutex.Unlock()
	<-l.done
	return r.Run(id)
}

// Resume queues a run again that was paused, stopped, or cut off.
func (r *Runs) Resume(id int) (Run, error) {
	run, err := r.Run(id)
	if err != nil {
		return run, err
	}
	if !run.State.Resumable() {
		return run, fmt.Errorf("run %d is %s; only a paused or stopped run can be resumed: %w", id, run.State, ErrWrongState)
	}
	run.State, run.Reason = Queued, ""
	if err := r.records.SaveRun(run); err != nil {
		return run, err
	}
	r.notice(run)
	return run, r.enqueue(run)
}

// Unfinished lists the runs that are queued or at work.
func (r *Runs) Unfinished() []int {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	return slices.Sorted(maps.Keys(r.live))
}

// Close pauses every run that is not finished and waits for its solvers to end.
func (r *Runs) Close() error {
	r.mutex.Lock()
	r.closed = true
	r.mutex.Unlock()
	var failed error
	for _, id := range r.Unfinished() {
		if _, err := r.halt(id, errHand{Paused, "paused because the service ended; resume it to go on"}); err != nil && !errors.Is(err, ErrWrongState) {
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
