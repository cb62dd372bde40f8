package service_test

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/client"
)

// page is what /points answers.
type page struct {
	Inputs, Columns []string
	Evaluations     []struct {
		Number   int `json:"evaluation"`
		State    string
		Design   []float64
		Values   []*float64
		Feasible bool
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
	t.Parallel()
	b := start(t, nil)
	run := b.run(t, b.client(t), api.Order{Study: "light"})
	path := fmt.Sprintf("/v1/runs/%d/evaluations", run.ID)
	var numbers []int
	after := 0
	for {
		p := b.page(t, fmt.Sprintf("%s?limit=50&after=%d", path, after))
		for _, point := range p.Evaluations {
			numbers = append(numbers, point.Number)
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
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "light"})
	for _, sort := range []string{"", "-mass"} {
		var pages []string
		q := client.EvaluationsQuery{Limit: 50, Sort: sort}
		for {
			var text strings.Builder
			next, err := c.EvaluationsCSV(t.Context(), run.ID, q, &text)
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
			assert.Equal(t, "evaluation,state,feasible,reused,reason,missed,radius [m],torque,mass", lines[0])
			assert.Len(t, lines[1:], []int{50, 50, 20}[i])
			for _, line := range lines[1:] {
				seen[line[:strings.Index(line, ",")]] = true
				assert.Equal(t, 8, strings.Count(line, ","))
			}
		}
		assert.Len(t, seen, 120, "every evaluation once, sorted or not")
	}
}

func TestUntriedRowsHaveEmptyCells(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	text := strings.Replace(pulley, "  R1:", "  R0: {of: 2*radius, at_most: 0.6}\n  R1:", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	c := b.client(t)
	run := b.run(t, c, api.Order{Study: "look"})
	var table strings.Builder
	_, err := c.EvaluationsCSV(t.Context(), run.ID, client.EvaluationsQuery{Limit: 5, Only: "not-tried"}, &table)
	require.NoError(t, err)
	row := strings.Split(strings.Split(table.String(), "\n")[1], ",")
	assert.Equal(t, []string{"not tried", "false", "", ""}, []string{row[1], row[2], row[7], row[8]})
	assert.Equal(t, "a requirement on inputs alone is missed", row[4])
	assert.Equal(t, "R0", row[5])
	assert.NotEmpty(t, row[9], "what the inputs decide is there")
}

func TestPointsAreSortedAndFiltered(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	run := b.run(t, b.client(t), api.Order{Study: "light"})
	path := fmt.Sprintf("/v1/runs/%d/evaluations", run.ID)
	p := b.page(t, path+"?sort=-mass&limit=30")
	assert.Equal(t, 30, p.Next, "the cursor of a sorted page counts rows")
	for i := range p.Evaluations[1:] {
		require.GreaterOrEqual(t, *p.Evaluations[i].Values[1], *p.Evaluations[i+1].Values[1])
	}
	next := b.page(t, path+"?sort=-mass&limit=30&after=30")
	assert.GreaterOrEqual(t, *p.Evaluations[29].Values[1], *next.Evaluations[0].Values[1])
	byInput := b.page(t, path+"?sort=radius")
	for i := range byInput.Evaluations[1:] {
		require.LessOrEqual(t, byInput.Evaluations[i].Design[0], byInput.Evaluations[i+1].Design[0])
	}
	feasible, infeasible := b.page(t, path+"?only=feasible"), b.page(t, path+"?only=infeasible")
	assert.Len(t, feasible.Evaluations, run.Feasible)
	assert.Len(t, infeasible.Evaluations, run.Usable-run.Feasible)
	for _, point := range feasible.Evaluations {
		require.True(t, point.Feasible)
		require.GreaterOrEqual(t, *point.Values[0], 100.0)
	}
	assert.Empty(t, b.page(t, path+"?only=failed").Evaluations)
	assert.Len(t, b.page(t, path+"?only=ok").Evaluations, 120)
}

func TestUntriedPointsHaveWhatInputsDecide(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	text := strings.Replace(pulley, "  R1:", "  R0: {of: 2*radius, at_most: 0.6}\n  R1:", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	run := b.run(t, c, api.Order{Study: "look"})
	require.Positive(t, run.NotTried)
	p := b.page(t, fmt.Sprintf("/v1/runs/%d/evaluations?only=not-tried&sort=torque", run.ID))
	require.Len(t, p.Evaluations, run.NotTried)
	assert.Equal(t, []string{"torque", "mass", "2*radius"}, p.Columns)
	assert.Nil(t, p.Evaluations[0].Values[0], "the solver was not asked")
	assert.InDelta(t, 2*p.Evaluations[0].Design[0], *p.Evaluations[0].Values[2], 1e-12)
	detail, err := c.Evaluation(t.Context(), run.ID, p.Evaluations[0].Number)
	require.NoError(t, err)
	assert.Equal(t, "a requirement on inputs alone is missed", detail.Reason)
	assert.Equal(t, "not_shown", string(detail.Requirements["R1"].Verdict))
}

func TestOneEvaluationIsShownInFull(t *testing.T) {
	t.Parallel()
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
	run := b.run(t, c, api.Order{Study: "look"})
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/evaluations/2", run.ID), "")
	require.Equal(t, 200, status, text)
	detail, err := c.Evaluation(t.Context(), run.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, []float64{1, 2, 3}, detail.Curves["way"].X)
	assert.InDelta(t, detail.Inputs["n"].Number, detail.Named["top"], 1e-12)
	require.Len(t, detail.Steps, 2, "the program, and reading what it wrote")
	assert.Equal(t, "run sh", detail.Steps[0].Name)
	assert.Positive(t, detail.Seconds)
	var curve strings.Builder
	require.NoError(t, c.Curve(t.Context(), run.ID, 2, "way", &curve))
	n := plain.Exact(detail.Inputs["n"].Number)
	assert.Equal(t, fmt.Sprintf("x,way\n1,%s\n2,%s\n3,%s\n", n, n, n), curve.String())
	assert.ErrorContains(t, c.Curve(t.Context(), run.ID, 2, "wy", io.Discard), "has no curve wy; did you mean way?")
	few, err := c.Start(t.Context(), "pulley", api.Order{Study: "look", Slots: 1, Fresh: true})
	require.NoError(t, err)
	assert.Equal(t, 1, few.Question.Slots)
	require.Eventually(t, func() bool { r, err := c.Run(t.Context(), few.ID); return err == nil && r.State == "finished" }, time.Minute, 5*time.Millisecond)
}

func TestKeepIsRefusedWhereItWouldHarm(t *testing.T) {
	t.Parallel()
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
	t.Parallel()
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
	run := b.run(t, c, api.Order{Study: "try", Design: map[string]bench.Value{"rope": {Word: "H"}}})
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/evaluations/1/derivatives", run.ID), "")
	require.Equal(t, 200, status, text)
	d, err := c.Derivatives(t.Context(), run.ID, 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"n"}, d.Inputs, "words have none")
	require.Len(t, d.Values, 2, "only of what the solver knows, and what follows from it")
	assert.Equal(t, 1.5, *d.Values["mass"][0])
	assert.Equal(t, 9.0, *d.Values["double"][0], "2*1.5 + 2*3")
	require.NoError(t, os.WriteFile(b.file, []byte(strings.Replace(external, `\"n\": 1.5`, `\"m\": 1.5`, 1)), 0o644))
	failed := b.run(t, c, api.Order{Study: "try"})
	assert.Contains(t, failed.LastFailure, "output mass: its gradient: m at /by in r.json is no input")
	status, text = b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/evaluations/1/derivatives", failed.ID), "")
	assert.Equal(t, 409, status, text)
}

// readColumns takes an answer of /columns apart.
func readColumns(t *testing.T, text string) (header api.ColumnsHeader, columns map[string][]float64) {
	data := []byte(text)
	size := int(binary.LittleEndian.Uint32(data))
	require.Zero(t, (4+size)%8, "the numbers stand at multiples of eight bytes")
	require.NoError(t, json.Unmarshal(data[4:4+size], &header))
	data = data[4+size:]
	require.Len(t, data, 8*header.Rows*len(header.Columns))
	columns = map[string][]float64{}
	for _, column := range header.Columns {
		for range header.Rows {
			columns[column.Name] = append(columns[column.Name], math.Float64frombits(binary.LittleEndian.Uint64(data)))
			data = data[8:]
		}
	}
	return header, columns
}

func TestColumnsHaveEveryNumberToTheLastBit(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	text := strings.Replace(pulley, "  R1:", "  R0: {of: 2*radius, at_most: 0.6}\n  R1:", 1)
	text = strings.Replace(text, "  load: {unit: N, nominal: 800}", "  load: {unit: N, nominal: 800}\n  grade: {nominal: soft, values: [soft, hard]}", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	run := b.run(t, c, api.Order{Study: "look", Evaluations: 120})
	status, answer := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/columns", run.ID), "")
	require.Equal(t, 200, status)
	header, columns := readColumns(t, answer)
	assert.Equal(t, []api.ColumnOfNumbers{{Name: "evaluation", Kind: "number"}, {Name: "state", Kind: "state"}, {Name: "feasible", Kind: "feasible"}, {Name: "reused", Kind: "reused"},
		{Name: "radius", Kind: "input", Unit: "m"}, {Name: "grade", Kind: "input", Words: []string{"soft", "hard"}}, {Name: "torque", Kind: "value"}, {Name: "mass", Kind: "value"}, {Name: "2*radius", Kind: "value"}}, header.Columns)
	page, err := c.Evaluations(t.Context(), run.ID, client.EvaluationsQuery{Limit: 1000})
	require.NoError(t, err)
	require.Equal(t, len(page.Evaluations), header.Rows)
	untried := 0
	for i, e := range page.Evaluations {
		assert.Equal(t, []float64{float64(e.Number), e.Design[0].Number}, []float64{columns["evaluation"][i], columns["radius"][i]})
		assert.Equal(t, e.State, header.States[int(columns["state"][i])])
		assert.Equal(t, e.Design[1].Word, header.Columns[5].Words[int(columns["grade"][i])])
		assert.Equal(t, e.Feasible, columns["feasible"][i] == 1)
		if e.Values[0] == nil {
			untried++
			assert.Equal(t, e.Reason, header.Reasons[fmt.Sprint(e.Number)])
			assert.True(t, math.IsNaN(columns["torque"][i]))
			assert.Equal(t, *e.Values[2], columns["2*radius"][i])
		} else {
			assert.Equal(t, *e.Values[0], columns["torque"][i])
		}
	}
	assert.Positive(t, untried)
	_, answer = b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/columns?after=100", run.ID), "")
	header, columns = readColumns(t, answer)
	assert.Equal(t, len(page.Evaluations)-100, header.Rows)
	assert.Equal(t, 101.0, columns["evaluation"][0])
}

func TestWordsAreNoFormulasInATable(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	c := b.client(t)
	text := strings.Replace(pulley, "  load: {unit: N, nominal: 800}", "  load: {unit: N, nominal: 800}\n  grade: {nominal: soft, values: [soft, '=1+1']}", 1)
	require.NoError(t, os.WriteFile(b.file, []byte(text), 0o644))
	run := b.run(t, c, api.Order{Study: "look"})
	var table strings.Builder
	_, err := c.EvaluationsCSV(t.Context(), run.ID, client.EvaluationsQuery{Limit: 100}, &table)
	require.NoError(t, err)
	assert.Contains(t, table.String(), ",'=1+1,")
	assert.NotContains(t, table.String(), ",=1+1,")
}
