package service_test

import (
	"net/http"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/api"
	"ropebench/core/pareto"
	"ropebench/service"
)

const tradedFile = `bench: 1
inputs:
  width:  {unit: mm, nominal: 30, range: [10, 60]}
  height: {unit: mm, nominal: 40, range: [20, 80]}
solver: {formulas: {mass: width*height/100, stiffness: width*height^3/1e6, slender: height/width, rim: width + height}}
requirements:
  R1: {of: slender, at_most: 2}
  R2: {of: rim, at_most: 120}
studies:
  look:  {kind: sample, plan: sobol, points: 200}
  trade: {kind: optimize, objectives: [{minimize: mass}, {maximize: stiffness}], budget: {evaluations: 200}}
`

func TestAFrontIsTakenAgainWithOtherQuestions(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	require.NoError(t, os.WriteFile(b.file, []byte(tradedFile), 0o644))
	c := b.client(t)
	trade := b.run(t, c, api.Order{Study: "trade"})
	answer, err := c.Result(t.Context(), trade.ID)
	require.NoError(t, err)
	again, err := c.Front(t.Context(), trade.ID, nil, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, answer.Front, again.Front, "the objectives of the run, where none are named")
	assert.Equal(t, answer.Tradeoff, again.Tradeoff)
	assert.Equal(t, []bool{false, true}, again.Tradeoff.Most)
	require.Len(t, again.Tradeoff.Exchange, len(again.Front)-1)
	here, next := again.Front[0].Values, again.Front[1].Values
	assert.InEpsilon(t, (next["stiffness"]-here["stiffness"])/(next["mass"]-here["mass"]), again.Tradeoff.Exchange[0], 1e-12)
	require.NotEmpty(t, again.Growth)
	for i, g := range again.Growth[1:] {
		assert.GreaterOrEqual(t, g.Share, again.Growth[i].Share, "a front grows")
	}
	assert.InDelta(t, 1, again.Growth[len(again.Growth)-1].Share, 1e-12)

	// a sample knows fronts, too, of whatever was computed
	look := b.run(t, c, api.Order{Study: "look"})
	three, err := c.Front(t.Context(), look.ID, []string{"mass", "slender"}, []string{"stiffness"}, []string{"R2"})
	require.NoError(t, err)
	assert.Equal(t, []string{"mass", "slender", "stiffness"}, three.Tradeoff.Objectives)
	assert.Nil(t, three.Tradeoff.Exchange, "that is for two")
	var points [][]float64
	beyond := 0
	for _, d := range three.Front {
		points = append(points, []float64{d.Values["mass"], d.Values["slender"], -d.Values["stiffness"]})
		assert.LessOrEqual(t, d.Values["rim"], 120.0)
		if d.Values["slender"] > 2 {
			beyond++
		}
	}
	assert.Len(t, pareto.Front(points), len(points))
	assert.NotZero(t, beyond, "R1 was not asked for")
	free, err := c.Front(t.Context(), look.ID, []string{"mass"}, []string{"stiffness"}, []string{})
	require.NoError(t, err)
	kept, err := c.Front(t.Context(), look.ID, []string{"mass"}, []string{"stiffness"}, nil)
	require.NoError(t, err)
	assert.Greater(t, free.Tradeoff.Hypervolume, kept.Tradeoff.Hypervolume)
	runs, err := c.Runs(t.Context(), "pulley", 10)
	require.NoError(t, err)
	assert.Len(t, runs, 2, "nothing was run for that")
}

func TestFrontsThatCannotBe(t *testing.T) {
	t.Parallel()
	b := start(t, func(*service.Config) {})
	require.NoError(t, os.WriteFile(b.file, []byte(tradedFile), 0o644))
	c := b.client(t)
	look := b.run(t, c, api.Order{Study: "look"})
	for _, asked := range []struct {
		minimize, maximize, meet []string
		says                     string
	}{
		{nil, nil, nil, "a front needs two values or more"},
		{[]string{"mass"}, nil, nil, "a front needs two values or more"},
		{[]string{"mass", "stifness"}, nil, nil, `"stifness" is no value of this run; did you mean stiffness?`},
		{[]string{"mass"}, []string{"mass"}, nil, "mass is asked for twice"},
		{[]string{"mass", "slender"}, nil, []string{"R9"}, "there is no requirement R9"},
	} {
		_, err := c.Front(t.Context(), look.ID, asked.minimize, asked.maximize, asked.meet)
		var p *api.Problem
		require.ErrorAs(t, err, &p, asked.says)
		assert.Equal(t, http.StatusBadRequest, p.Status)
		assert.Contains(t, p.Detail, asked.says)
	}
	_, err := c.Front(t.Context(), 99, []string{"mass", "slender"}, nil, nil)
	assert.ErrorContains(t, err, "there is no run 99")
}
