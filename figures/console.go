package main

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/client"
	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/dispatch"
	"ropebench/result"
	"ropebench/solver"
	"ropebench/store"
	"ropebench/study"
)

const (
	shownRows    = 20_000
	shownColumns = 40 // two inputs, and what stands beside them in every table, included
)

// manyColumns is a bench whose table has so many columns.
func manyColumns() string {
	var formulas strings.Builder
	for i := range shownColumns - 6 {
		fmt.Fprintf(&formulas, "    v%d: a*%d + sin(b)\n", i, i+1)
	}
	return "bench: 1\ntitle: Many columns\ninputs:\n  a: {nominal: 1, range: [0, 9]}\n  b: {nominal: 2, range: [0, 9]}\nsolver:\n  formulas:\n" + formulas.String() +
		"requirements:\n  R1: {of: v0, at_most: 6}\nstudies:\n  many: {kind: optimize, minimize: v1, budget: {evaluations: 20000}}\n"
}

// consolePage measures what the browser does with many evaluations, committed one by one: from the database to its table,
// and one selection in three figures.
func consolePage(ctx context.Context, programs, folder string) ([]figure, error) {
	data := filepath.Join(folder, "data")
	if err := manyEvaluations(data, folder, shownRows); err != nil {
		return nil, err
	}
	page, base, end, err := browse(ctx, programs, data, 1600)
	if err != nil {
		return nil, err
	}
	defer end()
	var tables, selections []float64
	for range rounds {
		// A place without the table first, so that every round asks the database.
		if err := chromedp.Do(page, chromedp.Navigate(base+"/bench/many/decide"), chromedp.Sleep(time.Second)); err != nil {
			return nil, err
		}
		took, err := chromedp.Run(page, chromedp.Evaluate[float64](tableScript, awaited))
		if err != nil {
			return nil, err
		}
		tables = append(tables, took)
		if took, err = chromedp.Run(page, chromedp.Evaluate[float64](selectScript, awaited)); err != nil {
			return nil, err
		}
		selections = append(selections, took)
	}
	table, selection := median(tables), median(selections)
	return []figure{
		{name: fmt.Sprintf("%d evaluations of %d columns, from the database to the browser's table", shownRows, shownColumns), asked: "under 0.5 s", measured: fmt.Sprintf("%.2f s (median of %d)", table/1000, rounds), reached: table < 500},
		{name: fmt.Sprintf("one selection in three figures of %d marks", shownRows), asked: "under 100 ms", measured: fmt.Sprintf("%.0f ms (median of %d)", selection, rounds), reached: selection < 100},
	}, nil
}

// paintScript is the time from the navigation to the first frame with a panel of the place in it, in milliseconds.
const paintScript = `(async () => {
  while (!document.querySelector('main .panel')) await new Promise((done) => requestAnimationFrame(done))
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
  return performance.now()
})()`

// paintedRows is how many evaluations the run has whose bench is painted.
const paintedRows = 25_000

// firstPaint measures how long each place of the console takes to show its first panel, of a bench with a run of many evaluations.
func firstPaint(ctx context.Context, programs, folder string) ([]figure, error) {
	data := filepath.Join(folder, "data")
	if err := manyEvaluations(data, folder, paintedRows); err != nil {
		return nil, err
	}
	page, base, end, err := browse(ctx, programs, data, 800)
	if err != nil {
		return nil, err
	}
	defer end()
	slowest, at := 0.0, ""
	for _, place := range []string{"model", "model/files", "model/revisions", "improve/1", "decide", "prove", "explore"} {
		var took []float64
		for range rounds {
			if err := chromedp.Do(page, chromedp.Navigate(base+"/bench/many/"+place)); err != nil {
				return nil, err
			}
			one, err := chromedp.Run(page, chromedp.Evaluate[float64](paintScript, awaited))
			if err != nil {
				return nil, err
			}
			took = append(took, one)
		}
		if m := median(took); m > slowest {
			slowest, at = m, place
		}
	}
	return []figure{{name: fmt.Sprintf("first paint of every place, %d evaluations of %d columns", paintedRows, shownColumns), asked: "under 1 s",
		measured: fmt.Sprintf("%.2f s at most, %s (median of %d)", slowest/1000, at, rounds), reached: slowest < 1000}}, nil
}

// awaited lets a script take its time.
func awaited(p *runtime.EvaluateParams) { p.AwaitPromise = new(true) }

// browse opens the console of a service of its own in a browser; base is its address, and end ends both.
func browse(ctx context.Context, programs, data string, height int) (page context.Context, base string, end func(), err error) {
	service, link, err := serveWithLink(ctx, programs, data)
	if err != nil {
		return nil, "", nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"), chromedp.WindowSize(1280, height))
	allocator, endAllocator := chromedp.NewExecAllocator(ctx, options...)
	page, endBrowser := chromedp.NewContext(allocator)
	end = func() {
		endBrowser()
		endAllocator()
		_ = service.Process.Signal(os.Interrupt) // measured already
		_ = service.Wait()
	}
	if err := chromedp.Do(page, chromedp.Navigate(link), chromedp.Sleep(time.Second)); err != nil {
		end()
		return nil, "", nil, err
	}
	return page, link[:strings.Index(link, "/open")], end, nil
}

// serveWithLink starts a service, and returns a link to its console.
func serveWithLink(ctx context.Context, programs, data string) (service *exec.Cmd, link string, err error) {
	service = exec.CommandContext(ctx, filepath.Join(programs, "ropebench"), "serve", "--data", data)
	if err := service.Start(); err != nil {
		return nil, "", err
	}
	limited, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	c, err := client.WaitUntilReady(limited, data)
	if err == nil {
		defer c.Close()
		link, err = c.Link(ctx)
	}
	if err != nil {
		err = errors.Join(err, service.Process.Kill(), service.Wait())
	}
	return service, link, err
}

// median sorts the values.
func median(values []float64) float64 {
	slices.Sort(values)
	return values[len(values)/2]
}

// tableScript goes to the run and waits until its table is there and drawn.
const tableScript = `(async () => {
  const began = performance.now()
  history.pushState({}, '', '/bench/many/improve/1')
  window.dispatchEvent(new PopStateEvent('popstate', { state: {} }))
  while (!document.body.textContent.includes('of 20,000, ') && !document.body.textContent.includes('of 20,000;')) await new Promise((done) => requestAnimationFrame(done))
  return performance.now() - began
})()`

// selectScript draws a rectangle in the first figure, and waits for the frame that shows the selection.
const selectScript = `(async () => {
  const frame = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done)))
  for (let i = 0; i < 20; i++) await frame()
  const over = document.querySelectorAll('.figure .u-over')[0]
  const box = over.getBoundingClientRect()
  const at = (type, x, y, on) => on.dispatchEvent(new MouseEvent(type, { bubbles: true, clientX: box.left + x * box.width, clientY: box.top + y * box.height, movementX: 9, movementY: 9, button: 0, buttons: 1, view: window }))
  at('mousemove', 0.4, 0.2, over)
  at('mousedown', 0.4, 0.2, over)
  at('mousemove', 0.6, 0.9, over)
  await frame()
  const began = performance.now()
  at('mouseup', 0.6, 0.9, document)
  await frame()
  const took = performance.now() - began
  if (!document.body.textContent.includes('selected')) throw new Error('nothing was selected')
  return took
})()`

// manyEvaluations writes a finished run of many evaluations down, each by itself.
func manyEvaluations(data, folder string, rows int) error {
	s, err := store.Open(data)
	if err != nil {
		return err
	}
	defer s.Close()
	file := filepath.Join(folder, "many"+bench.Suffix)
	if err := os.WriteFile(file, []byte(manyColumns()), 0o644); err != nil {
		return err
	}
	b, content, err := read.Load(file)
	if err != nil {
		return err
	}
	saved, err := s.SaveRevision("many", folder, b.Title, content)
	if err != nil {
		return err
	}
	asked, err := study.Ask(b, study.Question{Study: "many", Seed: 1})
	if err != nil {
		return err
	}
	run := study.Run{Bench: "many", Revision: saved.Revision, Question: study.Question{Kind: "optimize", Study: "many", Seed: 1}, State: study.Finished, Reason: "made for a measurement",
		Budget: rows, Layout: asked.Model.Layout, Created: time.Now(), Counts: result.Counts{Evaluations: rows, Usable: rows}}
	if err := s.CreateRun(&run); err != nil {
		return err
	}
	journal := s.Journal(run.ID, solver.Key{}, false)
	for i, point := range plan.Draw(plan.NewRand(1), rows, 2) {
		record := dispatch.Record{Number: i + 1, State: core.OK, Design: []float64{9 * point[0], 9 * point[1]}, At: time.Now()}
		for _, column := range asked.Model.Names() {
			factor := 0.0
			_, _ = fmt.Sscanf(column, "v%g", &factor)
			record.Values = append(record.Values, record.Design[0]*(factor+1)+math.Sin(record.Design[1]))
		}
		if err := journal.Append([]dispatch.Record{record}); err != nil {
			return err
		}
	}
	return nil
}
