package dispatch

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/solver"
)

// solveEach asks the solver for each task, as many at a time as slots and licences allow, and commits each as soon
// as it is finished.
func (d *Dispatcher) solveEach(ctx context.Context, tasks []*task) error {
	workers := min(d.Slots.Count(), len(tasks))
	if d.Licences != nil {
		workers = min(workers, d.Licences.Count())
	}
	group, ctx := errgroup.WithContext(ctx)
	next := make(chan *task)
	group.Go(func() error {
		defer close(next)
		for _, t := range tasks {
			select {
			case next <- t:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	for range workers {
		group.Go(func() error {
			for t := range next {
				if err := d.solveOne(ctx, t); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}

// solveOne takes a slot, tries as often as the bench allows, and commits the outcome. A cancelled evaluation is not
// committed: it will be made when the run is resumed.
func (d *Dispatcher) solveOne(ctx context.Context, t *task) error {
	if d.Licences != nil {
		if err := d.Licences.take(ctx); err != nil {
			return err
		}
		defer d.Licences.release()
	}
	if err := d.Slots.take(ctx); err != nil {
		return err
	}
	defer d.Slots.release()
	for try := 0; ; try++ {
		began := time.Now()
		outputs, err := d.attempt(ctx, t, try)
		t.record.Seconds = time.Since(began).Seconds()
		if ctx.Err() != nil {
			return ctx.Err()
		}
		var failure *solver.Failure
		switch {
		case err == nil:
			copy(t.Values, outputs.Scalars)
			t.Curves, t.record.Steps, t.record.Gradients = outputs.Curves, outputs.Steps, outputs.Gradients
			t.record.State, t.record.Reason, t.record.Tail = core.OK, "", ""
			d.finish([]*task{t})
			return d.commit([]*task{t})
		case !errors.As(err, &failure):
			return fmt.Errorf("evaluation %d: %w", t.record.Number, err)
		}
		t.record.State, t.record.Reason, t.record.Tail, t.record.Steps = failure.State, failure.Reason, failure.Tail, failure.Steps
		if failure.State != core.Failed || try >= d.Retry {
			return d.commit([]*task{t})
		}
	}
}

// attempt runs the solver once in a fresh working folder, which is gone afterwards.
func (d *Dispatcher) attempt(ctx context.Context, t *task, try int) (solver.Outputs, error) {
	id := fmt.Sprintf("%s%d-%d", d.Mark, t.record.Number, try)
	folder := filepath.Join(d.Folders, id)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return solver.Outputs{}, fmt.Errorf("make the working folder: %w", err)
	}
	outputs, err := d.Solver.Solve(ctx, solver.Job{ID: id, Folder: folder, Value: d.lookUp(t)})
	if d.Keep != "" {
		if keepErr := os.CopyFS(d.Keep, os.DirFS(folder)); keepErr != nil {
			return outputs, fmt.Errorf("the working folder cannot be kept in %s: %w", d.Keep, keepErr)
		}
	}
	if removeErr := os.RemoveAll(folder); err == nil && removeErr != nil {
		err = fmt.Errorf("remove the working folder: %w", removeErr)
	}
	return outputs, err
}
