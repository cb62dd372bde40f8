package main

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"runtime"
	"sync/atomic"
	"time"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/bench/read"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/dispatch"
	"ropebench/solver/formulas"
	"ropebench/store"
	"ropebench/study"
)

//go:embed problems
var problems embed.FS

// problem reads one of the published problems.
func problem(name string) (*bench.Bench, bench.Content, error) {
	file := name + bench.Suffix
	text, err := problems.ReadFile("problems/" + file)
	if err != nil {
		return nil, bench.Content{}, err
	}
	content := bench.Content{File: file, Files: map[string]bench.File{file: {Text: text}}}
	b, err := read.Parse(content)
	return b, content, err
}

// evaluator answers designs of a study, with exact derivatives, without writing anything down.
func evaluator(b *bench.Bench, q study.Question) (*study.Asked, core.Evaluator, error) {
	a, err := study.Ask(b, q)
	if err != nil {
		return nil, nil, err
	}
	batch, err := formulas.New(b)
	if err != nil {
		return nil, nil, err
	}
	derivation, err := a.Model.Derivation(batch)
	if err != nil {
		return nil, nil, err
	}
	d, err := dispatch.New(dispatch.Config{Model: a.Model, Solver: batch, Derivation: derivation})
	if err != nil {
		return nil, nil, err
	}
	return a, d.Evaluator(), nil
}

const (
	batchSize   = 64
	evaluations = 400_000
)

// evaluatorPace measures the evaluator of a formula model alone.
func evaluatorPace(ctx context.Context) (figure, error) {
	b, _, err := problem("g04")
	if err != nil {
		return figure{}, err
	}
	a, e, err := evaluator(b, study.Question{Kind: "optimize", Study: "best", Seed: 1})
	if err != nil {
		return figure{}, err
	}
	r := plan.NewRand(1)
	batches := make([][]core.Design, evaluations/batchSize)
	for i := range batches {
		for _, point := range plan.Draw(r, batchSize, len(a.Problem.Space)) {
			batches[i] = append(batches[i], a.Problem.Space.Design(point))
		}
	}
	began := time.Now()
	for _, designs := range batches {
		if _, err := e.Evaluate(ctx, designs); err != nil {
			return figure{}, err
		}
	}
	pace := float64(len(batches)*batchSize) / time.Since(began).Seconds()
	return figure{name: "g04 through the evaluator, without the journal", asked: "500,000 a second", measured: plain.Show(pace) + " a second", reached: pace >= 500_000}, nil
}

// openedRuns are the runs of one problem in a folder of their own.
type openedRuns struct {
	*study.Runs
	store    *store.Store
	revision int
}

func openRuns(folder, name string, notice func(study.Run)) (openedRuns, error) {
	b, content, err := problem(name)
	if err != nil {
		return openedRuns{}, err
	}
	s, err := store.Open(folder)
	if err != nil {
		return openedRuns{}, err
	}
	saved, err := s.SaveRevision(name, folder, b.Title, content)
	if err != nil {
		return openedRuns{}, errors.Join(err, s.Close())
	}
	runs, err := study.NewRuns(s, study.Engine{Slots: dispatch.NewSlots(2), Folder: folder}, notice)
	if err != nil {
		return openedRuns{}, errors.Join(err, s.Close())
	}
	return openedRuns{Runs: runs, store: s, revision: saved.Revision}, nil
}

func (r openedRuns) close() error { return errors.Join(r.Close(), r.store.Close()) }

// formulaModels measures formula models: the evaluator alone, and a whole run with its journal.
func formulaModels(ctx context.Context, _, folder string) ([]figure, error) {
	alone, err := evaluatorPace(ctx)
	if err != nil {
		return nil, err
	}
	var before, kept, at atomic.Int64
	heap := func() int64 {
		var stats runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&stats)
		return int64(stats.HeapAlloc)
	}
	runs, err := openRuns(folder, "g04", func(run study.Run) {
		if run.Evaluations > evaluations*9/10 && at.Load() == 0 {
			kept.Store(heap() - before.Load())
			at.Store(int64(run.Evaluations))
		}
	})
	if err != nil {
		return nil, err
	}
	defer runs.close()
	before.Store(heap())
	run, err := runs.Start("g04", runs.revision, study.Question{Study: "long", Seed: 1, Evaluations: evaluations})
	if err != nil {
		return nil, err
	}
	for !run.State.Ended() {
		time.Sleep(time.Millisecond)
		if run, err = runs.Run(run.ID); err != nil {
			return nil, err
		}
	}
	pace := float64(run.Evaluations) / run.Ended.Sub(run.Began).Seconds()
	each := float64(kept.Load()) / float64(max(1, at.Load()))
	return []figure{alone,
		{name: "g04 through a whole run, with the journal", asked: "20,000 a second", measured: fmt.Sprintf("%s a second (%s evaluations)", plain.Show(pace), plain.Show(float64(run.Evaluations))), reached: pace >= 20_000},
		{name: "memory kept for an evaluation during that run", asked: "at most 200 bytes", measured: fmt.Sprintf("%.0f bytes", each), reached: at.Load() > 0 && each <= 200},
	}, nil
}
