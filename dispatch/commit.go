package dispatch

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"ropebench/core"
)

// A pending commit is a number of outcomes of which somebody waits to know that they are safe.
type pending struct {
	records []Record
	safe    chan error
}

// commit makes outcomes safe, and only then lets them be seen. Those that come while others are being written down are
// written down together, by one of their goroutines.
func (d *Dispatcher) commit(q *question, rows []int) error {
	if len(rows) == 0 {
		return nil
	}
	p := pending{records: make([]Record, len(rows)), safe: make(chan error, 1)}
	now := time.Now()
	for k, i := range rows {
		record := &q.records[i]
		record.At = now
		if record.State == core.OK || record.State == core.NotTried {
			record.Values = q.values.Row(i)
		}
		p.records[k] = *record
	}
	d.mutex.Lock()
	d.pending = append(d.pending, p)
	leads := !d.committing
	d.committing = true
	d.mutex.Unlock()
	if leads {
		d.commitPending()
	}
	return <-p.safe
}

// commitPending writes down what is pending until nothing is. One goroutine at a time is in it.
func (d *Dispatcher) commitPending() {
	for {
		d.mutex.Lock()
		together := d.pending
		d.pending = nil
		d.committing = len(together) > 0
		d.mutex.Unlock()
		if len(together) == 0 {
			return
		}
		records := together[0].records
		for _, p := range together[1:] {
			records = append(records, p.records...)
		}
		slices.SortFunc(records, func(a, b Record) int { return cmp.Compare(a.Number, b.Number) }) // neighbours are kept together
		err := d.writeDown(records)
		for _, p := range together {
			p.safe <- err
		}
	}
}

func (d *Dispatcher) writeDown(records []Record) error {
	if d.Journal != nil {
		if err := d.Journal.Append(records); err != nil {
			return fmt.Errorf("the evaluations cannot be written down: %w", err)
		}
	}
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for _, record := range records {
		d.states[record.Number-1], d.seconds[record.Number-1] = record.State, record.Seconds
		copy(d.rows.row(record.Number), record.Values)
		if record.Derivatives != nil {
			d.given[record.Number] = record.Derivatives
		}
		d.remember(record)
		d.end(record.Number)
		for _, s := range d.listeners[record.Number] {
			s.heard(record.Number)
		}
		delete(d.listeners, record.Number)
	}
	if d.Notice != nil {
		d.Notice(records)
	}
	return nil
}
