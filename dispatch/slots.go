package dispatch

import "context"

// Slots bound how many solvers are at work at a time, over all runs.
type Slots struct {
	free chan struct{}
}

// NewSlots returns n free slots.
func NewSlots(n int) *Slots { return &Slots{make(chan struct{}, n)} }

// Count is how many there are.
func (s *Slots) Count() int { return cap(s.free) }

func (s *Slots) take(ctx context.Context) error {
	select {
	case s.free <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (s *Slots) release() { <-s.free }
