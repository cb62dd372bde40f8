package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
)

const askedBench = `bench: 1
inputs: {x: {nominal: 1, range: [0, 5]}, y: {nominal: 2, range: [0, 5]}}
solver:
  files: [model.py]
  steps: [{ask: [python3, model.py]}]
outputs: {f: {answer: /f}}
studies: {all: {kind: sample, plan: random, points: 1000}}
`

const askedModel = `import json, sys
for line in sys.stdin:
    question = json.loads(line)
    i = question["params"]["inputs"]
    print(json.dumps({"jsonrpc": "2.0", "id": question["id"], "result": {"outputs": {"f": i["x"] * i["y"]}}}), flush=True)
`

// asked counts the evaluations of a trivial model in Python that stays, 2 slots, as the run itself has measured it, with the start of
// both interpreters.
func asked(ctx context.Context, programs, folder string) ([]figure, error) {
	file := filepath.Join(folder, "asked.bench.yaml")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	for name, text := range map[string]string{file: askedBench, filepath.Join(folder, "model.py"): askedModel} {
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			return nil, err
		}
	}
	data := filepath.Join(folder, "data")
	service := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "serve", "--slots", "2", "--data", data)
	if err := service.Start(); err != nil {
		return nil, err
	}
	defer func() { _ = service.Process.Signal(os.Interrupt); _ = service.Wait() }() // measured already
	if err := waitForFile(filepath.Join(data, "service.json")); err != nil {
		return nil, err
	}
	var rates []float64
	for range pairs {
		took, err := timed(folder, filepath.Join(programs, "ropebench"), "run", file, "all", "--fresh", "--data", data)
		if err != nil {
			return nil, err
		}
		rates = append(rates, 1000/took.Seconds())
	}
	slices.Sort(rates)
	const least = 2000
	median := rates[pairs/2]
	return []figure{{name: "1,000 evaluations of a model in Python that stays, 2 slots, whole command", asked: fmt.Sprintf("at least %d a second", least),
		measured: fmt.Sprintf("%.0f (median of %d, %.0f to %.0f)", median, pairs, rates[0], rates[pairs-1]), reached: median >= least}}, nil
}
