package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/chromedp/chromedp"
)

// triedByHand are the examples on which sliders are moved: one of formulas, and the demo with its program.
var triedByHand = []string{"winch", "zipline"}

// whatIf measures how fast what is tried by hand follows a slider: answers a second to the browser on formulas, and the time from a movement until the
// values of the page have followed it, with its curves, on the program of the demo.
func whatIf(ctx context.Context, programs, folder string) ([]figure, error) {
	data := filepath.Join(folder, "data")
	page, base, end, err := browse(ctx, programs, data, 900)
	if err != nil {
		return nil, err
	}
	defer end()
	var figures []figure
	for _, example := range triedByHand {
		place := filepath.Join(folder, example)
		if err := os.CopyFS(place, os.DirFS(filepath.Join("examples", example))); err != nil {
			return nil, err
		}
		files, err := filepath.Glob(filepath.Join(place, "*.bench.yaml"))
		if err != nil || len(files) != 1 {
			return nil, fmt.Errorf("%s has no bench file: %w", example, err)
		}
		try := exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "try", files[0], "--data", data, "--json")
		try.Env = append(os.Environ(), "PATH="+programs+":"+os.Getenv("PATH"))
		if out, err := try.Output(); err != nil && len(out) == 0 {
			return nil, fmt.Errorf("try %s: %w", example, err)
		}
		var took []float64
		for range rounds {
			if err := chromedp.Do(page, chromedp.Navigate(base+"/bench/"+example+"/decide/what-if")); err != nil {
				return nil, err
			}
			ms, err := chromedp.Run(page, chromedp.Evaluate[float64](slideScript, awaited))
			if err != nil {
				return nil, fmt.Errorf("%s: %w", example, err)
			}
			took = append(took, ms)
		}
		ms := median(took)
		if example == "zipline" {
			figures = append(figures, figure{name: "what if on the zip line: from slider to values and curves on the page", asked: "under 100 ms", measured: fmt.Sprintf("%.0f ms (median of %d times %d movements)", ms, rounds, slides), reached: ms < 100})
			continue
		}
		answers, err := chromedp.Run(page, chromedp.Evaluate[float64](fmt.Sprintf(answersScript, example), awaited))
		if err != nil {
			return nil, err
		}
		figures = append(figures, figure{name: "what if on formulas (winch): answers to the browser in a second", asked: "60", measured: fmt.Sprintf("%.0f, one after the other; %.0f ms from slider to values on the page", answers, ms), reached: answers >= 60})
	}
	return figures, nil
}

const slides = 20 // movements of a slider in one round

// slideScript moves the first slider step by step, and waits each time until the page has followed; the mean of that, in milliseconds.
const slideScript = `(async () => {
  const frame = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
  const table = () => [...document.querySelectorAll('main .panel')].find((p) => p.textContent.includes('By the solver'))?.innerText ?? ''
  while (!table().includes('margin')) await frame()
  for (let i = 0; i < 20; i++) await frame()
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set
  let sum = 0
  for (let i = 0; i < 20; i++) {
    const slider = document.querySelector('input[type=range]')
    const before = table()
    const began = performance.now()
    set.call(slider, String(Number(slider.value) + 1))
    slider.dispatchEvent(new Event('input', { bubbles: true }))
    while (table() === before) {
      if (performance.now() - began > 5000) throw new Error('the page does not follow')
      await frame()
    }
    await frame()
    sum += performance.now() - began
  }
  return sum / 20
})()`

// answersScript asks for designs one after the other for a second.
const answersScript = `(async () => {
  const began = performance.now()
  let count = 0
  const slider = document.querySelector('input[type=range]')
  const [name, ...rest] = slider.getAttribute('aria-label').split(', ')
  const field = document.querySelector('input[aria-label="' + name + ' as a number"]')
  while (performance.now() - began < 1000) {
    const answer = await fetch('/v1/benches/%s/what-if', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ design: { [name]: Number(field.value) * (1 - 1e-6 * count) } }) })
    if (!answer.ok) throw new Error(await answer.text())
    await answer.json()
    count++
  }
  return count
})()`
