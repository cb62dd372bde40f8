package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/chromedp/chromedp"
)

// exploredColumns is a bench whose designs have twelve columns.
func exploredColumns() string {
	var inputs, formulas strings.Builder
	for i := range 6 {
		fmt.Fprintf(&inputs, "  a%d: {nominal: 1, range: [0, 9]}\n", i)
		fmt.Fprintf(&formulas, "    f%d: a%d*a%d + sin(a%d)\n", i, i, (i+1)%6, (i+2)%6)
	}
	return "bench: 1\ntitle: Twelve columns\ninputs:\n" + inputs.String() + "solver:\n  formulas:\n" + formulas.String() +
		"requirements:\n  R1: {of: f0, at_most: 30}\nstudies:\n  many: {kind: sample, plan: random, points: 20000}\n"
}

// explorePage measures the page of designs of a large sample: until it is there, and one brush along an axis that is shown in all its figures.
func explorePage(ctx context.Context, programs, folder string) ([]figure, error) {
	file, data := filepath.Join(folder, "twelve.bench.yaml"), filepath.Join(folder, "data")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	if err := os.WriteFile(file, []byte(exploredColumns()), 0o644); err != nil {
		return nil, err
	}
	page, base, end, err := browse(ctx, programs, data, 900)
	if err != nil {
		return nil, err
	}
	defer end()
	if out, err := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "run", file, "many", "--data", data).CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w: %s", err, out)
	}
	var loads, brushes []float64
	for range rounds {
		if err := chromedp.Do(page, chromedp.Navigate(base+"/bench/twelve/explore/1/designs")); err != nil {
			return nil, err
		}
		took, err := chromedp.Run(page, chromedp.Evaluate[float64](designsScript, awaited))
		if err != nil {
			return nil, err
		}
		loads = append(loads, took)
		if took, err = chromedp.Run(page, chromedp.Evaluate[float64](brushScript, awaited)); err != nil {
			return nil, err
		}
		brushes = append(brushes, took)
	}
	load, brush := median(loads), median(brushes)
	return []figure{
		{name: "Explore with 20,000 designs of 12 columns: from the navigation to its table and figures", asked: "under 2 s", measured: fmt.Sprintf("%.2f s (median of %d)", load/1000, rounds), reached: load < 2000},
		{name: "one brush along an axis, shown in all its figures", asked: "under 100 ms", measured: fmt.Sprintf("%.0f ms (median of %d)", brush, rounds), reached: brush < 100},
	}, nil
}

// designsScript is the time from the navigation until the table and every figure of the page are drawn, in milliseconds.
const designsScript = `(async () => {
  const drawn = () => document.body.textContent.includes('of 20,000, ') || document.body.textContent.includes('of 20,000;')
  while (!drawn() || document.querySelectorAll('.figure .u-over').length < 18) await new Promise((done) => requestAnimationFrame(done))
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
  return performance.now()
})()`

// brushScript draws along the third axis of the parallel coordinates, and waits for the frame that shows what is selected.
const brushScript = `(async () => {
  const frame = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
  for (let i = 0; i < 20; i++) await frame()
  const figure = document.querySelector('.parallel')
  const box = figure.getBoundingClientRect()
  figure.setPointerCapture = () => undefined
  const x = box.left + 46 + ((box.width - 92) * 2) / 11
  const at = (type, y) => figure.dispatchEvent(new PointerEvent(type, { bubbles: true, pointerId: 1, clientX: x, clientY: box.top + y, button: 0, buttons: 1 }))
  at('pointerdown', 90)
  await frame()
  at('pointermove', 150)
  await frame()
  const began = performance.now()
  at('pointerup', 150)
  await frame()
  const took = performance.now() - began
  if (!/[1-9][\d,]* selected/.test(document.body.textContent)) throw new Error('nothing was selected')
  return took
})()`
