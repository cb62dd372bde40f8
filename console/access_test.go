package console_test

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
)

// violations are what axe finds on the page as it stands, one line for each.
func (p *page) violations(axe string) []string {
	script := axe + `;window.found = undefined;
		axe.run(document, {resultTypes: ['violations']}).then((r) => { window.found = JSON.stringify(r.violations.map((v) => v.id + ': ' + v.help + ' at ' + v.nodes.slice(0, 3).map((n) => n.html.slice(0, 160) + ' ' + (n.any[0]?.message ?? '')).join(' | '))) }); true`
	_, err := chromedp.Run(p, chromedp.Evaluate[bool](script))
	require.NoError(p.t, err)
	var text string
	require.Eventually(p.t, func() bool {
		text, err = chromedp.Run(p, chromedp.Evaluate[string]("window.found ?? ''"))
		return err == nil && text != ""
	}, time.Minute, 20*time.Millisecond)
	var found []string
	require.NoError(p.t, json.Unmarshal([]byte(text), &found))
	return found
}

// evaluated runs a question to its end.
func (p *page) evaluated(o api.Order) int {
	run, err := p.client.Start(p.t.Context(), "balance", o)
	require.NoError(p.t, err)
	require.Eventually(p.t, func() bool {
		run, err := p.client.Run(p.t.Context(), run.ID)
		return err == nil && !run.AtWork()
	}, time.Minute, 20*time.Millisecond)
	return run.ID
}

// TestEveryPlaceIsAccessibleAndFits holds each place against the rules of axe (WCAG), in both themes, and against three widths of a
// window: nothing is wider than it.
func TestEveryPlaceIsAccessibleAndFits(t *testing.T) {
	p := open(t)
	axe, err := os.ReadFile("node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "make build installs it")
	deck := "*SECTION\n8.0, 5\n1, 7.5\n"
	require.NoError(t, os.WriteFile(strings.Replace(p.file, "balance.bench.yaml", "plate.inp", 1), []byte(deck), 0o644))
	long := strings.Replace(balance, "title: Spring balance", "title: Spring balance of the old fish market with a title that goes on and on, as titles do where somebody was asked to be exact", 1)
	p.load(strings.Replace(long, "  steps:\n", "  steps:\n    - fill: plate.inp\n      put: {load: {lines: 2, field: 2}}\n", 1))
	p.evaluated(api.Order{Study: "try"})
	p.evaluated(api.Order{Study: "look"})
	best := p.evaluated(api.Order{Study: "stiff", Evaluations: 30})
	p.evaluated(api.Order{Study: "verify", Of: &api.Candidate{Run: best}})
	p.goTo(p.service.Link())
	p.sees("live")
	for _, theme := range []string{"light", "dark"} {
		_, err := chromedp.Run(p, chromedp.Evaluate[bool](fmt.Sprintf("localStorage.setItem('theme', %q); true", theme)))
		require.NoError(t, err)
		for _, place := range []struct{ path, shows string }{
			{"model", "The problem in words"}, {"model/decks", "*SECTION"}, {"model/files", "no mistakes"}, {"model/revisions", "revision 1"}, {"model/results", "Click a number to make an output"},
			{"explore/2", "What moves sag"}, {"explore/2/designs", "Scatter matrix"}, {"explore/2/surfaces", "Predicted against computed"}, {"explore/2/curves", "up to 300 of them"}, {fmt.Sprintf("improve/%d", best), "Inputs by evaluation"}, {"decide", "Put beside"}, {"decide/runs", "Their best designs side by side"}, {"decide/what-if", "Turn the inputs"}, {"prove", "Inputs, before and after"},
		} {
			p.goTo(p.service.URL() + "/bench/balance/" + place.path)
			p.sees("live", place.shows)
			assert.Empty(t, p.violations(string(axe)), "%s, %s", place.path, theme)
			for _, width := range []int64{700, 1280, 1920} {
				require.NoError(t, chromedp.Do(p, chromedp.EmulateViewport(width, 800)))
				assert.Eventually(t, func() bool { // figures follow the window in their own time
					wide, err := chromedp.Run(p, chromedp.Evaluate[int64]("document.documentElement.scrollWidth"))
					return err == nil && wide <= width
				}, 10*time.Second, 20*time.Millisecond, "%s at %d pixels", place.path, width)
			}
			require.NoError(t, chromedp.Do(p, chromedp.EmulateViewport(1280, 900)))
		}
	}
}
