package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"ropebench/client"
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
	end, err := serveTwo(ctx, programs, data)
	if err != nil {
		return nil, err
	}
	defer end()
	var whole []float64
	for range rounds {
		took, err := timed(folder, filepath.Join(programs, "ropebench"), "run", file, "all", "--fresh", "--data", data)
		if err != nil {
			return nil, err
		}
		whole = append(whole, 1000/took.Seconds())
	}
	c, err := client.Find(data)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	runs, err := c.Runs(ctx, "", rounds)
	if err != nil {
		return nil, err
	}
	var atWork []float64
	for _, run := range runs {
		atWork = append(atWork, 1000/run.Elapsed)
	}
	const least = 2000
	rate := median(atWork)
	return []figure{{name: "1,000 evaluations of a model in Python that stays, 2 slots, with the start of both interpreters", asked: fmt.Sprintf("at least %d a second", least),
		measured: fmt.Sprintf("%.0f (median of %d); %.0f over the whole command", rate, rounds, median(whole)), reached: rate >= least}}, nil
}
