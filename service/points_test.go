package service_test

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/client"
)

// page is what /points answers.
type page struct {
	Inputs, Columns []string
	Points          []struct {
		Evaluation int
		State      string
		Design     []float64
		Values     []*float64
		Feasible   bool
	}
	Next int
}

func (b *bed) page(t *testing.T, path string) (p page) {
	status, text := b.ask(t, "GET", path, "")
	require.Equal(t, 200, status, text)
	require.NoError(t, json.Unmarshal([]byte(text), &p))
	return p
}

func TestPointsComeInPages(t *testing.T) {
	b := start(t, nil)
	run := b.run(t, b.client(t), client.Order{Study: "light"})
	path := fmt.Sprintf("/v1/runs/%d/points", run.ID)
	var numbers []int
	after := 0
	for {
		p := b.page(t, fmt.Sprintf("%s?limit=50&after=%d", path, after))
		for _, point := range p.Points {
			numbers = append(numbers, point.Evaluation)
		}
		if after = p.Next; after == 0 {
			break
		}
	}
	require.Len(t, numbers, 120)
	for i, n := range numbers {
		require.Equal(t, i+1, n)
	}
}

func TestTablesComeInPagesToo(t *testing.T) {
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, client.Order{Study: "light"})
	for _, sort := range []string{"", "-mass"} {
		var pages []string
		q := client.PointsQuery{Limit: 50, Sort: sort}
		for {
			var text strings.Builder
			next, err := c.PointsCSV(t.Context(), run.ID, q, &text)
			require.NoError(t, err)
			pages = append(pages, text.String())
			if next == 0 {
				break
			}
			q.After = next
		}
		require.Len(t, pages, 3)
		seen := map[string]bool{}
		for i, page := range pages {
			lines := strings.Split(strings.TrimSpace(page), "\n")
			assert.Equal(t, "evaluation,state,feasible,radius,torque,mass", lines[0])
			assert.Len(t, lines[1:], []int{50, 50, 20}[i])
			for _, line := range lines[1:] {
				seen[line[:strings.Index(line, ",")]] = true
				assert.Equal(t, 5, strings.Count(line, ","))
			}
		}
		assert.Len(t, seen, 120, "every evaluation once, sorted or not")
	}
}

func TestUntriedRowsHaveEmptyCells(t *testing.T) {
	b := start(t, nil)
	text := strings.Replace(pulley, "  R1:", "  R0: {of: 2*radius, at_most: 0.6}\n  R1:", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	c := b.client(t)
	run := b.run(t, c, client.Order{Study: "look"})
	var table strings.Builder
	_, err := c.PointsCSV(t.Context(), run.ID, client.PointsQuery{Limit: 5, Only: "not-tried"}, &table)
	require.NoError(t, err)
	row := strings.Split(strings.Split(table.String(), "\n")[1], ",")
	assert.Equal(t, []string{"not tried", "false", "", ""}, []string{row[1], row[2], row[4], row[5]})
	assert.NotEmpty(t, row[6], "what the inputs decide is there")
}

func TestPointsAreSortedAndFiltered(t *testing.T) {
	b := start(t, nil)
	run := b.run(t, b.client(t), client.Order{Study: "light"})
	path := fmt.Sprintf("/v1/runs/%d/points", run.ID)
	p := b.page(t, path+"?sort=-mass&limit=30")
	assert.Equal(t, 30, p.Next, "the cursor of a sorted page counts rows")
	for i := range p.Points[1:] {
		require.GreaterOrEqual(t, *p.Points[i].Values[1], *p.Points[i+1].Values[1])
	}
	next := b.page(t, path+"?sort=-mass&limit=30&after=30")
	assert.GreaterOrEqual(t, *p.Points[29].Values[1], *next.Points[0].Values[1])
	byInput := b.page(t, path+"?sort=radius")
	for i := range byInput.Points[1:] {
		require.LessOrEqual(t, byInput.Points[i].Design[0], byInput.Points[i+1].Design[0])
	}
	feasible, infeasible := b.page(t, path+"?only=feasible"), b.page(t, path+"?only=infeasible")
	assert.Len(t, feasible.Points, run.Feasible)
	assert.Len(t, infeasible.Points, run.Usable-run.Feasible)
	for _, point := range feasible.Points {
		require.True(t, point.Feasible)
		require.GreaterOrEqual(t, *point.Values[0], 100.0)
	}
	assert.Empty(t, b.page(t, path+"?only=failed").Points)
	assert.Len(t, b.page(t, path+"?only=ok").Points, 120)
}

func TestUntriedPointsHaveWhatInputsDecide(t *testing.T) {
	b := start(t, nil)
	c := b.client(t)
	text := strings.Replace(pulley, "  R1:", "  R0: {of: 2*radius, at_most: 0.6}\n  R1:", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	run := b.run(t, c, client.Order{Study: "look"})
	require.Positive(t, run.NotTried)
	p := b.page(t, fmt.Sprintf("/v1/runs/%d/points?only=not-tried&sort=torque", run.ID))
	require.Len(t, p.Points, run.NotTried)
	assert.Equal(t, []string{"torque", "mass", "2*radius"}, p.Columns)
	assert.Nil(t, p.Points[0].Values[0], "the solver was not asked")
	assert.InDelta(t, 2*p.Points[0].Design[0], *p.Points[0].Values[2], 1e-12)
	detail, err := c.Point(t.Context(), run.ID, p.Points[0].Evaluation)
	require.NoError(t, err)
	assert.Equal(t, "a requirement on inputs alone is missed", detail.Reason)
	assert.Equal(t, "not_shown", detail.Requirements["R1"].Verdict)
}

func TestOneEvaluationIsShownInFull(t *testing.T) {
	b := start(t, nil)
	c := b.client(t)
	external := `bench: 1
inputs: {n: {nominal: 3, range: [1, 9]}}
solver:
  steps:
    - run: [sh, -c, "for i in 1 2 3; do echo $i,@[n]; done > c.csv; echo hello >&2; exit 0"]
outputs:
  way: {unit: m, file: c.csv, curve: {x: "1", y: "2"}}
derived:
  top: peak(way)
requirements:
  R1: {of: top, at_most: 5}
studies:
  look: {kind: sample, points: 4}
`
	require.NoError(t, os.WriteFile(b.file, []byte(external), 0o644))
	run := b.run(t, c, client.Order{Study: "look"})
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/points/2", run.ID), "")
	require.Equal(t, 200, status, text)
	detail, err := c.Point(t.Context(), run.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 2, 3}, detail.Curves["way"].X)
	assert.InDelta(t, detail.Inputs["n"].Number, detail.Named["top"], 1e-12)
	require.Len(t, detail.Steps, 2, "the program, and reading what it wrote")
	assert.Equal(t, "run sh", detail.Steps[0].Name)
	assert.Positive(t, detail.Seconds)
}

func TestKeepIsRefusedWhereItWouldHarm(t *testing.T) {
	b := start(t, nil)
	_, err := b.client(t).PutBench(t.Context(), "pulley", b.file)
	require.NoError(t, err)
	for body, says := range map[string]string{
		`{"study": "look", "keep": "/tmp/x"}`:               "keep belongs to one evaluation",
		`{"study": "try", "keep": "here"}`:                  "must be an absolute path",
		fmt.Sprintf(`{"study": "try", "keep": %q}`, b.data): "is not empty: name another one",
		fmt.Sprintf(`{"study": "try", "keep": %q}`, b.file): "cannot be used",
	} {
		_, text := b.ask(t, "POST", "/v1/benches/pulley/runs", body)
		assert.Contains(t, text, says, body)
	}
}

func TestDerivativesOfASolverThatKnowsThem(t *testing.T) {
	b := start(t, nil)
	c := b.client(t)
	external := `bench: 1
inputs: {n: {nominal: 3, range: [1, 9]}, rope: {nominal: S, values: [S, H]}}
solver:
  steps:
    - run: [sh, -c, "echo '{\"mass\": @[n], \"by\": {\"n\": 1.5}, \"rope\": \"@[rope]\"}' > r.json"]
outputs:
  mass: {file: r.json, pointer: /mass, gradient: {file: r.json, pointer: /by}}
  other: {file: r.json, pointer: /mass}
derived:
  double: 2*mass + n^2
  unknown: other + 1
requirements:
  R1: {of: double, at_most: 5}
`
	require.NoError(t, os.WriteFile(b.file, []byte(external), 0o644))
	run := b.run(t, c, client.Order{Study: "try", Design: map[string]bench.Value{"rope": {Word: "H"}}})
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/points/1/derivatives", run.ID), "")
	require.Equal(t, 200, status, text)
	d, err := c.Derivatives(t.Context(), run.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"n"}, d.Inputs, "words have none")
	require.Len(t, d.Values, 2, "only of what the solver knows, and what follows from it")
	assert.Equal(t, 1.5, *d.Values["mass"][0])
	assert.Equal(t, 9.0, *d.Values["double"][0], "2*1.5 + 2*3")
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(external, `\"n\": 1.5`, `\"m\": 1.5`, 1)), 0o644))
	failed := b.run(t, c, client.Order{Study: "try"})
	assert.Contains(t, failed.LastFailure, "output mass: its gradient: m at /by in r.json is no input")
	status, text = b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/points/1/derivatives", failed.ID), "")
	assert.Equal(t, 409, status, text)
}
