package edit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
)

const nominals = `bench: 1
inputs:
  # what the shop has
  span: {unit: 'm', nominal: 2, range: [1, 4]}   # measured
  load:
    nominal: 3.50
    unit: kN
  rope: {nominal: "steel", values: [steel, fibre, 'two words']}
  core: {values: [soft, hard], nominal: soft}
solver: {formulas: {mass: span*load}}
`

func TestNominalsAreWrittenWhereTheyStand(t *testing.T) {
	t.Parallel()
	b := nominals
	third := 1.0 / 3
	text, err := SetNominals("a.bench.yaml", []byte(b), map[string]bench.Value{"span": bench.Number(1 + third), "load": bench.Number(-2e-9), "rope": {Word: "two words"}, "core": {Word: "hard"}})
	require.NoError(t, err)
	assert.Equal(t, strings.NewReplacer("nominal: 2,", "nominal: 1.3333333333333333,", "3.50", "-2e-09", `"steel"`, "'two words'", "nominal: soft", "nominal: hard").Replace(b), string(text))
	same, err := SetNominals("a.bench.yaml", []byte(b), map[string]bench.Value{"load": bench.Number(3.5)})
	require.NoError(t, err)
	assert.Equal(t, b, string(same), "what is the same stays as it was written")
	windows := strings.ReplaceAll(b, "\n", "\r\n")
	text, err = SetNominals("a.bench.yaml", []byte(windows), map[string]bench.Value{"load": bench.Number(4)})
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(windows, "3.50", "4", 1), string(text))
}

func TestNominalsThatCannotBeWrittenAreRefused(t *testing.T) {
	t.Parallel()
	b := nominals
	for says, nominals := range map[string]map[string]bench.Value{
		"depth is no input of the bench any more: it was 3": {"depth": bench.Number(3)},
		"the bench would not be valid then":                 {"rope": {Word: "hemp"}},
	} {
		_, err := SetNominals("a.bench.yaml", []byte(b), nominals)
		assert.ErrorContains(t, err, says)
	}
	_, err := SetNominals("a.bench.yaml", []byte("bench: 2\n"), nil)
	assert.ErrorContains(t, err, "mistakes, which come first")
	folded := strings.Replace(b, `nominal: "steel"`, `nominal: "st\
    eel"`, 1)
	_, err = SetNominals("a.bench.yaml", []byte(folded), map[string]bench.Value{"rope": {Word: "fibre"}})
	assert.ErrorContains(t, err, "the nominal of rope")
}
