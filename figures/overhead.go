package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"time"
)

const sleeper = `bench: 1
inputs:
  a: {nominal: 1, range: [0, 2]}
solver:
  steps:
    - run: [%s, "@[a]"]
outputs:
  b: {file: out, match: 'V (\S+)'}
studies:
  all: {kind: sample, plan: random, points: 400}
`

// pairs is how often both are timed, in turn: the median ratio stands where the machine's speed drifts.
const pairs = 3

// overhead compares a run of 400 evaluations of a 50 ms program, 2 at a time, with xargs -P2 over the same program.
func overhead(ctx context.Context, programs, folder string) ([]figure, error) {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	program := filepath.Join(folder, "fiftyms")
	if err := os.WriteFile(program, []byte("#!/bin/sh\nsleep 0.05\necho V $1 > out\n"), 0o755); err != nil {
		return nil, err
	}
	file := filepath.Join(folder, "sleeper.bench.yaml")
	if err := os.WriteFile(file, fmt.Appendf(nil, sleeper, program), 0o644); err != nil {
		return nil, err
	}
	service := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "serve", "--slots", "2", "--data", filepath.Join(folder, "data"))
	if err := service.Start(); err != nil {
		return nil, err
	}
	defer func() { _ = service.Process.Signal(os.Interrupt); _ = service.Wait() }() // measured already
	if err := waitForFile(filepath.Join(folder, "data", "service.json")); err != nil {
		return nil, err
	}
	var ratios []float64
	for pair := range pairs {
		plain, err := timed(folder, "sh", "-c", "seq 400 | xargs -P2 -n1 "+program)
		if err != nil {
			return nil, err
		}
		ours, err := timed(folder, filepath.Join(programs, "ropebench"), "run", file, "all", "--seed", strconv.Itoa(pair+1), "--data", filepath.Join(folder, "data"))
		if err != nil {
			return nil, err
		}
		ratios = append(ratios, ours.Seconds()/plain.Seconds())
	}
	slices.Sort(ratios)
	median := ratios[pairs/2]
	return []figure{{"400 evaluations of 50 ms, 2 slots, over xargs -P2", "at most 1.10",
		fmt.Sprintf("%.3f (median of %d pairs, %.3f to %.3f)", median, pairs, ratios[0], ratios[pairs-1]), median <= 1.10}}, nil
}

func timed(folder, program string, args ...string) (time.Duration, error) {
	command := exec.Command(program, args...)
	command.Dir = folder
	began := time.Now()
	out, err := command.CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("%s: %w: %s", program, err, out)
	}
	return time.Since(began), nil
}

func waitForFile(path string) error {
	for range 2000 {
		if _, err := os.Stat(path); err == nil {
			return nil
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("%s did not appear", path)
}
