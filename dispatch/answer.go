package dispatch

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/solver"
)

// answer finds an outcome for every open row and commits it: without the solver where it is known, else by it.
func (d *Dispatcher) answer(ctx context.Context, q *question) error {
	var ready, unknown []int
	for _, i := range q.open {
		found, err := d.recall(q, i)
		switch {
		case err != nil:
			return err
		case found:
			ready = append(ready, i)
		default:
			unknown = append(unknown, i)
		}
	}
	if d.batch != nil {
		if err := d.solveBatch(ctx, q, unknown); err != nil {
			return err
		}
		return d.commit(q, q.open)
	}
	if err := d.commit(q, ready); err != nil {
		return err
	}
	return d.solveEach(ctx, q, unknown)
}

// recall takes an outcome that is known without the solver: from another run, or since inputs alone miss a requirement.
func (d *Dispatcher) recall(q *question, i int) (bool, error) {
	record := &q.records[i]
	if d.Journal != nil || d.Known != nil || d.opener != nil {
		record.Key = d.key(q, i)
	}
	if q.missed[i] {
		record.State, record.Reason = core.NotTried, "a requirement on inputs alone is missed"
		return true, nil
	}
	if found, err := d.recallOwn(q, i); found || err != nil {
		return found, err
	}
	if d.Known == nil {
		return false, nil
	}
	known, found, err := d.Known.Find(record.Key)
	if err != nil || !found || len(known.Values) < d.outputs || len(known.Curves) < d.curves {
		return false, err
	}
	d.copyAnswer(q, i, known)
	record.Reused, record.Seconds, record.Steps = true, known.Seconds, known.Steps
	d.finish(q, []int{i})
	return true, nil
}

// recallOwn takes the answer of the solver to the same question from another evaluation of this run.
func (d *Dispatcher) recallOwn(q *question, i int) (bool, error) {
	if d.opener == nil || d.Repeat || d.Journal == nil {
		return false, nil
	}
	d.mutex.Lock()
	number, answered := d.answers[q.records[i].Key]
	d.mutex.Unlock()
	if !answered {
		return false, nil
	}
	known, err := d.Journal.Read(number)
	if err != nil {
		return false, err
	}
	d.copyAnswer(q, i, known)
	q.records[i].Shares = number
	d.finish(q, []int{i})
	return true, nil
}

// remember notes which evaluation has the answer to a question. The mutex is held.
func (d *Dispatcher) remember(record Record) {
	if d.opener != nil && record.State == core.OK && record.Shares == 0 {
		d.answers[record.Key] = record.Number
	}
}

// copyAnswer takes over what the solver said in another evaluation.
func (d *Dispatcher) copyAnswer(q *question, i int, from Record) {
	copy(q.values.Row(i)[:d.outputs], from.Values)
	q.curves[i] = from.Curves[:d.curves:d.curves]
	q.records[i].Derivatives = from.Derivatives
}

// part is some rows of a question as the solver and the model take them; all of them as they stand.
func (q *question) part(rows []int) solver.Rows {
	if len(rows) == q.inputs.Rows {
		return solver.Rows{Inputs: q.inputs, Values: q.values, Curves: q.curves, Errors: q.errors}
	}
	p := solver.Rows{Inputs: core.NewMatrix(len(rows), q.inputs.Columns), Values: core.NewMatrix(len(rows), q.values.Columns), Curves: make([][]curve.Curve, len(rows)), Errors: make([]error, len(rows))}
	for k, i := range rows {
		copy(p.Inputs.Row(k), q.inputs.Row(i))
		copy(p.Values.Row(k), q.values.Row(i))
		p.Curves[k], p.Errors[k] = q.curves[i], q.errors[i]
	}
	return p
}

// put takes rows back that were taken out by part.
func (q *question) put(rows []int, p solver.Rows) {
	if len(rows) == q.inputs.Rows {
		return
	}
	for k, i := range rows {
		copy(q.values.Row(i), p.Values.Row(k))
		q.curves[i], q.errors[i] = p.Curves[k], p.Errors[k]
	}
}

func (d *Dispatcher) solveBatch(ctx context.Context, q *question, rows []int) error {
	if len(rows) == 0 {
		return nil
	}
	p := q.part(rows)
	if d.noisy {
		for _, i := range rows {
			p.Repeats = append(p.Repeats, q.records[i].Repeat)
		}
	}
	if err := d.batch.SolveAll(ctx, p); err != nil {
		return err
	}
	q.put(rows, p)
	d.finish(q, rows)
	return nil
}

// finish computes what follows from the outputs of the solver; what cannot be computed or is not finite is a failure.
func (d *Dispatcher) finish(q *question, rows []int) {
	p := q.part(rows)
	d.Model.Finish(p.Inputs, p.Values, p.Curves, p.Errors)
	q.put(rows, p)
	for _, i := range rows {
		record := &q.records[i]
		record.State, record.Reason = core.OK, ""
		if err := q.errors[i]; err != nil {
			record.State, record.Reason = core.Failed, err.Error()
			continue
		}
		record.Curves = q.curves[i]
		for column, value := range q.values.Row(i) {
			if math.IsNaN(value) || math.IsInf(value, 0) {
				record.State, record.Reason = core.Failed, fmt.Sprintf("%s is %g, not a finite number", d.Model.Names()[column], value)
				break
			}
		}
	}
}
