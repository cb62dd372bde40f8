package study

import (
	"encoding/hex"
	"fmt"
	"slices"

	"ropebench/bench/read"
	"ropebench/solver"
)

// Resume queues a run again that was paused, stopped, or cut off. Of two who ask at once, one is refused.
func (r *Runs) Resume(id int) (Run, error) {
	run, err := r.Run(id)
	if err != nil {
		return run, err
	}
	if !run.State.Resumable() {
		return run, WrongState(fmt.Sprintf("run %d is %s: only a paused or stopped run can be resumed", id, run.State))
	}
	if _, err := r.sameSolver(run); err != nil {
		return run, err
	}
	return r.queueAgain(run)
}

// Extend queues a run again with more points behind those that it has.
func (r *Runs) Extend(id, more int) (Run, error) {
	run, err := r.Run(id)
	if err != nil {
		return run, err
	}
	if !run.State.Resumable() && run.State != Finished {
		return run, WrongState(fmt.Sprintf("run %d is %s: wait for its end, or stop it, before it gets more points", id, run.State))
	}
	extended := run
	extended.Question.More = append(slices.Clone(run.Question.More), more)
	a, err := r.sameSolver(extended)
	if err != nil {
		return run, err
	}
	if !a.kind.continues {
		return run, fmt.Errorf("run %d is of study %s, of kind %s: more points can be added to a sample only", id, a.Study.Name, a.Study.Kind)
	}
	extended.Budget = a.Budget()
	return r.queueAgain(extended)
}

func (r *Runs) queueAgain(run Run) (Run, error) {
	run.State, run.Reason = Queued, ""
	run.Version++
	return run, r.enqueue(run, func() error {
		r.notice(run)
		return r.records.SaveRun(run)
	})
}

// sameSolver compiles the question of a run that is to go on. Where its solver is another one by now it is refused, and the run stays what it is.
func (r *Runs) sameSolver(run Run) (*Asked, error) {
	content, err := r.records.Content(run.Bench, run.Revision)
	if err != nil {
		return nil, err
	}
	b, err := read.Parse(content)
	if err != nil {
		return nil, err
	}
	a, err := Ask(b, run.Question)
	if err != nil || run.SolverKey == "" {
		return a, err
	}
	blackBox, err := solverOf(a, b, content, r.engine.Path)
	err = hasKey(blackBox, err, run.SolverKey)
	if variant := b.CoarseVariant(); err == nil && variant != nil && run.CoarseKey != "" {
		blackBox, err = SolverOf(variant, content, r.engine.Path)
		err = hasKey(blackBox, err, run.CoarseKey)
	}
	if err != nil {
		return nil, WrongState(fmt.Sprintf("run %d cannot go on: %s", run.ID, err))
	}
	return a, nil
}

// hasKey returns an error where a solver, unless it could not be made, is not the one of a key.
func hasKey(s solver.Solver, err error, wanted string) error {
	if err != nil {
		return err
	}
	key, err := s.Key()
	if err == nil && hex.EncodeToString(key[:]) != wanted {
		return errOtherSolver
	}
	return err
}
