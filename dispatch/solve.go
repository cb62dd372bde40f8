package dispatch

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/solver"
)

// waitingOutcomes is how many outcomes wait to be written down while the slots are at work: with a fast solver they are written
// down together.
const waitingOutcomes = 16

// solveEach asks the solver for each row, as many at a time as slots and licences allow, and commits each as soon as it is
// finished. Rows that ask the solver the same share one answer.
func (d *Dispatcher) solveEach(ctx context.Context, q *question, rows []int) error {
	first, followers := d.shared(q, rows)
	workers := d.Slots.Count()
	for _, bound := range d.bounds() {
		workers = min(workers, bound.Count())
	}
	workers = min(workers+waitingOutcomes, len(first))
	group, ctx := errgroup.WithContext(ctx)
	next := make(chan int)
	group.Go(func() error {
		defer close(next)
		for _, i := range first {
			select {
			case next <- i:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	for range workers {
		group.Go(func() error {
			for i := range next {
				if err := d.solveOne(ctx, q, i); err != nil {
					return err
				}
				if err := d.share(q, i, followers[i]); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}

// shared parts rows into those that ask the solver, and by these, those that would ask it the same.
func (d *Dispatcher) shared(q *question, rows []int) (first []int, followers map[int][]int) {
	followers = map[int][]int{}
	if d.Repeat {
		return rows, followers
	}
	leaders := map[Key]int{}
	for _, i := range rows {
		if leader, same := leaders[q.records[i].Key]; same {
			followers[leader] = append(followers[leader], i)
			continue
		}
		leaders[q.records[i].Key] = i
		first = append(first, i)
	}
	return first, followers
}

// share gives the answer of one row to those that asked the same.
func (d *Dispatcher) share(q *question, from int, followers []int) error {
	for _, i := range followers {
		record, answered := &q.records[i], q.records[from]
		record.Shares = answered.Number
		if q.errors[from] == nil && answered.Values == nil {
			record.State, record.Reason, record.Tail = answered.State, answered.Reason, answered.Tail
			continue
		}
		d.copyAnswer(q, i, Record{Values: q.values.Row(from), Curves: q.curves[from], Derivatives: answered.Derivatives})
		d.finish(q, []int{i})
	}
	return d.commit(q, followers)
}

// solveOne makes an evaluation and commits its outcome. A cancelled evaluation is not committed: it will be made when the run is
// resumed.
func (d *Dispatcher) solveOne(ctx context.Context, q *question, i int) error {
	folder, err := d.solveInSlot(ctx, q, i)
	if err == nil {
		err = d.commit(q, []int{i})
	}
	if record := q.records[i]; err == nil && folder != "" && d.Keeper != nil && (d.KeepGood || record.State != core.OK) {
		err = d.Keeper.Keep(record, folder)
	}
	if folder == "" {
		return err
	}
	if removeErr := RemoveFolder(folder); err == nil && removeErr != nil {
		err = fmt.Errorf("remove the working folder: %w", removeErr)
	}
	return err
}

// bounds are those beside the slots, in the order in which they are taken.
func (d *Dispatcher) bounds() []*Slots {
	return slices.DeleteFunc([]*Slots{d.Own, d.Licences}, func(s *Slots) bool { return s == nil })
}

// solveInSlot takes a slot and tries as often as the bench allows. It returns the working folder of the last try, "" where there
// was none.
func (d *Dispatcher) solveInSlot(ctx context.Context, q *question, i int) (folder string, err error) {
	for _, bound := range d.bounds() {
		taken, err := bound.take(ctx)
		if err != nil {
			return "", err
		}
		defer bound.release(taken)
	}
	slot, err := d.Slots.take(ctx)
	if err != nil {
		return "", err
	}
	defer d.Slots.release(slot)
	session, err := d.session(ctx, slot)
	if err != nil {
		return "", err
	}
	record := &q.records[i]
	for try := 0; ; try++ {
		job := d.job(q, i, try)
		folder = job.Folder
		began := time.Now()
		outputs, err := session.Solve(ctx, job)
		record.Seconds = time.Since(began).Seconds()
		if ctx.Err() != nil {
			return folder, ctx.Err()
		}
		var failure *solver.Failure
		switch {
		case err == nil:
			copy(q.values.Row(i), outputs.Scalars)
			q.curves[i] = outputs.Curves
			record.Steps, record.Derivatives, record.Tail = outputs.Steps, outputs.Derivatives, ""
			d.finish(q, []int{i})
			return folder, nil
		case !errors.As(err, &failure):
			return folder, fmt.Errorf("evaluation %d: %w", record.Number, err)
		}
		record.State, record.Reason, record.Tail, record.Steps = failure.State, plain.Printable(failure.Reason), plain.Printable(failure.Tail), failure.Steps
		again := failure.State == core.Failed || failure.State == core.TimedOut
		if again && try < d.Retry {
			if d.Again != nil {
				d.Again(record.Number, try+2, d.Retry+1)
			}
			if folder == "" {
				continue
			}
			if err := RemoveFolder(folder); err != nil {
				return "", fmt.Errorf("remove the working folder: %w", err)
			}
			continue
		}
		if try > 0 {
			record.Reason += fmt.Sprintf(" (the last of %d tries)", try+1)
		}
		return folder, nil
	}
}

// session is that of a slot: it is opened when the slot takes its first evaluation of the run, and closed with the run.
func (d *Dispatcher) session(ctx context.Context, slot int) (solver.Session, error) {
	d.mutex.Lock()
	session := d.sessions[slot]
	d.mutex.Unlock()
	if session != nil {
		return session, nil
	}
	worker := solver.Worker{Slot: slot}
	if d.opener.NeedsFolder() {
		worker.Folder = d.sessionFolder(slot)
	}
	session, err := d.opener.Open(ctx, worker)
	if err != nil {
		return nil, fmt.Errorf("open the solver: %w", err)
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	d.sessions[slot] = session
	return session, nil
}

func (d *Dispatcher) sessionFolder(slot int) string {
	return filepath.Join(d.Folders, fmt.Sprintf("%sslot%d", d.IDPrefix, slot))
}

// job is a try of an evaluation, in a fresh working folder where the solver needs one.
func (d *Dispatcher) job(q *question, i, try int) solver.Job {
	job := solver.Job{ID: fmt.Sprintf("%s%d-%d", d.IDPrefix, q.numbers[i], try), Lookup: d.lookUp(q, i), Keep: d.Keeper != nil && d.KeepGood}
	if d.opener.NeedsFolder() {
		job.Folder = filepath.Join(d.Folders, job.ID)
	}
	return job
}
