package dispatch

import (
	"context"
)

// Slots bound how many solvers are at work at a time, over all runs. Each has a number.
type Slots struct {
	free chan int
}

// NewSlots returns n free slots.
func NewSlots(n int) *Slots {
	s := &Slots{make(chan int, n)}
	for slot := range n {
		s.free <- slot
	}
	return s
}

// Count is how many there are.
func (s *Slots) Count() int { return cap(s.free) }

func (s *Slots) take(ctx context.Context) (slot int, err error) {
	select {
	case slot = <-s.free:
		return slot, nil
	case <-ctx.Done():
		return 0, ctx.Err()
	}
}

func (s *Slots) release(slot int) { s.free <- slot }
