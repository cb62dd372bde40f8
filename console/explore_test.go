package console_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
)

// writes puts a text into the field with a label, as a person would.
func (p *page) writes(label, text string) {
	p.enters(fmt.Sprintf("[aria-label=%q]", label), fmt.Sprintf("%q", text))
}

// enters gives the input that a selector finds the value of an expression of the input i, and says so as typing does.
func (p *page) enters(selector, value string) {
	p.evaluates(fmt.Sprintf(`(() => { const i = document.querySelector(%q); if (!i) return false
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(i, %s); i.dispatchEvent(new Event('input', {bubbles: true})); return true })()`, selector, value))
}

// TestWhatIsSelectedIsSelectedEverywhere: by a condition, by the table, by a bar; and it is kept under a name over a reload.
func TestWhatIsSelectedIsSelectedEverywhere(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("live")
	run := p.evaluated(api.Order{Study: "look"})
	p.goTo(fmt.Sprintf("%s/bench/balance/explore/%d/designs", p.service.URL(), run))
	p.sees("Nothing selected", "Parallel coordinates", "Scatter matrix")
	p.writes("condition", "sag < 12 and mass > 0")
	p.press("Select")
	p.sees(" selected")
	p.draws(".points tr.chosen", 1)
	p.writes("name of the selection", "stiff ones")
	p.press("Keep")
	p.sees("stiff ones")
	kept, err := p.client.Selections(t.Context(), run)
	require.NoError(t, err)
	require.Len(t, kept, 1)
	p.press("None")
	p.sees("Nothing selected")
	require.NoError(t, chromedp.Do(p, chromedp.Reload()))
	p.press("stiff ones")
	p.sees(fmt.Sprintf("%d selected", len(kept[0].Evaluations)))
	p.writes("condition", "sog < 12")
	p.press("Select")
	p.sees("did you mean sag?")
	p.writes("filter of sag", "<12")
	p.sees(fmt.Sprintf("of %d", len(kept[0].Evaluations)))
}

// TestASurfaceFollowsItsSliders, and a page of what matters lets an evaluation be left out with a reason, and holds what does not matter.
func TestASurfaceFollowsItsSliders(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("live")
	run := p.evaluated(api.Order{Study: "look"})
	p.goTo(fmt.Sprintf("%s/bench/balance/explore/%d/surfaces", p.service.URL(), run))
	p.sees("The design of the sliders", "Predicted against computed", "R1: at most 15 mm")
	p.draws("canvas.turn", 1)
	predicted := func() string {
		text, err := chromedp.Run(p, chromedp.Evaluate[string](`[...document.querySelectorAll('.panel')].find((e) => e.textContent.includes('The design of the sliders')).querySelector('tbody').textContent`))
		require.NoError(t, err)
		return text
	}
	before := predicted()
	p.enters("#slide-rate", "i.max")
	require.Eventually(t, func() bool { return predicted() != before }, time.Minute, 30*time.Millisecond)
	p.goTo(fmt.Sprintf("%s/bench/balance/explore/%d", p.service.URL(), run))
	p.sees("What stands in the way", "are feasible", "What moves sag")
	p.press("numbers")
	p.draws(".numbers tbody tr", 1)
	require.NoError(t, p.client.LeaveOut(t.Context(), run, api.LeavingOut{Value: "sag", Evaluation: 3, Reason: "the gauge was loose"}))
	require.NoError(t, chromedp.Do(p, chromedp.Reload()))
	p.sees("Evaluation 3 is left out: the gauge was loose")
	p.press("take it back in")
	require.Eventually(t, func() bool {
		fit, err := p.client.Fit(t.Context(), run, "sag")
		return err == nil && len(fit.LeftOut) == 0
	}, time.Minute, 30*time.Millisecond)
	p.writes("more points", "7")
	p.press("Add points")
	require.Eventually(t, func() bool {
		r, err := p.client.Run(t.Context(), run)
		return err == nil && len(r.Question.More) == 1 && !r.AtWork()
	}, time.Minute, 30*time.Millisecond)
	assert.Positive(t, p.count("nav.tabs a"))
}
