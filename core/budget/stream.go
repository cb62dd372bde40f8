package budget

import (
	"context"
	"slices"

	"ropebench/core"
)

// A Stream asks for single designs on an account, and does not wait for them. It is for one goroutine at a time; the account is not asked
// otherwise while designs are open.
type Stream struct {
	account *Account
	inner   core.Stream
	open    map[int]core.Design // by ticket
	tickets int
}

// Stream begins one; nil where the evaluator has none.
func (a *Account) Stream() *Stream {
	streamer, streams := a.evaluator.(core.Streamer)
	if !streams {
		return nil
	}
	return &Stream{account: a, inner: streamer.Stream(), open: map[int]core.Design{}}
}

// Open is how many designs are asked for and not answered.
func (s *Stream) Open() int { return len(s.open) }

// Submit asks for a design. Its error is of type Ended where the budget does not pay for one more besides those that are open.
func (s *Stream) Submit(ctx context.Context, design core.Design) error {
	if s.account.used+len(s.open) >= s.account.limits.Evaluations {
		return s.account.usedUp()
	}
	if !s.account.mayAsk(design) {
		return Ended{Stuck, "what is known leads to no further design that can be asked"}
	}
	if err := s.inner.Submit(ctx, design); err != nil {
		return err
	}
	s.open[s.tickets] = slices.Clone(design)
	s.tickets++
	return nil
}

// Next waits for so many answers, of which there must be some that are open. Its error is of type Ended when the search is to end; the answers
// that came with it are good.
func (s *Stream) Next(ctx context.Context, n int) ([]Answer, error) {
	var answers []Answer
	var outcomes []core.Outcome
	for range n {
		ticket, outcome, err := s.inner.Next(ctx)
		if err != nil {
			return nil, err
		}
		answers, outcomes = append(answers, Answer{Design: s.open[ticket], Outcome: outcome}), append(outcomes, outcome)
		delete(s.open, ticket)
	}
	a := s.account
	a.order.Learn(outcomes)
	for i := range answers {
		answers[i].Rank = a.order.Rank(answers[i].Outcome)
		a.enter(answers[i])
	}
	return answers, a.end()
}

// Close waits until nothing of it is at work.
func (s *Stream) Close() { s.inner.Close() }
