package document_test

import (
	"encoding/xml"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/core/verdict"
	"ropebench/report/document"
	"ropebench/result"
)

const hoist = `bench: 1
title: Hoist | drum
inputs:
  width: {label: Width of the drum, unit: m, nominal: 1, range: [0.5, 2], scatter: {normal: {mean: 1, sd: 0.1}}}
solver:
  formulas: {mass: 2*width, turns: 9/width, tilt: width - 1}
requirements:
  R1: {of: mass, at_most: 3, reserve: 0.5}
  R2: {of: turns, at_least: 5}
  R3: {of: tilt, at_most: 0}
  R4: {of: mass, at_most: 1, wish: true}
studies:
  light: {kind: optimize, minimize: mass}
`

// of is a subject whose candidate has a width, as a verification of revision 2 has seen it; 0 width has no values.
func of(t *testing.T, width float64) document.Subject {
	b, err := read.Parse(bench.Content{File: "hoist.bench.yaml", Files: map[string]bench.File{"hoist.bench.yaml": {Text: []byte(hoist)}}})
	require.NoError(t, err)
	s := document.Subject{Bench: b, Then: b, Name: "hoist", File: "hoist.bench.yaml", Revision: 2, Program: "Rope Bench test", Made: time.Date(2026, 11, 27, 9, 30, 0, 0, time.UTC),
		Candidate: document.Candidate{Name: "narrow", Because: "least mass.", Run: 3, Evaluation: 17, Revision: 2, Design: design(b, width)}}
	s.Nominal = design(b, 1)
	s.Verified = &document.Verified{Run: 4, Revision: 2, Parts: result.Parts{Best: design(b, width), Repeats: &result.Repeats{Evaluations: []int{2}, Usable: 1, Met: 1}}}
	return s
}

func design(b *bench.Bench, width float64) *result.Design {
	values := map[string]float64{"mass": 2 * width, "turns": 9 / width, "tilt": width - 1}
	d := &result.Design{Inputs: map[string]bench.Value{"width": bench.Number(width)}, Values: values, Requirements: map[string]result.Judgment{}}
	for _, q := range b.Requirements {
		value := values[q.Of.Text]
		margin := q.Limit.Margin(value)
		d.Requirements[q.ID] = result.Judgment{Verdict: verdict.Judge(q.Limit, value), Value: &value, Margin: &margin}
	}
	return d
}

func TestAnswers(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		name   string
		change func(*document.Subject)
		width  float64
		holds  bool
		says   string
	}{
		{"met", nil, 0.75, true, "Shown to meet all 3 requirements. The least margin is that of R1: 1.5, 50 % of the limit. Wished for and missed: R4."},
		{"without reserve", func(s *document.Subject) { s.Bench.Requirements[2].Wish = true }, 1.3, false, "Shown to keep the limits of all 2 requirements, and without its reserve R1. The least margin is that of R1: 0.4, 13.3 % of the limit. Wished for and missed: R3 and R4."},
		{"missed", nil, 1.9, false, "Missed: R3, R1 and R2, of 3 requirements. Wished for and missed: R4."},
		{"not verified", func(s *document.Subject) { s.Verified = nil }, 0.75, false, "Not verified: the run that found this design has seen it meet all 3 requirements. The least margin is that of R1: 1.5, 50 % of the limit. Wished for and missed: R4."},
		{"verified before the bench has changed", func(s *document.Subject) { s.Verified.Revision = 1 }, 0.75, false, "Not verified: the run that found this design has seen it meet all 3 requirements. The least margin is that of R1: 1.5, 50 % of the limit. Wished for and missed: R4."},
		{"the limit has moved since", func(s *document.Subject) { s.Bench.Requirements[0].Limit.Upper = 1.4 }, 0.75, false, "Missed: R1, of 3 requirements. Wished for and missed: R4."},
		{"no values", func(s *document.Subject) { s.Verified.Parts.Best.Requirements = nil }, 0.75, false, "Not shown: R1, R2 and R3, of 3 requirements."},
		{"scatter", func(s *document.Subject) {
			s.Scatter = &document.Scattered{Parts: result.Parts{Scatter: &result.Scatter{Missed: []string{"R2"}, Together: result.Probability{Met: 0.9123}}}}
		}, 0.75, false, "Shown to meet all 3 requirements. The least margin is that of R1: 1.5, 50 % of the limit. Wished for and missed: R4. Under scatter all are met with a probability of 91.2 %. Less probable than asked: R2."},
		{"the worst within tolerances", func(s *document.Subject) {
			s.Worst = &document.Scattered{Parts: result.Parts{Worst: map[string]result.WorstCase{"R1": {Verdict: verdict.Missed}, "R2": {Verdict: verdict.Met}, "R4": {Verdict: verdict.Missed}}}}
		}, 0.75, false, "Shown to meet all 3 requirements. The least margin is that of R1: 1.5, 50 % of the limit. Wished for and missed: R4. Missed within the tolerances: R1."},
	} {
		s := of(t, c.width)
		if c.change != nil {
			c.change(&s)
		}
		a := s.Answer()
		assert.Equal(t, c.says, a.Says, c.name)
		assert.Equal(t, c.holds, a.Holds, c.name)
	}
}

func TestTheLeastMarginStandsFirst(t *testing.T) {
	t.Parallel()
	var ids []string
	for _, r := range of(t, 1.2).Rows() {
		ids = append(ids, r.Requirement.ID)
		assert.Equal(t, r.Requirement.ID == "R3", math.IsNaN(r.Percent), "a limit of 0 has no percent")
	}
	assert.Equal(t, []string{"R3", "R1", "R2", "R4"}, ids, "what only is wished for comes last")
	s := of(t, 1.2)
	was := 7.0
	s.Candidate.Design.Requirements["R2"] = result.Judgment{Verdict: verdict.Met, Value: &was, Margin: &was}
	text := string(document.Markdown(document.Report(s)))
	assert.Contains(t, text, "- R2 was 7 in run 3, and is 7.5 in the verification.\n", "what the run has seen is compared")
}

func TestWhatAStandInPredictedStandsBesideIt(t *testing.T) {
	t.Parallel()
	s := of(t, 0.75)
	s.Search = &document.Found{Run: 3, Study: "light", Seed: 7, Parts: result.Parts{Checks: []result.Check{{Evaluation: 16, Predicted: map[string]float64{"mass": 9}, Computed: map[string]float64{"mass": 8}},
		{Evaluation: 17, Predicted: map[string]float64{"mass": 1.53, "turns": 12}, Computed: map[string]float64{"mass": 1.5, "turns": 12}}}}}
	alone, holds, off := 2.5, false, 0.02
	s.Search.Parts.Search = &result.Search{}
	s.Search.Parts.Robust = &result.Robust{By: "surrogates", Draws: 32, Inputs: []string{"width"}, Checked: &off, Told: []result.Told{{Of: "expected(mass)", Unit: "t", Value: 1.5, Alone: &alone}, {Of: "deviation(tilt)", Requirement: "R7", Limit: "at most 1", Value: 2, Holds: &holds}}}
	s.Verified.Parts.Provenance = &result.Provenance{Files: map[string]string{"hoist.bench.yaml": "ab12"}, Programs: []result.Program{{Path: "/bin/hoist"}}, Program: "ropebench test", Machine: "a bench"}
	text := string(document.Markdown(document.Report(s)))
	for _, line := range []string{"Every design was judged over 32 draws of width, the same for all.\n", "| expected(mass) |  | 1.5 t |  | 2.5 t |\n", "| R7 deviation(tilt) | at most 1 | 2 | missed | none |\n", "were off by at most 2 % of the spread of a value.\n",
		"| mass | 1.53 | 1.5 | +2 % |\n", "| turns | 12 | 12 | same |\n", "| seed of the search | 7 |\n", "| /bin/hoist | its version was not asked |\n", "| hoist.bench.yaml | SHA-256 ab12 |\n"} {
		assert.Contains(t, text, line)
	}
	assert.NotContains(t, text, "| mass | 9 |", "of another design")
}

func TestMarkdownIsWhole(t *testing.T) {
	t.Parallel()
	s := of(t, 0.75)
	s.Candidate.Changes = []string{"R1: 4 -> 3"}
	s.Candidate.Revision = 1
	text := string(document.Markdown(document.Report(s)))
	for _, line := range []string{"# Hoist | drum: narrow\n", "\n> **!** It was found on revision 1; since then the bench has changed:\n\n- R1: 4 -> 3\n",
		"It was picked for this reason: least mass.\n", "| Width of the drum (width) | 1 m | 0.75 m | -25 % |\n", "| R1 | mass | at most 3, reserve 0.5 | 1.5 | 1.5 | 50 % | met | 2 |\n",
		"| R4 | mass | at most 1 | 1.5 | -0.5 | -50 % | missed (a wish) | 2 |\n", "- What happens when width scatters: no study of kind uncertainty was made about the candidate.\n"} {
		assert.Contains(t, text, line)
	}
}

func TestFilesOfVerdicts(t *testing.T) {
	t.Parallel()
	s := of(t, 1.9)
	text, err := document.JUnit(s)
	require.NoError(t, err)
	var read struct {
		Failures int `xml:"failures,attr"`
		Skipped  int `xml:"skipped,attr"`
		Cases    []struct {
			Name    string `xml:"name,attr"`
			Failure *struct {
				Message string `xml:"message,attr"`
			} `xml:"failure"`
		} `xml:"testcase"`
	}
	require.NoError(t, xml.Unmarshal(text, &read))
	assert.Equal(t, [2]int{3, 1}, [2]int{read.Failures, read.Skipped})
	assert.Equal(t, "missed: mass is to be at most 3, and is 3.8, a margin of -0.8", read.Cases[1].Failure.Message)
	s.Verified = nil
	s.Candidate.Design = nil
	text, err = document.JUnit(s)
	require.NoError(t, err)
	assert.Contains(t, string(text), `errors="4"`, "what has no value is no success")

	lines, err := document.CSV(of(t, 0.1))
	require.NoError(t, err)
	assert.Contains(t, string(lines), "R1,,mass,at most 3,0.5,,0.2,2.8,93.33333333333333,met,true,2,true,\n")
	assert.Equal(t, 5, strings.Count(string(lines), "\n"))
}
