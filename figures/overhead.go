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
	ratios, err := againstShell(ctx, programs, folder, file, "all", 400, "seq 400 | xargs -P2 -n1 "+program)
	if err != nil {
		return nil, err
	}
	return []figure{overShell("400 evaluations of 50 ms, 2 slots, over xargs -P2", 1.10, ratios)}, nil
}

func overShell(name string, most float64, ratios []float64) figure {
	median := ratios[pairs/2]
	return figure{name: name, asked: fmt.Sprintf("at most %.2f", most), measured: fmt.Sprintf("%.3f (median of %d pairs, %.3f to %.3f)", median, pairs, ratios[0], ratios[pairs-1]), reached: median <= most}
}

// againstShell times a study of a bench with 2 slots and a shell loop over its program in turn, and gives the ratios in
// ascending order.
func againstShell(ctx context.Context, programs, folder, file, study string, evaluations int, shell string) ([]float64, error) {
	data := filepath.Join(folder, "data")
	end, err := serveTwo(ctx, programs, data)
	if err != nil {
		return nil, err
	}
	defer end()
	var ratios []float64
	for pair := range pairs {
		plain, err := timed(folder, "sh", "-c", shell)
		if err != nil {
			return nil, err
		}
		ours, err := timed(folder, filepath.Join(programs, "ropebench"), "run", file, study, "--fresh", "--seed", strconv.Itoa(pair+1), "--evaluations", strconv.Itoa(evaluations), "--data", data)
		if err != nil {
			return nil, err
		}
		ratios = append(ratios, ours.Seconds()/plain.Seconds())
	}
	slices.Sort(ratios)
	return ratios, nil
}

// serveTwo starts a service with two slots; end ends it.
func serveTwo(ctx context.Context, programs, data string) (end func(), err error) {
	service := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "serve", "--slots", "2", "--data", data)
	if err := service.Start(); err != nil {
		return nil, err
	}
	end = func() {
		_ = service.Process.Signal(os.Interrupt) // measured already
		_ = service.Wait()
	}
	if err := waitForFile(filepath.Join(data, "service.json")); err != nil {
		end()
		return nil, err
	}
	return end, nil
}

// bracket compares 1,000 evaluations of the sheave bracket with a loop that only starts ccx as often.
func bracket(ctx context.Context, programs, folder string) ([]figure, error) {
	if err := os.CopyFS(folder, os.DirFS(filepath.Join("examples", "sheave-bracket"))); err != nil {
		return nil, fmt.Errorf("figures are measured in the folder of the project: %w", err)
	}
	deck, err := os.ReadFile(filepath.Join(folder, "bracket.inp"))
	if err != nil {
		return nil, err
	}
	for _, name := range []string{"one.inp", "two.inp"} { // so that two at a time write files of their own
		if err := os.WriteFile(filepath.Join(folder, name), deck, 0o644); err != nil {
			return nil, err
		}
	}
	loop := "for i in $(seq 500); do echo one; echo two; done | OMP_NUM_THREADS=1 xargs -P2 -n1 ccx > loop.log"
	ratios, err := againstShell(ctx, programs, folder, filepath.Join(folder, "bracket.bench.yaml"), "look", 1000, loop)
	if err != nil {
		return nil, err
	}
	return []figure{overShell("1,000 evaluations of sheave-bracket, 2 slots, over xargs -P2 ccx", 1.25, ratios)}, nil
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
