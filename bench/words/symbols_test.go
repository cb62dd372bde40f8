package words

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/read"
)

func TestTheProblemInSymbols(t *testing.T) {
	t.Parallel()
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": `bench: 1
inputs:
  rate:  {nominal: 1, range: [0.4, 4]}
  turns: {nominal: 4, range: [1, 20], step: 1}
  few:   {nominal: 2, range: [1, 3], step: 0.5}
  plate: {nominal: 8, values: [5, 8]}
  pad:   {nominal: organic, values: [organic, ceramic]}
  rope:  {nominal: S12, catalog: ropes.csv}
  fixed: {nominal: 3}
solver:
  formulas:
    way: {along: {x: {from: 0, to: 1, count: 3}}, is: rate*x}
    cost: turns*plate
requirements:
  R1: {of: cost, at_most: 60, reserve: 2}
  R2: {of: turns/few, between: [1, 9]}
  R3: {of: turns, equals: 6, within: 0.5}
  R4: {of: way, at_least: -3, reserve: 1}
  R5: {of: way, under: limit.csv, reserve: 0.5}
  R6: {of: cost, at_least: 2, price: 40}
  W1: {of: cost, at_most: 5, wish: true}
studies:
  cheap: {kind: optimize, minimize: cost}
  strong: {kind: optimize, maximize: rate, meet: [R1], hold: {pad: ceramic}}
  any: {kind: optimize, vary: [rate]}
`, "ropes.csv": benchtest.Ropes, "limit.csv": "x,y\n0,9\n1,9\n"}))
	require.NoError(t, err)
	assert.Equal(t, `  minimize    cost
  subject to  R1     cost ≤ 60 - 2
              R2     1 ≤ turns/few ≤ 9
              R3     |turns - 6| ≤ 0.5
              R4     way ≥ -3 + 1  everywhere
              R5     way ≤ limit.csv - 0.5  everywhere
              R6     cost ≥ 2  (soft, price 40)
  over        0.4 ≤ rate ≤ 4
              turns ∈ {1, 2, ..., 20}
              few ∈ {1, 1.5, 2, 2.5, 3}
              plate ∈ {5, 8}
              pad ∈ {organic, ceramic}
              rope ∈ rows of ropes.csv (3)
`, Symbols(b, ""))
	assert.Contains(t, Symbols(b, "strong"), "  maximize    rate\n  subject to  R1     cost ≤ 60 - 2\n  over        0.4 ≤ rate ≤ 4\n")
	assert.NotContains(t, Symbols(b, "strong"), "pad")
	assert.Contains(t, Symbols(b, "any"), "  find        x\n")
	assert.Contains(t, Statement(b, "strong"), "pad at ceramic")
}
