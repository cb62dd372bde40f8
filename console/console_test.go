package console_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/client"
	"ropebench/console"
	"ropebench/service"
)

// The spring balance: quick, external, with a curve, a guessed end that holds the optimum, and a missed requirement.
const balance = `bench: 1
title: Spring balance
inputs:
  rate:  {label: Spring rate, unit: N/mm, nominal: 2, range: [1, 8], ends: [hard, guess]}
  coils: {nominal: 6, range: [3, 12], step: 1}
  load:  {unit: N, nominal: 40}
solver:
  steps:
    - run: [sh, -c, "sleep 0.01; awk -v k=@[rate] -v n=@[coils] -v f=@[load] 'BEGIN{s=f/k; printf \"SAG %f\\nMASS %f\\n\", s, n*0.05+k*0.02; print \"x,y\" > \"c.csv\"; for(i=0;i<=10;i++) printf \"%f,%f\\n\", i/10, s*i/10 > \"c.csv\"}' > out"]
outputs:
  sag:  {label: Sag, unit: mm, file: out, match: 'SAG (\S+)'}
  mass: {label: Mass, unit: kg, file: out, match: 'MASS (\S+)'}
  way:  {label: Way, unit: mm, file: c.csv, curve: {x: x, x_unit: s, y: y}}
requirements:
  R1: {says: It sags little, of: sag, at_most: 15}
  R2: {says: It is light, of: mass, at_most: 2, wish: true}
studies:
  stiff: {kind: optimize, minimize: sag, budget: {evaluations: 60}}
  look:  {kind: sample, points: 10}
`

// A page is a browser on a service with the spring balance.
type page struct {
	context.Context
	t       *testing.T
	service *service.Service
	client  *client.Client
	file    string
}

func open(t *testing.T) *page {
	browser, err := chromium()
	require.NoError(t, err)
	files, err := console.Files()
	require.NoError(t, err)
	folder := t.TempDir()
	s, err := service.Start(service.Config{Data: filepath.Join(folder, "data"), Slots: 2, Path: os.Getenv("PATH"), Version: "test", Console: files})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(browser), chromedp.WindowSize(1280, 900))
	allocator, endAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(endAllocator)
	ctx, endBrowser := chromedp.NewContext(allocator)
	t.Cleanup(endBrowser)
	limited, cancel := context.WithTimeout(ctx, 90*time.Second)
	t.Cleanup(cancel)
	token, err := os.ReadFile(filepath.Join(folder, "data", "token"))
	require.NoError(t, err)
	c := client.New(s.URL(), strings.TrimSpace(string(token)))
	t.Cleanup(c.Close)
	return &page{Context: limited, t: t, service: s, client: c, file: filepath.Join(folder, "balance.bench.yaml")}
}

func chromium() (string, error) {
	for _, path := range []string{"/usr/bin/chromium", "/usr/bin/chromium-browser"} {
		if _, err := os.Stat(path); err == nil {
			return path, nil
		}
	}
	return "", fmt.Errorf("Chromium is missing: install it with `sudo apt-get install -y chromium`")
}

// load puts the bench into the service.
func (p *page) load(text string) {
	require.NoError(p.t, os.WriteFile(p.file, []byte(text), 0o644))
	_, err := p.client.PutBench(p.t.Context(), "balance", p.file)
	require.NoError(p.t, err)
}

func (p *page) goTo(address string) { require.NoError(p.t, chromedp.Do(p, chromedp.Navigate(address))) }

// text is what the page shows.
func (p *page) text() string {
	text, err := chromedp.Run(p, chromedp.Evaluate[string]("document.body.innerText"))
	require.NoError(p.t, err)
	return text
}

// sees waits until the page shows some words.
func (p *page) sees(words ...string) {
	for _, w := range words {
		if !assert.Eventually(p.t, func() bool { return strings.Contains(p.text(), w) }, time.Minute, 30*time.Millisecond, w) {
			p.t.Fatalf("the page does not show %q, but:\n%s", w, p.text())
		}
	}
}

// count is how many elements match a selector.
func (p *page) count(selector string) int {
	n, err := chromedp.Run(p, chromedp.Evaluate[int](fmt.Sprintf("document.querySelectorAll(%q).length", selector)))
	require.NoError(p.t, err)
	return n
}

func (p *page) draws(selector string, least int) {
	require.Eventually(p.t, func() bool { return p.count(selector) >= least }, time.Minute, 30*time.Millisecond, selector)
}

// press clicks the button with these words.
func (p *page) press(words string) {
	script := fmt.Sprintf("(() => { const b = [...document.querySelectorAll('button')].filter(b => b.textContent.trim() === %q && !b.disabled).at(-1); b?.click(); return !!b })()", words)
	require.Eventually(p.t, func() bool {
		pressed, err := chromedp.Run(p, chromedp.Evaluate[bool](script))
		return err == nil && pressed
	}, time.Minute, 30*time.Millisecond, "press %s", words)
}

func TestFromTheModelToTheVerdict(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("Spring balance", "live", "The problem in words", "sag is at most 15 mm", "It was not evaluated on this revision yet")
	p.press("Evaluate")
	p.sees("1 of 1 requirements is missed", "missed", "20 mm", "11 samples")
	p.draws(".figure canvas", 1)

	p.goTo(p.service.URL() + "/bench/balance/improve")
	p.sees("No run yet")
	p.press("Start a study")
	p.sees("Inputs in this run")
	p.press("Start")
	p.sees("of 60", "finished: ", "the optimum is held by your guess of 8 N/mm: widen it?", "5 mm, nominal 20")
	p.draws(".figure .u-over", 4)
	p.draws(".points tbody tr", 12)

	p.goTo(p.service.URL() + "/bench/balance/prove")
	p.press("Verify the best of run 2")
	p.sees("Every requirement is met.", "Inputs, before and after", "at its guessed upper end", "Moved, though nobody asked", "No other value moved by more than 5 %")

	p.goTo(p.service.URL() + "/bench/balance/explore")
	p.sees("Which input matters for what")

	p.goTo(p.service.URL() + "/bench/balance/decide")
	p.sees("change from nominal", "−75 %", "None was picked yet")
	p.writes("name", "short")
	p.writes("because", "it sags least")
	p.press("Pick")
	p.sees("it sags least", "withdraw")
	picked, err := p.client.Candidates(t.Context(), "balance")
	require.NoError(t, err)
	require.Len(t, picked, 1)
	assert.Equal(t, []any{"short", 2}, []any{picked[0].Name, picked[0].Run})
	p.press("verify")
	p.sees("Every requirement is met.", "as a file:")
	p.press("Look around")
	p.sees("Around it", "R1 would be lost by rate -")
	p.goTo(p.service.URL() + "/bench/balance/decide/runs")
	p.sees("Runs side by side", "the best of them: ", "seed 1", "within 1 % of the best", "Their best designs side by side")
	p.goTo(p.service.URL() + "/bench/balance/decide/what-if")
	p.sees("Turn the inputs", "1 of 1 requirements is missed", "rate by +0.07 N/mm gives R1 about")
	p.writes("rate, N/mm", "400")
	p.sees("Every requirement is met.", "5 mm", "(at the end of its range)")
	p.press("Undo")
	p.sees("1 of 1 requirements is missed")
	p.writes("rate, N/mm", "400")
	p.writes("name", "stiff")
	p.press("Keep")
	p.sees("stiff is kept as evaluation 1 of run ")
	require.NoError(t, p.client.Withdraw(t.Context(), "balance", "stiff"))
	p.goTo(p.service.URL() + "/v1/benches/balance/report?candidate=short")
	p.sees("Spring balance: short", "Shown to meet the one requirement.", "It was picked for this reason: it sags least.", "How to repeat it")
	p.goTo(p.service.URL() + "/bench/balance/decide")
	p.sees("it sags least")
	p.press("withdraw")
	p.sees("None was picked yet")
}

func TestARunIsWatchedLiveAndStopped(t *testing.T) {
	p := open(t)
	p.load(strings.Replace(balance, "sleep 0.01", "sleep 0.1", 1))
	p.goTo(p.service.Link())
	p.sees("live")
	p.goTo(p.service.URL() + "/bench/balance/improve")
	p.sees("No run yet")
	run, err := p.client.Start(t.Context(), "balance", api.Order{Study: "stiff", Evaluations: 500})
	require.NoError(t, err)
	p.sees("running", "of 500", "Stop, keep best", "left")
	before := p.count(".points tbody tr")
	require.Eventually(t, func() bool { return p.count(".points tbody tr") > before }, time.Minute, 50*time.Millisecond, "the table grows by itself")
	p.press("Pause")
	p.sees("paused: by hand")
	p.press("Resume")
	p.press("Stop, keep best")
	p.sees("stopped: by hand, with the best found so far")
	ended, err := p.client.Run(t.Context(), run.ID)
	require.NoError(t, err)
	assert.Equal(t, "stopped", ended.State)
}

func TestTheConsoleSaysWhatIsInTheWay(t *testing.T) {
	p := open(t)
	p.goTo(p.service.URL())
	p.sees("This browser has no key", "ropebench link")
	p.goTo(p.service.Link())
	p.sees("No bench yet", "ropebench try my.bench.yaml")
	p.load(balance)
	p.goTo(p.service.URL())
	p.sees("Spring balance")
	require.NoError(t, os.WriteFile(p.file, []byte(strings.Replace(balance, "range: [1, 8]", "range: [8, 1]", 1)), 0o644))
	p.goTo(p.service.URL())
	p.sees("Mistakes in the files as they are now", "balance.bench.yaml, line 4", "upside down: write [1, 8]")
	p.press("Evaluate")
	p.sees("upside down")
	p.load(strings.Replace(balance, "at_most: 15", "at_most: 16", 1))
	p.sees("sag is at most 16 mm") // by itself
	require.NoError(t, p.service.Close())
	p.sees("not connected")
}

func TestANumberOfADeckBecomesAnInput(t *testing.T) {
	p := open(t)
	deck := "*SECTION\n8.0, 5\n1, 7.5\n2, 7.5\n"
	require.NoError(t, os.WriteFile(filepath.Join(filepath.Dir(p.file), "plate.inp"), []byte(deck), 0o644))
	p.load("bench: 1\ninputs:\n  load: {nominal: 3}\nsolver:\n  steps:\n    - fill: plate.inp\n    - run: [\"true\"]\n")
	p.goTo(p.service.Link())
	p.sees("live")
	p.goTo(p.service.URL() + "/bench/balance/model/decks")
	p.sees("*SECTION", "Click a number")
	p.press("7.5")
	p.sees("A new input: nominal 7.5", "and every other 7.5 in this column of the file, of which 1 is on the lines shown")
	fill := `(() => { const i = document.getElementById('input-name'); Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, 'gap');
		i.dispatchEvent(new Event('input', {bubbles: true})); document.getElementById('take-others').click(); return true })()`
	_, err := chromedp.Run(p, chromedp.Evaluate[bool](fill))
	require.NoError(t, err)
	p.press("8.0") // another one meanwhile: the page stays
	p.sees("A new input: nominal 8")
	p.press("7.5")
	p.sees("A new input: nominal 7.5")
	_, err = chromedp.Run(p, chromedp.Evaluate[bool](fill))
	require.NoError(t, err)
	p.press("Take")
	p.draws(".number.taken", 2)
	text, err := os.ReadFile(p.file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "  gap: {nominal: 7.5, range: 20%}\n")
	assert.Contains(t, string(text), "        gap: {lines: [3, 4], field: 2}\n")
	p.goTo(p.service.URL() + "/bench/balance/model")
	p.sees("6 to 9, both ends guessed")
	p.goTo(p.service.URL() + "/bench/balance/model/revisions")
	p.sees("input gap is new")
}

// TestANumberOfTheResultsBecomesAnOutput by clicks: the file, the number, the way, the name.
func TestANumberOfTheResultsBecomesAnOutput(t *testing.T) {
	p := open(t)
	p.load("bench: 1\ninputs: {load: {nominal: 3}}\nsolver:\n  steps:\n    - run: [sh, -c, \"echo 'CLEAR DISTANCE 12.5 m'; echo 'MASS 7 kg'\"]\n      stdout: run.log\n")
	p.goTo(p.service.Link())
	p.sees("live")
	p.goTo(p.service.URL() + "/bench/balance/model/results")
	p.sees("no evaluation of balance has left files")
	p.evaluated(api.Order{Study: "try"})
	p.sees("CLEAR DISTANCE", "Click a number")                                                             // by itself
	p.evaluates(`[...document.querySelectorAll('.deck button')].map((b) => b.tabIndex).join() === '0,-1'`) // one stop, though the line begins with a word
	p.press("12.5")
	p.sees("in run.log, where a line matches CLEAR", "12.5", "file: run.log, match:")
	p.press("7")
	p.sees("where a line matches MASS")
	p.evaluates(`(() => { const set = (id, text) => { const i = document.getElementById(id); if (!i) return false; Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, text);
		i.dispatchEvent(new Event('input', {bubbles: true})); return true }; return set('output-name', 'mass') && set('output-unit', 'kg') })()`)
	p.press("Make it an output")
	p.sees("run.log, 32 B: mass")
	text, err := os.ReadFile(p.file)
	require.NoError(t, err)
	assert.Contains(t, string(text), "outputs:\n  mass: {unit: \"kg\", file: run.log, match: 'MASS\\s+(\\S+)'}\n")
}

func TestDarkThemeIsKept(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("live")
	theme := func() string {
		value, err := chromedp.Run(p, chromedp.Evaluate[string]("document.documentElement.dataset.bsTheme"))
		require.NoError(t, err)
		return value
	}
	assert.Equal(t, "light", theme())
	p.press("☾")
	require.Eventually(t, func() bool { return theme() == "dark" }, time.Minute, 20*time.Millisecond)
	p.goTo(p.service.URL())
	p.sees("live")
	assert.Equal(t, "dark", theme())
}

// What a bench calls things is text on every page and in every figure, whatever it looks like.
func TestLabelsAreText(t *testing.T) {
	p := open(t)
	const mark = `<img src=x onerror=document.title=\"taken\"><a class=foreign href=//x.example>go</a>`
	text := balance
	for _, label := range []string{"Sag", "Mass", "Way"} {
		text = strings.Replace(text, "label: "+label, `label: "`+label+` `+mark+`"`, 1)
	}
	text = strings.Replace(text, "says: It sags little", `says: "`+mark+`"`, 1)
	text = strings.Replace(text, "unit: N/mm", `unit: "<b class=foreign>N</b>"`, 1)
	require.Contains(t, text, "<b class=foreign>")
	p.load(text)
	p.goTo(p.service.Link())
	p.sees("live")
	p.press("Evaluate")
	p.sees("1 of 1 requirements is missed", "<a class=foreign")
	run, err := p.client.Start(t.Context(), "balance", api.Order{Study: "stiff", Evaluations: 8})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		found, err := p.client.Run(t.Context(), run.ID)
		return err == nil && found.State == "finished"
	}, time.Minute, 20*time.Millisecond)
	for place, shows := range map[string]string{"": "<a class=foreign", "/improve": "<b class=foreign>", "/prove": "Verify the best"} {
		p.goTo(p.service.URL() + "/bench/balance" + place)
		p.sees("live", shows)
		assert.Zero(t, p.count("img[src=x], .foreign, a[href*='x.example']"), place)
	}
	title, err := chromedp.Run(p, chromedp.Evaluate[string]("document.title"))
	require.NoError(t, err)
	assert.NotContains(t, title, "taken")
}
