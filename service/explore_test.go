package service_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/service"
)

const drumFile = `bench: 1
title: Drum
inputs:
  radius: {unit: m, nominal: 0.2, range: [0.05, 0.5]}
  turns: {nominal: 6, range: [2, 20], step: 1}
  load: {unit: N, nominal: 800, range: [100, 900]}
  paint: {nominal: red, values: [red, blue]}
solver:
  formulas:
    torque: load*radius
    swing: {along: {s: {from: 0, to: 2, count: 9}}, is: radius*s^2 + load*s/1000}
requirements:
  R1: {of: torque, at_least: 100}
  R2: {of: "peak(swing)", at_most: 3}
studies:
  look: {kind: sample, points: 40}
  which: {kind: sensitivity, by: sobol-indices, points: 64, of: [torque]}
`

// explored is a bed with a sample.
func explored(t *testing.T) (*bed, int) {
	b := start(t, func(*service.Config) {})
	require.NoError(t, os.WriteFile(b.file, []byte(drumFile), 0o644))
	return b, b.run(t, b.client(t), api.Order{Study: "look"}).ID
}

func (b *bed) read(t *testing.T, path string, into any) {
	status, text := b.ask(t, "GET", path, "")
	require.Equal(t, 200, status, "%s: %s", path, text)
	require.NoError(t, json.Unmarshal([]byte(text), into))
}

func TestARunIsExplored(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	c := b.client(t)
	found, err := c.Exploration(t.Context(), run, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"radius", "turns", "load", "paint"}, found.Inputs)
	assert.Equal(t, []string{"turns", "paint"}, found.Idle)
	require.Len(t, found.Values, 2)
	assert.Greater(t, *found.Values[0].Sensitivity.Q2, 0.99)
	fit, err := c.Fit(t.Context(), run, "peak(swing)")
	require.NoError(t, err)
	assert.Len(t, fit.Points, 40)
	assert.ElementsMatch(t, []string{"radius", "load"}, fit.Inputs)
	predicted, err := c.Predict(t.Context(), run, api.PredictionOrder{Designs: []map[string]bench.Value{{"radius": bench.Number(0.3), "load": bench.Number(500)}}, Of: []string{"torque"}, Curves: []string{"swing"}})
	require.NoError(t, err)
	assert.InDelta(t, 150, predicted.Values["torque"][0].Mean, 1)
	curve := predicted.Curves["swing"][0]
	assert.InDelta(t, 0.3*4+1, curve.Y[len(curve.Y)-1], 0.02)
	surface, err := c.Surface(t.Context(), run, api.SurfaceOrder{Of: "torque", X: "radius", Y: "turns", At: map[string]bench.Value{"load": bench.Number(400)}})
	require.NoError(t, err)
	assert.Equal(t, []int{41, 19}, []int{len(surface.X), len(surface.Y)}, "an input with steps has all its values")
	assert.InDelta(t, 0.5*400, surface.Mean[0][40], 1.5)
	assert.Equal(t, map[string]bench.Value{"load": bench.Number(400), "paint": {Word: "red"}}, surface.At)
	var obstacles struct{ Says []string }
	b.read(t, fmt.Sprintf("/v1/runs/%d/obstacles", run), &obstacles)
	assert.Contains(t, obstacles.Says[0], "of 40 designs are feasible")
	indices := b.run(t, c, api.Order{Study: "which"})
	assert.InDelta(t, 0.6, *indices.Sensitivity["torque"].Inputs["radius"].Total, 0.3)
	assert.Nil(t, indices.Sensitivity["torque"].Q2, "the solver itself was asked")
}

func TestQuestionsAboutSurfacesThatCannotBeAsked(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	tried := b.run(t, b.client(t), api.Order{Study: "try"}).ID
	for _, q := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"GET", "/v1/runs/%d/exploration?of=torq", "", 400, "torq is no value of this run (known: torque, peak(swing))"},
		{"GET", "/v1/runs/%d/fit?of=none", "", 400, "none is no value"},
		{"POST", "/v1/runs/%d/surface", `{"of": "torque", "x": "radius", "y": "radius"}`, 400, "two different inputs"},
		{"POST", "/v1/runs/%d/surface", `{"of": "torque", "x": "radius", "y": "speed"}`, 400, "speed is no input"},
		{"POST", "/v1/runs/%d/surface", `{"of": "torque", "x": "radius", "y": "turns", "steps": 5000}`, 400, "between 2 and 201 steps"},
		{"POST", "/v1/runs/%d/surface", `{"of": "torque", "x": "radius", "y": "turns", "at": {"paint": "green"}}`, 400, "green"},
		{"POST", "/v1/runs/%d/predictions", `{"designs": [{"lod": 3}], "of": ["torque"]}`, 400, "lod is no input"},
		{"POST", "/v1/runs/%d/predictions", `{"designs": [{}], "curves": ["torque"]}`, 400, "torque is no curve"},
		{"PUT", "/v1/runs/%d/left-out", `{"value": "torque", "evaluation": 900, "reason": "x"}`, 404, "900"},
		{"PUT", "/v1/runs/%d/left-out", `{"value": "none", "evaluation": 9, "reason": "x"}`, 400, "none is no value"},
		{"PUT", "/v1/runs/%d/selections", `{"name": "", "evaluations": [1]}`, 400, "needs a name"},
		{"PUT", "/v1/runs/%d/selections", `{"name": "a", "evaluations": []}`, 400, "at least one evaluation"},
		{"DELETE", "/v1/runs/%d/selections?name=none", "", 404, "has no selection none"},
		{"POST", "/v1/runs/%d/extend", `{"more": 0}`, 400, "at least 1"},
		{"GET", "/v1/runs/%d/matching?where=torque", "", 200, "evaluations"},
		{"GET", "/v1/runs/%d/matching?where=tork%%3C3", "", 400, "is no"},
		{"GET", "/v1/runs/%d/matching?where=torque%%3C", "", 400, "cannot be read"},
		{"GET", "/v1/runs/%d/figure?kind=pie", "", 400, "there is no figure of kind"},
		{"GET", "/v1/runs/%d/figure?kind=histogram", "", 400, "of one value"},
		{"GET", "/v1/runs/%d/figure?kind=histogram&of=radius", "", 400, "radius is an input"},
		{"GET", "/v1/runs/%d/figure?kind=scatter&x=torq&y=torque", "", 400, "is no"},
		{"GET", "/v1/runs/%d/figure?kind=histogram&of=torque&format=gif", "", 400, "as svg, png or csv"},
		{"GET", "/v1/runs/%d/figure?kind=curves&of=torque", "", 400, "known: swing"},
	} {
		status, text := b.ask(t, q.method, fmt.Sprintf(q.path, run), q.body)
		assert.Equal(t, q.status, status, "%s: %s", q.path, text)
		assert.Contains(t, text, q.says, q.path)
	}
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/exploration", tried), "")
	assert.Equal(t, 400, status, text)
	assert.Contains(t, text, "varies no input")
}

// What is left out stays with the study: in its other runs, and under another name of the bench.
func TestWhatIsLeftOutStaysWithTheStudy(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	c := b.client(t)
	require.NoError(t, c.LeaveOut(t.Context(), run, api.LeavingOut{Value: "torque", Evaluation: 7, Reason: "the gauge was loose"}))
	second := b.run(t, c, api.Order{Study: "look"}).ID
	_, err := c.ChangeBench(t.Context(), "pulley", api.Change{Name: "drum"})
	require.NoError(t, err)
	for _, id := range []int{run, second} {
		fit, err := c.Fit(t.Context(), id, "torque")
		require.NoError(t, err)
		assert.Len(t, fit.Points, 39, "run %d", id)
		require.Len(t, fit.LeftOut, 1)
		assert.Equal(t, "the gauge was loose", fit.LeftOut[0].Reason)
	}
	require.NoError(t, c.LeaveOut(t.Context(), second, api.LeavingOut{Value: "torque", Evaluation: 7}))
	fit, err := c.Fit(t.Context(), run, "torque")
	require.NoError(t, err)
	assert.Len(t, fit.Points, 40)
}

func TestSelectionsAreKept(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	c := b.client(t)
	var matching struct{ Evaluations []int }
	b.read(t, fmt.Sprintf("/v1/runs/%d/matching?where=torque+%%3E+100+and+turns+%%3C+8", run), &matching)
	require.NotEmpty(t, matching.Evaluations)
	for _, number := range matching.Evaluations {
		e, err := c.Evaluation(t.Context(), run, number)
		require.NoError(t, err)
		assert.True(t, e.Named["torque"] > 100 && e.Inputs["turns"].Number < 8)
	}
	require.NoError(t, c.KeepSelection(t.Context(), run, api.Selection{Name: "strong ones", Evaluations: matching.Evaluations}))
	require.NoError(t, c.KeepSelection(t.Context(), run, api.Selection{Name: "strong ones", Evaluations: matching.Evaluations[:1]}))
	kept, err := c.Selections(t.Context(), run)
	require.NoError(t, err)
	assert.Equal(t, []api.Selection{{Name: "strong ones", Evaluations: matching.Evaluations[:1]}}, kept)
	require.NoError(t, c.DropSelection(t.Context(), run, "strong ones"))
	kept, err = c.Selections(t.Context(), run)
	require.NoError(t, err)
	assert.Empty(t, kept)
}

func TestASampleIsExtendedOverTheInterface(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	c := b.client(t)
	_, err := c.Extend(t.Context(), run, 20)
	require.NoError(t, err)
	var r api.Run
	require.Eventually(t, func() bool { r, err = c.Run(t.Context(), run); return err == nil && !r.AtWork() }, time.Minute, 5*time.Millisecond)
	assert.Equal(t, 60, r.Evaluations)
	assert.Equal(t, []int{20}, r.Question.More)
	found, err := c.Exploration(t.Context(), run, []string{"torque"})
	require.NoError(t, err)
	assert.Equal(t, 60, found.Values[0].Sensitivity.Used, "what was fitted before is fitted anew")
}

// fetch gets what is no JSON.
func (b *bed) fetch(t *testing.T, path string) (*http.Response, string) {
	request, err := http.NewRequest("GET", b.URL()+path, nil)
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+b.token)
	response, err := (&http.Client{Transport: &http.Transport{DisableKeepAlives: true}}).Do(request)
	require.NoError(t, err)
	text, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	return response, string(text)
}

// Every figure is drawn in every format, and cannot command a browser.
func TestFiguresAreDrawn(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	for _, query := range []string{"kind=histogram&of=torque", "kind=ranking&of=torque", "kind=overview", "kind=scatter&x=radius&y=torque&colour=paint", "kind=matrix&of=radius,load,torque",
		"kind=parallel", "kind=surface&of=torque&x=radius&y=load", "kind=surface&of=torque&x=radius&y=load&evaluation=3", "kind=validation&of=torque", "kind=curves&of=swing"} {
		for format, begins := range map[string]string{"svg": "<?xml", "png": "\x89PNG", "csv": ""} {
			response, text := b.fetch(t, fmt.Sprintf("/v1/runs/%d/figure?%s&format=%s", run, query, format))
			assert.Equal(t, 200, response.StatusCode, "%s: %s", query, text)
			assert.True(t, strings.HasPrefix(text, begins), "%s as %s", query, format)
			assert.Contains(t, response.Header.Get("Content-Security-Policy"), "sandbox")
			if format == "csv" {
				assert.Greater(t, strings.Count(text, "\n"), 2, query)
			}
		}
	}
}

func TestTheWholeTableIsSentAsAFile(t *testing.T) {
	t.Parallel()
	b, run := explored(t)
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/table", run), "")
	assert.Equal(t, 200, status)
	assert.Equal(t, 41, strings.Count(text, "\n"))
	_, text = b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/table?format=xlsx", run), "")
	book, err := zip.NewReader(bytes.NewReader([]byte(text)), int64(len(text)))
	require.NoError(t, err)
	sheet, err := book.Open("xl/worksheets/sheet1.xml")
	require.NoError(t, err)
	rows, err := io.ReadAll(sheet)
	require.NoError(t, err)
	assert.Equal(t, 41, strings.Count(string(rows), "<row "))
}

// Draws are explored over what scatters: they are no repeats of one design, and those that fail lie where they lie.
func TestDrawsAreExploredOverWhatScatters(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	require.NoError(t, os.WriteFile(b.file, []byte(`bench: 1
inputs:
  radius: {unit: m, nominal: 0.2, range: [0.05, 0.5]}
  load: {unit: N, nominal: 800, scatter: {normal: {mean: 800, sd: 90}}}
  wind: {nominal: 3, scatter: {normal: {mean: 3, sd: 1}}}
solver: {formulas: {torque: "load*radius + 0*log(1000 - load)", swing: wind*2}}
requirements: {R1: {of: torque, at_most: 190}}
studies: {drift: {kind: uncertainty, points: 300}}
`), 0o644))
	run := b.run(t, b.client(t), api.Order{Study: "drift"})
	found, err := b.client(t).Exploration(t.Context(), run.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"load", "wind"}, found.Inputs)
	for _, remark := range found.Remarks {
		assert.NotContains(t, remark, "noise")
	}
	require.NotEmpty(t, found.Obstacles.Failures)
	assert.Contains(t, found.Obstacles.Failures[0].Says, "where load is above")
}
