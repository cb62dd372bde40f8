package main

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"

	"ropebench/bench/read"
	"ropebench/core/dynamics"
)

// swing solves the equations of the hoist-swing example at its accuracy, and far finer.
func swing(ctx context.Context, _, _ string) ([]figure, error) {
	path := filepath.Join("examples", "hoist-swing", "hoist-swing.bench.yaml")
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("figures are measured in the folder of the project: %w", err)
	}
	b, err := read.Read(path, text)
	if err != nil {
		return nil, err
	}
	system := b.System()
	model, err := dynamics.Compile(system)
	if err != nil {
		return nil, err
	}
	system.Relative, system.Absolute = 1e-12, 1e-14
	fine, err := dynamics.Compile(system)
	if err != nil {
		return nil, err
	}
	row := b.NominalRow()
	solution, err := model.Solve(ctx, row)
	if err != nil {
		return nil, err
	}
	reference, err := fine.Solve(ctx, row)
	if err != nil {
		return nil, err
	}
	worst := 0.0
	for c := range solution.Curves {
		for i, y := range reference.Curves[c].Y {
			worst = math.Max(worst, math.Abs(solution.Curves[c].Y[i]-y))
		}
	}
	took := paces(20, func() { _, err = model.Solve(ctx, row) })[0] / 1e6
	if err != nil {
		return nil, err
	}
	return []figure{
		{name: "hoist-swing at 1e-8, against 1e-12", asked: "within 1e-7", measured: fmt.Sprintf("%.1e", worst), reached: worst <= 1e-7},
		{name: "hoist-swing at 1e-8, one solution", asked: "under 2 ms", measured: fmt.Sprintf("%.2f ms (%d steps)", took, solution.Steps), reached: took < 2},
	}, nil
}
