package optimize

import (
	"context"
	"errors"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
)

// A hope is a design that the solver works at, with what it was asked for.
type hope struct {
	point    []float64
	design   core.Design
	expected wished
}

// fill asks for the first points, and waits for all but the last that are at work.
func (b *believer) fill(ctx context.Context, points [][]float64) error {
	if b.stream == nil {
		return b.take(ctx, points)
	}
	for _, point := range points {
		if err := b.submit(ctx, point); err != nil {
			return err
		}
	}
	if enough := b.stream.Open() - b.atOnce + 1; enough > 0 {
		return b.collect(ctx, enough)
	}
	return nil
}

// put asks for a point, and waits where as many as may be are at work.
func (b *believer) put(ctx context.Context, point []float64) error {
	if b.stream == nil {
		return b.take(ctx, [][]float64{point})
	}
	if err := b.submit(ctx, point); err != nil || b.stream.Open() < b.atOnce {
		return err
	}
	return b.collect(ctx, 1)
}

func (b *believer) submit(ctx context.Context, point []float64) error {
	design := b.design(point)
	if err := b.stream.Submit(ctx, design); err != nil {
		return err
	}
	b.pending = append(b.pending, hope{point: point, design: design, expected: b.expected})
	b.expected = wished{}
	return nil
}

// collect waits for the next n that come out.
func (b *believer) collect(ctx context.Context, n int) error {
	answers, err := b.stream.Next(ctx, n)
	for _, answer := range answers {
		if i := slices.IndexFunc(b.pending, func(h hope) bool { return slices.Equal(h.design, answer.Design) }); i >= 0 {
			h := b.pending[i]
			b.pending = slices.Delete(b.pending, i, i+1)
			b.learnFrom(b.trials([][]float64{h.point}, []budget.Answer{answer})[0], h.expected)
		}
	}
	return err
}

// drained waits for all that is at work where a search ends: what was begun is not lost. The end itself may be another one then.
func (b *believer) drained(ctx context.Context, end error) error {
	var ended budget.Ended
	if end != nil && !errors.As(end, &ended) && !errors.Is(end, errNoBelief) {
		return end
	}
	for b.stream != nil && b.stream.Open() > 0 {
		err := b.collect(ctx, b.stream.Open())
		switch {
		case err == nil:
		case errors.As(err, &ended):
			end = ended
		default:
			return err
		}
	}
	return end
}

// suppose takes what is at work for known as it is believed to come out, so that it is not asked for again.
func (b *believer) suppose() {
	designs := make([]core.Design, len(b.pending))
	for i, h := range b.pending {
		designs[i] = h.design
	}
	for column, belief := range b.beliefs {
		b.beliefs[column] = belief.Supposing(designs)
	}
	if b.shapes != nil && len(designs) > 0 {
		b.shapes.memory.Clear()
		for m, belief := range b.shapes.beliefs {
			b.shapes.beliefs[m] = belief.Supposing(designs)
		}
	}
	if b.coarse.inUse() {
		for _, with := range b.coarse.corrected {
			with.rest = with.rest.Supposing(designs)
		}
	}
}
