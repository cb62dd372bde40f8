package main

import (
	"context"
	"fmt"
	"time"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/study"
)

const (
	floodSize  = 2_000_000 // designs
	stopWithin = time.Second
)

// stopping measures how long a stop takes while a sample of 2 million formula designs is prepared and evaluated, and while a
// batch of as many is.
func stopping(ctx context.Context, _, folder string) ([]figure, error) {
	runs, err := openRuns(folder, "g04", func(study.Run) {})
	if err != nil {
		return nil, err
	}
	defer runs.close()
	longest := time.Duration(0)
	for _, after := range []time.Duration{0, 50 * time.Millisecond, 200 * time.Millisecond, time.Second, 3 * time.Second} {
		run, err := runs.Start("g04", runs.revision, study.Question{Kind: "sample", Study: "flood", Seed: 1, Fresh: true})
		if err != nil {
			return nil, err
		}
		time.Sleep(after)
		began := time.Now()
		if _, err := runs.Stop(run.ID); err != nil {
			return nil, err
		}
		longest = max(longest, time.Since(began))
	}
	batch, err := stopBatch(ctx)
	if err != nil {
		return nil, err
	}
	return []figure{
		{name: "stop during a sample of 2 million formula designs, the longest of 5", asked: "under 1 s", measured: fmt.Sprintf("%.0f ms", float64(longest.Milliseconds())), reached: longest < stopWithin},
		{name: "stop during one batch of 2 million formula designs", asked: "under 1 s", measured: fmt.Sprintf("%.0f ms", float64(batch.Milliseconds())), reached: batch < stopWithin},
	}, nil
}

func stopBatch(ctx context.Context) (time.Duration, error) {
	b, _, err := problem("g04")
	if err != nil {
		return 0, err
	}
	a, e, err := evaluator(b, study.Question{Kind: "optimize", Study: "best", Seed: 1})
	if err != nil {
		return 0, err
	}
	r := plan.NewRand(1)
	designs := make([]core.Design, floodSize)
	for i := range designs {
		designs[i] = a.Problem.Space.Design(plan.Draw(r, 1, len(a.Problem.Space))[0])
	}
	ctx, cancel := context.WithCancel(ctx)
	ended := make(chan error)
	go func() {
		_, err := e.Evaluate(ctx, designs)
		ended <- err
	}()
	time.Sleep(500 * time.Millisecond)
	began := time.Now()
	cancel()
	if err := <-ended; err == nil {
		return 0, fmt.Errorf("a batch of %d designs was at its end before it was stopped", floodSize)
	}
	return time.Since(began), nil
}
