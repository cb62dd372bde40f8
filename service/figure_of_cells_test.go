package service_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/service"
)

// sweptFile has cells with a best design, cells without one, and one of which every evaluation fails.
const sweptFile = `bench: 1
inputs:
  span: {unit: m, nominal: 2, range: [1, 4]}
  load: {unit: kN, nominal: 3}
  drums: {nominal: 1}
  rope: {nominal: steel, values: [steel, fibre]}
solver: {formulas: {mass: span*load*drums, sag: sqrt(7 - load)/span}}
requirements:
  R1: {says: It hangs low enough, of: sag, at_least: 0.75}
studies:
  light: {kind: optimize, minimize: mass, budget: {evaluations: 20}}
  grid:  {kind: sweep, over: {load: {from: 1, to: 9, count: 4}, drums: [1, 2], rope: [steel, fibre]}, each: light}
`

func TestFiguresOfCells(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	require.NoError(t, os.WriteFile(b.file, []byte(sweptFile), 0o644))
	run := b.run(t, b.client(t), api.Order{Study: "grid"})
	require.Len(t, run.Cells, 16, run.Reason)
	ask := func(query string) (int, string) {
		response, text := b.fetch(t, fmt.Sprintf("/v1/runs/%d/figure?kind=cells&%s", run.ID, query))
		return response.StatusCode, text
	}
	for _, q := range []struct{ query, shows string }{
		{"x=load&y=drums&at=rope=fibre", "mass of the best designs at rope = fibre"},
		{"x=load&y=drums", "mass of the best designs at rope = steel"},
		{"x=load&y=drums&of=span", "span [m] of the best designs at rope = steel"},
		{"x=load&y=drums", "every evaluation failed"},
		{"x=load&at=rope=steel", "drums = 2"},
		{"x=drums&at=rope=steel,load=3.667", "mass"},
		{"x=drums&at=rope=steel", "load = 3.667 kN"},
	} {
		status, text := ask(q.query + "&format=svg")
		assert.Equal(t, 200, status, text)
		assert.Contains(t, text, ">"+q.shows+"<", q.query)
	}
	_, table := ask("format=csv")
	assert.Contains(t, table, "drums,load,rope,state,objective,span,mass,sag\n")
	assert.Contains(t, table, "1,9,steel,failed,,,,\n")
	assert.Equal(t, 17, strings.Count(table, "\n"))
	for _, q := range []struct{ query, says string }{
		{"x=lod", "is no input with numbers that run"},
		{"x=rope", "is no input with numbers that run"},
		{"x=load&of=torque", "of names an input of the best designs"},
		{"x=load&of=rope", "of names an input of the best designs"},
		{"x=load&at=load=3", "an input that is swept and not drawn"},
		{"x=load&at=drums=7", "no cell is at drums = 7"},
	} {
		status, text := ask(q.query)
		assert.Equal(t, 400, status, q.query)
		assert.Contains(t, text, q.says, q.query)
	}
	one := b.run(t, b.client(t), api.Order{Study: "light"})
	status, text := b.ask(t, "GET", fmt.Sprintf("/v1/runs/%d/figure?kind=cells", one.ID), "")
	assert.Equal(t, 400, status)
	assert.Contains(t, text, "has no cells")
}
