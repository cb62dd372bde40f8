package service_test

import (
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/bench"
)

// hoisted holds empty and full, and its drum is made of a steel that scatters.
const hoisted = `bench: 1
inputs:
  drum:  {unit: mm, nominal: 300, range: [100, 600]}
  load:  {unit: kN, nominal: 5}
  steel: {nominal: 1, scatter: {normal: {mean: 1, sd: 0.05}}}
solver: {formulas: {torque: {unit: kNm, formula: load*drum/2000}, strain: load*500/(drum*steel), cost: {unit: EUR, formula: "(drum - 150)^2/100 + 40*steel"}}}
requirements:
  R1: {of: strain, at_most: 20, with_probability: 0.9}
  R2: {of: torque, at_most: 3, in: [full]}
  R3: {of: deviation(strain), at_most: 2}
cases: {empty: {load: 1}, full: {load: 9}}
studies:
  light: {kind: optimize, minimize: cost, meet: [R1, R2]}
  sure:  {kind: optimize, minimize: expected(cost), draws: 40}
  few:   {kind: optimize, minimize: expected(cost), method: surrogate, meet: [R2]}
  shake: {kind: uncertainty, points: 60}
`

// Every answer about cases and scatter is as the interface describes it, and the report tells of both.
func TestAnswersAboutCasesAndScatter(t *testing.T) {
	t.Parallel()
	b := start(t, nil)
	require.NoError(t, os.WriteFile(b.file, []byte(hoisted), 0o644))
	c := b.client(t)
	try := b.run(t, c, api.Order{Study: "try"})
	assert.Equal(t, "full", try.Best.Requirements["R1"].Case)
	light, sure := b.run(t, c, api.Order{Study: "light"}), b.run(t, c, api.Order{Study: "sure"})
	require.NotNil(t, sure.Robust)
	assert.NotEmpty(t, sure.Robust.Trail)
	few := b.run(t, c, api.Order{Study: "few"})
	require.NotNil(t, few.Robust, few.Reason)
	assert.Equal(t, "surrogates", few.Robust.By)
	shake := b.run(t, c, api.Order{Study: "shake"})
	assert.Len(t, shake.Scatter.Told, 2, "in each case")
	for _, path := range []string{"/v1/benches/pulley", "/v1/runs/1/result", fmt.Sprintf("/v1/runs/%d/result", sure.ID), fmt.Sprintf("/v1/runs/%d/result", few.ID), fmt.Sprintf("/v1/runs/%d/convergence", few.ID), fmt.Sprintf("/v1/runs/%d/result", shake.ID), fmt.Sprintf("/v1/runs/%d/convergence", light.ID), fmt.Sprintf("/v1/runs/%d/convergence", sure.ID)} {
		status, text := b.ask(t, "GET", path, "")
		assert.Equal(t, 200, status, "%s: %s", path, text)
	}
	status, text := b.ask(t, "GET", "/v1/runs/1/convergence", "")
	assert.Equal(t, 400, status)
	assert.Contains(t, text, "only searches converge")

	told, err := c.Bench(t.Context(), "pulley")
	require.NoError(t, err)
	assert.Equal(t, []api.Case{{Name: "empty", Values: map[string]bench.Value{"load": bench.Number(1)}}, {Name: "full", Values: map[string]bench.Value{"load": bench.Number(9)}}}, told.Cases)
	assert.Equal(t, []string{"full"}, told.Requirements[1].In)
	assert.Equal(t, "1 kN in empty, 9 kN in full", told.Inputs[1].Says)

	_, err = c.Pick(t.Context(), "pulley", api.Pick{Candidate: api.Candidate{Run: sure.ID}, Name: "sure"})
	require.NoError(t, err)
	b.run(t, c, api.Order{Study: "verify", Of: &api.Candidate{Run: sure.ID}})
	page, err := c.Report(t.Context(), "pulley", url.Values{"candidate": {"sure"}, "as": {"markdown"}})
	require.NoError(t, err)
	for _, words := range []string{"Every design was judged over 40 draws of steel", "| R1 | strain, in full | at most 20 |", "expected(cost) of each design over its draws", "R3 deviation(strain.full)"} {
		assert.True(t, strings.Contains(string(page), words), "the report has not: %s", words)
	}
	poor := b.run(t, c, api.Order{Study: "sure", Evaluations: 41})
	assert.Contains(t, poor.Reason, "give more evaluations, ask for fewer draws")
}
