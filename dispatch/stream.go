package dispatch

import (
	"context"
	"slices"
	"sync"

	"ropebench/core"
)

// Stream implements core.Streamer.
func (d *Dispatcher) Stream() core.Stream {
	ctx, cancel := context.WithCancel(context.Background())
	return &stream{dispatcher: d, ctx: ctx, cancel: cancel, news: make(chan struct{}, 1), open: map[int]*entry{}}
}

// An entry is a design that a stream has asked for and not given yet.
type entry struct {
	ticket, number int
	order          int   // in the journal, where it is there already
	again          bool  // it was asked before
	followers      []int // tickets of the same design, asked meanwhile: they are given right behind it
}

// A stream asks for designs one by one, and gives outcomes in the order in which they are committed: first those that the
// journal has, in its order, so that a method which is run again gets what it got before when it got it before.
type stream struct {
	dispatcher *Dispatcher
	ctx        context.Context
	cancel     context.CancelFunc
	atWork     sync.WaitGroup
	news       chan struct{} // something was committed, or went wrong

	// What follows is guarded by the mutex of the dispatcher.
	tickets   int
	open      map[int]*entry // by number
	at        []*entry       // asked before and done: given at once
	journaled []*entry       // by order
	committed []*entry
	failed    error
}

// Submit implements core.Stream.
func (s *stream) Submit(ctx context.Context, designs ...core.Design) error {
	for _, design := range designs {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := s.submit(design); err != nil {
			return err
		}
	}
	return nil
}

func (s *stream) submit(design core.Design) error {
	d := s.dispatcher
	q := d.prepare([]core.Design{design})
	d.mutex.Lock()
	defer d.mutex.Unlock()
	if err := d.admit(q); err != nil {
		return err
	}
	e := &entry{ticket: s.tickets, number: q.numbers[0], again: q.again[0], order: q.records[0].Order}
	s.tickets++
	switch own := s.open[e.number]; {
	case own != nil:
		own.followers = append(own.followers, e.ticket)
	case len(q.replayed) > 0:
		s.open[e.number] = e
		s.journaled = append(s.journaled, e)
		slices.SortFunc(s.journaled, func(a, b *entry) int { return a.order - b.order })
	case e.again && d.waiting[e.number] == nil:
		s.at = append(s.at, e)
	default:
		s.open[e.number] = e
		d.listeners[e.number] = append(d.listeners[e.number], s)
		if !e.again {
			s.work(q)
		}
	}
	return nil
}

// work finds the outcome of a new design.
func (s *stream) work(q *question) {
	s.atWork.Go(func() {
		err := s.dispatcher.answer(s.ctx, q)
		s.dispatcher.mutex.Lock()
		defer s.dispatcher.mutex.Unlock()
		s.dispatcher.leave(q)
		if err != nil && s.failed == nil {
			s.failed = err
			s.tell()
		}
	})
}

// heard is told of a commit, with the mutex of the dispatcher held.
func (s *stream) heard(number int) {
	s.committed = append(s.committed, s.open[number])
	s.tell()
}

func (s *stream) tell() {
	select {
	case s.news <- struct{}{}:
	default:
	}
}

// Next implements core.Stream.
func (s *stream) Next(ctx context.Context) (ticket int, outcome core.Outcome, err error) {
	for {
		e, outcome, err := s.take()
		if e != nil || err != nil {
			return ticketOf(e), outcome, err
		}
		select {
		case <-s.news:
		case <-ctx.Done():
			return 0, core.Outcome{}, ctx.Err()
		}
	}
}

func ticketOf(e *entry) int {
	if e == nil {
		return 0
	}
	return e.ticket
}

// take is the next outcome, or nil where all that is open is at work.
func (s *stream) take() (*entry, core.Outcome, error) {
	d := s.dispatcher
	d.mutex.Lock()
	defer d.mutex.Unlock()
	for _, list := range []*[]*entry{&s.at, &s.journaled, &s.committed} {
		if len(*list) == 0 {
			continue
		}
		e := (*list)[0]
		*list = (*list)[1:]
		if s.open[e.number] == e {
			delete(s.open, e.number)
		}
		for _, ticket := range e.followers {
			s.at = append(s.at, &entry{ticket: ticket, number: e.number, again: true})
		}
		outcome := d.outcome(e.number)
		outcome.Repeated = e.again
		return e, outcome, nil
	}
	switch {
	case s.failed != nil:
		return nil, core.Outcome{}, s.failed
	case len(s.open) == 0:
		return nil, core.Outcome{}, core.ErrNothingOpen
	}
	return nil, core.Outcome{}, nil
}

// Close implements core.Stream.
func (s *stream) Close() {
	s.cancel()
	s.atWork.Wait()
}
