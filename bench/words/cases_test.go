package words

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/read"
)

// Cases stand in the problem in words, and what they all give is held at no other value.
func TestCasesAreSaidInWords(t *testing.T) {
	t.Parallel()
	text := `bench: 1
inputs:
  drum:  {unit: mm, nominal: 300, range: [100, 600]}
  load:  {unit: kN, nominal: 5}
  wind:  {unit: m/s, nominal: 2}
  crew:  {nominal: 3}
solver: {formulas: {torque: {unit: kNm, formula: load*drum/2000 + wind}, cost: drum*crew}}
requirements:
  R1: {of: torque, at_most: 3}
  R2: {of: torque, at_least: 0.1, in: [empty, full]}
  R3: {of: cost, at_most: 900}
  R4: {of: "quantile(torque, 0.9)", at_most: 3.5, in: [full]}
cases:
  empty: {load: 1}
  full:  {load: 9, wind: 12}
  wet:   {load: 4}
studies: {light: {kind: optimize, minimize: torque, meet: [R1, R2, R3, R4]}}
`
	b, _, err := read.Load(benchtest.Folder(t, map[string]string{"lift.bench.yaml": text}))
	require.NoError(t, err)
	assert.Equal(t, `Find
  drum               100 to 600 mm
that make max(torque.empty, torque.full, torque.wet) (kNm) least, such that
  R1     torque is at most 3 kNm in every case
  R2     torque is at least 0.1 kNm in empty and full
  R3     cost is at most 900
  R4     quantile(torque, 0.9) is at most 3.5 in full
in the cases
  empty  load at 1 kN
  full   load at 9 kN, wind at 12 m/s
  wet    load at 4 kN
with wind at 2 m/s, crew at 3 held.
`, Statement(b, ""))
	assert.Contains(t, Symbols(b, ""), "R2     torque ≥ 0.1  in empty and full\n")
	load, _ := b.Input("load")
	assert.Equal(t, "1 kN in empty, 9 kN in full, 4 kN in wet", Given(b, load))
	wind, _ := b.Input("wind")
	assert.Equal(t, "12 m/s in full", Given(b, wind))
	crew, _ := b.Input("crew")
	assert.Empty(t, Given(b, crew))
	assert.Equal(t, []string{"empty", "full", "wet"}, b.GivenByCases("load"))
	base, in := b.OfCase("torque.full")
	assert.Equal(t, [2]string{"torque", "full"}, [2]string{base, in})
	base, in = b.OfCase("torque.dry")
	assert.Equal(t, [2]string{"torque.dry", ""}, [2]string{base, in}, "there is no such case")
	assert.Equal(t, "kNm", b.UnitOf("min(torque.empty, torque.wet)"))
	assert.Empty(t, b.UnitOf("min(torque.empty, cost)"), "they have different units")
}
