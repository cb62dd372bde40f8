package service_test

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ropebench/api"
	"ropebench/result"
	"ropebench/service"
)

// A report is written of a candidate before and after it is verified, and says which.
func TestAReportSaysWhatIsShown(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	c := b.client(t)
	b.run(t, c, api.Order{Study: "look"})
	run := b.run(t, c, api.Order{Study: "light"})
	_, err := c.Pick(t.Context(), "pulley", api.Pick{Candidate: api.Candidate{Run: run.ID}, Name: "light", Because: "the <lightest>"})
	require.NoError(t, err)
	report := func(as string) string {
		text, err := c.Report(t.Context(), "pulley", url.Values{"candidate": {"light"}, "as": {as}})
		require.NoError(t, err, as)
		return string(text)
	}
	holds := func(text string, all ...string) {
		for _, words := range all {
			assert.True(t, strings.Contains(text, words), "the report has not: %s", words)
		}
	}
	before := report("html")
	holds(before, "Not verified: the run that found this design has seen it meet the one requirement.")
	holds(before, "Nothing in this report was verified.")
	assert.Less(t, strings.Index(before, "Nothing in this report was verified."), strings.Index(before, "The problem"), "on the first page")
	holds(before, "the &lt;lightest&gt;.")

	verified := b.run(t, c, api.Order{Study: "verify", Of: &api.Candidate{Run: run.ID, Evaluation: run.Headline.Evaluation}})
	page := report("html")
	holds(page, "Shown to meet the one requirement.")
	assert.False(t, strings.Contains(page, "Nothing in this report was verified."))
	for _, words := range []string{"How the design was found", "What matters", "The candidate beside the nominal design", "Requirement by requirement", "What is not shown", "How to repeat it", "<svg", "Figure 1. How far each requirement is from its limit"} {
		holds(page, words)
	}
	for _, elsewhere := range []string{"http://127", "<script", "<link", "<img"} {
		assert.False(t, strings.Contains(page, elsewhere), "it needs no other file: %s", elsewhere)
	}

	markdown := report("markdown")
	holds(markdown, "| R1 | Enough torque | at least 100, reserve 5 |")
	holds(markdown, "| look | latin-hypercube plan, 12 points | 1 | 12 | 0 | run 1: finished |")

	var answer result.Verdicts
	require.NoError(t, json.Unmarshal([]byte(report("json")), &answer))
	assert.Equal(t, []any{"pulley", "light", true, true, run.ID}, []any{answer.Bench, answer.Candidate, answer.Verified, answer.Holds, answer.Run})
	require.Len(t, answer.Requirements, 1)
	assert.InDelta(t, *answer.Requirements[0].Margin, *answer.Requirements[0].Percent, 1e-9, "the limit is 100")

	var suite struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Errors   int `xml:"errors,attr"`
	}
	require.NoError(t, xml.Unmarshal([]byte(report("junit")), &suite))
	assert.Equal(t, [3]int{1, 0, 0}, [3]int{suite.Tests, suite.Failures, suite.Errors})

	book, err := excelize.OpenReader(bytes.NewReader([]byte(report("xlsx"))))
	require.NoError(t, err)
	defer book.Close()
	cell, err := book.GetCellValue("Requirements", "J2")
	require.NoError(t, err)
	assert.Equal(t, "met", cell)
	assert.True(t, strings.HasPrefix(report("csv"), "requirement,says,of,limit,"))
	assert.Contains(t, report("csv"), "R1,Enough torque,torque,")

	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(pulley, "at_least: 100", "at_least: 110", 1)), 0o644))
	changed := report("html")
	holds(changed, "The design was verified on revision 1, and the bench is at revision 2 now")
	holds(changed, "Missed: R1, of 1 requirement.")
	assert.NotZero(t, verified.ID)
}

func TestReportsThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	for says, query := range map[string]url.Values{
		"name one, or the run":                 {},
		"has no candidate heavy":               {"candidate": {"heavy"}},
		"not as \"pdf\"":                       {"candidate": {"heavy"}, "as": {"pdf"}},
		"there is no run 99":                   {"run": {"99"}},
		"has no evaluation 4711":               {"run": {"1"}, "evaluation": {"4711"}},
		"run must be a whole number from 1 to": {"run": {"x"}},
	} {
		_, err := c.Report(t.Context(), "pulley", query)
		assert.ErrorContains(t, err, says)
	}
	text, err := c.Report(t.Context(), "pulley", url.Values{"run": {"1"}, "as": {"json"}})
	require.NoError(t, err)
	assert.Contains(t, string(text), `"candidate": "1:`, "the best of run %d", run.ID)
}
