package dispatch

import (
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"math"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/curve"
)

// An identity names a design: all that its outcome depends on within a run. Two designs that the solver cannot tell apart
// are two evaluations nevertheless, since what is derived from them may differ.
type identity [16]byte

// pages keep rows of values by number: a row stays where it is while others are added.
type pages struct {
	width int
	all   [][]float64
}

const rowsOfAPage = 1 << 10

func (p *pages) grow(number int) {
	for len(p.all)*rowsOfAPage < number {
		p.all = append(p.all, make([]float64, rowsOfAPage*p.width))
	}
}

func (p *pages) row(number int) []float64 {
	at := (number - 1) % rowsOfAPage * p.width
	return p.all[(number-1)/rowsOfAPage][at : at+p.width : at+p.width]
}

// A question is a list of designs on its way to outcomes.
type question struct {
	inputs, values core.Matrix
	missed         []bool   // a requirement on inputs alone
	records        []Record // their numbers, keys and outcomes
	curves         [][]curve.Curve
	errors         []error

	numbers []int  // of each design
	again   []bool // it was asked before, here or by another caller

	replayed []int // rows whose outcomes the journal has
	open     []int // rows for which an outcome must be found
}

// prepare fills the inputs of designs and screens them. What the solver reads after formatting is recorded and judged.
func (d *Dispatcher) prepare(designs []core.Design) *question {
	n := len(designs)
	q := &question{inputs: core.NewMatrix(n, d.Model.Variables()), values: core.NewMatrix(n, d.rows.width), missed: make([]bool, n),
		records: make([]Record, n), curves: make([][]curve.Curve, n), errors: make([]error, n), numbers: make([]int, n), again: make([]bool, n)}
	for i, design := range designs {
		q.records[i].Design = design
		d.Model.Fill(design, q.inputs.Row(i))
	}
	d.Model.Screen(q.inputs, q.values, q.missed)
	if d.writer == nil {
		return q
	}
	moves := d.Model.Moves()
	for i := range designs {
		written := d.writer.AsWritten(d.lookUp(q, i))
		design := slices.Clone(designs[i])
		for k, name := range moves {
			if value, isWritten := written[name]; isWritten {
				design[k] = value
			}
		}
		q.records[i].Design = design
		d.Model.Fill(design, q.inputs.Row(i))
	}
	d.Model.Screen(q.inputs, q.values, q.missed)
	return q
}

func (d *Dispatcher) lookUp(q *question, i int) func(name string) bench.Value {
	inputs, values := q.inputs.Row(i), q.values.Row(i)
	return func(name string) bench.Value { return d.Model.Value(name, inputs, values) }
}

// errOtherRecords ends a resumed run whose method asks for other designs than it did before.
var errOtherRecords = errors.New("the records of this run do not fit what the method asks now; it was begun by another version of Rope Bench: start a new run")

// takeIn reads what earlier sessions of the run have written down.
func (d *Dispatcher) takeIn() error {
	if d.Replay == nil {
		return nil
	}
	for record, err := range d.Replay {
		if err != nil {
			return err
		}
		if record.Values != nil && len(record.Values) != d.rows.width {
			return errOtherRecords
		}
		d.reserve(record.Number)
		copy(d.rows.row(record.Number), record.Values)
		d.states[record.Number-1] = core.Cancelled // until it is asked
		id := identify(record.Design)
		d.numbers[repeated(id, record.Repeat)] = record.Number
		if record.Derivatives != nil {
			d.given[record.Number] = record.Derivatives
		}
		d.remember(record)
		record.Values, record.Curves, record.Design = nil, nil, nil
		d.journaled[record.Number] = record
	}
	return nil
}

// reserve makes room for a number.
func (d *Dispatcher) reserve(number int) {
	d.reserved[number] = true
	d.rows.grow(number)
	d.growStates(number)
}

// growStates makes room for the states of evaluations up to a number.
func (d *Dispatcher) growStates(number int) {
	for len(d.states) < number {
		d.states, d.seconds = append(d.states, core.Cancelled), append(d.seconds, 0)
	}
}

// nextNumber is the least that is not taken.
func (d *Dispatcher) nextNumber() int {
	for d.reserved[d.last+1] {
		d.last++
		delete(d.reserved, d.last)
	}
	d.last++
	d.rows.grow(d.last)
	d.growStates(d.last)
	return d.last
}

func identify(design []float64) identity {
	buffer := make([]byte, 0, 256)
	for _, value := range design {
		buffer = binary.LittleEndian.AppendUint64(buffer, math.Float64bits(value))
	}
	sum := sha256.Sum256(buffer)
	return identity(sum[:len(identity{})])
}

// repeated is the identity of an evaluation of a design that was evaluated before.
func repeated(id identity, repeat int) identity {
	if repeat == 0 {
		return id
	}
	sum := sha256.Sum256(binary.LittleEndian.AppendUint64(id[:], uint64(repeat)))
	return identity(sum[:len(identity{})])
}

// admit gives every design its number: a new one, that of the journal, or that under which it was asked before. The mutex
// is held.
func (d *Dispatcher) admit(q *question) error {
	highest := 0
	for i := range q.records {
		record := &q.records[i]
		id := identify(record.Design)
		if d.noisy || d.Repeat {
			record.Repeat = d.repeats[id]
			d.repeats[id]++
			id = repeated(id, record.Repeat)
		}
		number, known := d.numbers[id]
		kept, isKept := d.journaled[number]
		switch {
		case known && isKept:
			delete(d.journaled, number)
			kept.Design = record.Design
			*record = kept
			q.replayed = append(q.replayed, i)
		case known:
			q.again[i] = true
		default:
			number = d.nextNumber()
			highest = number
			d.numbers[id] = number
			record.Number = number
			d.waiting[number] = make(chan struct{})
			q.open = append(q.open, i)
		}
		q.numbers[i] = number
	}
	if !d.Concurrent && highest > 0 {
		for number := range d.journaled {
			if number < highest {
				return errOtherRecords
			}
		}
	}
	d.replay(q)
	return nil
}

// replay lets the outcomes of the journal be seen, in the order in which they were finished.
func (d *Dispatcher) replay(q *question) {
	slices.SortFunc(q.replayed, func(a, b int) int { return q.records[a].Order - q.records[b].Order })
	var records []Record
	for _, i := range q.replayed {
		record := &q.records[i]
		d.states[record.Number-1], d.seconds[record.Number-1] = record.State, record.Seconds
		if record.State == core.OK || record.State == core.NotTried {
			record.Values = d.rows.row(record.Number)
		}
		records = append(records, *record)
	}
	if d.Notice != nil && len(records) > 0 {
		d.Notice(records)
	}
}

// leave lets those who wait for evaluations of this question go on, whether they have an outcome or not. The mutex is
// held.
func (d *Dispatcher) leave(q *question) {
	for _, i := range q.open {
		d.end(q.numbers[i])
	}
}

func (d *Dispatcher) end(number int) {
	if ended := d.waiting[number]; ended != nil {
		close(ended)
		delete(d.waiting, number)
	}
}

// key hashes what the solver is asked.
func (d *Dispatcher) key(q *question, i int) Key {
	buffer := append(make([]byte, 0, 256), d.SolverKey[:]...)
	buffer = d.Solver.Question(buffer, q.inputs.Row(i), d.lookUp(q, i))
	if d.noisy {
		buffer = binary.LittleEndian.AppendUint64(buffer, uint64(q.records[i].Repeat+1))
	}
	sum := sha256.Sum256(buffer)
	return Key(sum[:len(Key{})])
}

// KeyOf is what the solver is asked for a design.
func (d *Dispatcher) KeyOf(design core.Design) Key {
	return d.key(d.prepare([]core.Design{design}), 0)
}
