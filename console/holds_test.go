package console_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/console"
	"ropebench/service"
)

// evaluates runs a script whose value is true.
func (p *page) evaluates(script string) {
	require.Eventually(p.t, func() bool {
		ok, err := chromedp.Run(p, chromedp.Evaluate[bool](script))
		return err == nil && ok
	}, time.Minute, 30*time.Millisecond, script)
}

// types puts a text at the end of the editor.
func (p *page) types(text string) {
	p.evaluates(fmt.Sprintf(`(() => { const e = document.querySelector('.cm-content'); if (!e) return false; e.focus(); getSelection().selectAllChildren(e); getSelection().collapseToEnd(); return document.execCommand('insertText', false, %q) })()`, text))
}

// TestTextThatIsNotSavedIsNotLost: not by another place, not by a reload, not by a change of the file on disk.
func TestTextThatIsNotSavedIsNotLost(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("live")
	files := p.service.URL() + "/bench/balance/model/files"
	p.goTo(files)
	p.sees("as it stands in its folder", "no mistakes")
	p.types("# mine")
	p.sees("changed, not saved", "# mine")
	p.evaluates(`(() => { const a = [...document.querySelectorAll('a')].find((a) => a.textContent === 'Overview'); a?.click(); return !!a })()`)
	p.sees("The problem in words")
	p.evaluates(`(() => { const a = [...document.querySelectorAll('a')].find((a) => a.textContent === 'Files'); a?.click(); return !!a })()`)
	p.sees("changed, not saved", "# mine")
	p.evaluates(`window.onbeforeunload = null; sessionStorage.length > 0`)

	require.NoError(t, os.WriteFile(p.file, []byte(strings.Replace(balance, "at_most: 15", "at_most: 14", 1)), 0o644))
	p.sees("The file has changed in its folder", "# mine")
	p.press("Go on with mine")
	p.sees("at_most: 15", "# mine")
	p.press("Save")
	p.sees("as it stands in its folder")
	text, err := os.ReadFile(p.file)
	require.NoError(t, err)
	assert.Equal(t, balance+"# mine", string(text))

	require.NoError(t, os.WriteFile(p.file, []byte(strings.Replace(balance, "at_most: 15", "at_most: 13", 1)), 0o644))
	p.sees("at_most: 13") // by itself, since nothing of one's own is lost
	p.types("wrong: 3\n")
	p.sees(`has no key "wrong"`)
	p.press("Save all the same")
	p.sees("as it stands in its folder", `has no key "wrong"`) // it does not vanish
}

// TestAPageMendsItself once the service that was away is back, and hears of the first bench.
func TestAPageMendsItself(t *testing.T) {
	p := open(t)
	p.goTo(p.service.Link())
	p.sees("No bench yet")
	p.load(balance)
	p.sees("Spring balance", "live") // by itself
	address := strings.TrimPrefix(p.service.URL(), "http://")
	data := filepath.Join(filepath.Dir(p.file), "data")
	require.NoError(t, p.service.Close())
	p.sees("not connected")
	require.NoError(t, os.WriteFile(p.file, []byte(strings.Replace(balance, "at_most: 15", "at_most: 17", 1)), 0o644))
	p.starts(data, address)
	p.sees("live", "sag is at most 17 mm")
}

// starts begins another service at the address of one that has ended.
func (p *page) starts(data, address string) {
	files, err := console.Files()
	require.NoError(p.t, err)
	s, err := service.Start(service.Config{Data: data, Address: address, Slots: 2, Path: os.Getenv("PATH"), Version: "test", Console: files})
	require.NoError(p.t, err)
	p.t.Cleanup(func() { require.NoError(p.t, s.Close()) })
	_, err = http.Get(s.URL() + "/")
	require.NoError(p.t, err)
}

// TestAddressesThatAreForAnotherPlace are refused in words, and a link that was used leads to the console, which says what to do.
func TestAddressesThatAreForAnotherPlace(t *testing.T) {
	p := open(t)
	p.load(balance)
	other := filepath.Join(filepath.Dir(p.file), "other.bench.yaml")
	require.NoError(t, os.WriteFile(other, []byte("bench: 1\ninputs: {x: {nominal: 1}}\nsolver: {formulas: {f: 2*x}}\n"), 0o644))
	_, err := p.client.PutBench(t.Context(), "other", other)
	require.NoError(t, err)
	foreign, err := p.client.Start(t.Context(), "other", api.Order{Study: "try"})
	require.NoError(t, err)
	try := p.evaluated(api.Order{Study: "try"})
	link := p.service.Link()
	p.goTo(link)
	p.sees("live")
	for path, says := range map[string]string{
		fmt.Sprintf("prove/%d", foreign.ID): fmt.Sprintf("Run %d is of the bench other, not of balance", foreign.ID), fmt.Sprintf("improve/%d", foreign.ID): "is of the bench other",
		fmt.Sprintf("prove/%d", try): fmt.Sprintf("Run %d is no verification: look at it in Model", try), fmt.Sprintf("improve/%d", try): "is no study",
	} {
		p.goTo(p.service.URL() + "/bench/balance/" + path)
		p.sees(says)
	}
	request, err := http.NewRequest(http.MethodGet, link, nil)
	require.NoError(t, err)
	request.Header.Set("Accept", "text/html")
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	assert.Equal(t, "/", response.Request.URL.Path, "a link that was used is no page of JSON")
	assert.Empty(t, response.Cookies())
}

// TestOneOfAllTabsListens: two tabs of a browser have one stream, and both are live; when the one that listens goes, another does.
func TestOneOfAllTabsListens(t *testing.T) {
	p := open(t)
	p.load(balance)
	p.goTo(p.service.Link())
	p.sees("live")
	second, closeSecond := chromedp.NewContext(p)
	defer closeSecond()
	q := &page{Context: second, t: t, service: p.service, client: p.client, file: p.file}
	q.goTo(p.service.URL())
	q.sees("Spring balance", "live")
	held := `(async () => { const l = await navigator.locks.query(); window.locks = l.held.filter((h) => h.name === 'ropebench-events').length + '/' + l.pending.filter((h) => h.name === 'ropebench-events').length })(); true`
	p.evaluates(held)
	require.Eventually(t, func() bool {
		p.evaluates(held)
		locks, err := chromedp.Run(p, chromedp.Evaluate[string]("window.locks ?? ''"))
		return err == nil && (locks == "1/1" || locks == "1/0") // a hidden tab waits for nothing
	}, time.Minute, 30*time.Millisecond)
	p.load(strings.Replace(balance, "at_most: 15", "at_most: 16", 1))
	q.sees("sag is at most 16 mm")
	p.goTo("about:blank") // the one that listened is gone
	p.load(strings.Replace(balance, "at_most: 15", "at_most: 18", 1))
	q.sees("sag is at most 18 mm", "live")
}
