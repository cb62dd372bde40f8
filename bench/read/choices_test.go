package read

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/deck"
	"ropebench/bench/words"
)

const winchFile = `bench: 1
inputs:
  pad:   {nominal: organic, values: [organic, sintered, ceramic]}
  plate: {unit: mm, nominal: 8, values: [12, 5, 6, 8, 10]}
  rope:  {nominal: S12, catalog: ropes.csv}
  load:  {unit: kg, nominal: 80, scatter: {normal: {mean: 80, sd: 14}, within: [45, 120]}}
solver:
  formulas:
    mass: plate*0.8 + rope.mass*6
`

func loadFiles(t *testing.T, file string, others map[string]string) (*bench.Bench, bench.Content, error) {
	folder := t.TempDir()
	others["winch.bench.yaml"] = file
	for name, text := range others {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644))
	}
	return Load(filepath.Join(folder, "winch.bench.yaml"))
}

func TestChoicesAreRead(t *testing.T) {
	t.Parallel()
	b, content, err := loadFiles(t, winchFile, map[string]string{"ropes.csv": benchtest.Ropes})
	require.NoError(t, err)
	assert.Contains(t, content.Files, "ropes.csv")
	assert.Len(t, b.Varied(), 3)
	assert.Equal(t, []string{"pad", "plate", "rope", "load", "rope.mass", "rope.price"}, b.Variables())
	rope, _ := b.Input("rope")
	assert.Equal(t, []string{"P14", "S12", "S16"}, rope.Choices.Words, "ordered by mass, so that neighbours are alike")
	assert.Equal(t, "one of the 3 rows of ropes.csv", words.Range(rope))
	plate, _ := b.Input("plate")
	assert.Equal(t, "one of 5, 6, 8, 10, 12 mm", words.Range(plate))
	load, _ := b.Input("load")
	assert.Equal(t, "held at 80 kg, scattering: normal, mean 80, sd 14, within 45 to 120", words.Range(load))
	row := b.NominalRow()
	assert.Equal(t, []float64{0, 8, 1, 80, 0.5, 4}, row)
	for name, want := range map[string]string{"pad": "organic", "rope": "S12", "rope.mass": "0.5", "rope.kind": "steel", "plate": "8"} {
		value, known := b.ValueIn(row, name)
		assert.True(t, known)
		assert.Equal(t, want, value.String(), name)
	}
	_, known := b.ValueIn(row, "rope.colour")
	assert.False(t, known)
	deck, problems := deck.Parse("d", []byte("@[pad:%-10s]|@[rope.kind]|@[rope.mass:%6.3f]"))
	require.Empty(t, problems)
	filled, err := deck.Fill(func(name string) bench.Value { v, _ := b.ValueIn(row, name); return v })
	require.NoError(t, err)
	assert.Equal(t, "organic   |steel| 0.500", string(filled))
}

func TestValuesTravelAsNumbersOrTexts(t *testing.T) {
	t.Parallel()
	text, err := json.Marshal(map[string]bench.Value{"pad": {Word: "organic"}, "plate": bench.Number(8.5)})
	require.NoError(t, err)
	assert.JSONEq(t, `{"pad": "organic", "plate": 8.5}`, string(text))
	var back map[string]bench.Value
	require.NoError(t, json.Unmarshal(text, &back))
	assert.Equal(t, map[string]bench.Value{"pad": {Word: "organic"}, "plate": bench.Number(8.5)}, back)
	assert.Equal(t, bench.Value{Word: "007"}, bench.ParseValue("007"), "the name of a part is not a number")
	number, err := bench.Input{Name: "a"}.NumberOf(bench.Value{Word: "1e3"})
	require.NoError(t, err)
	assert.Equal(t, 1000.0, number)
	pad := bench.Input{Name: "pad", Choices: &bench.Choices{Words: []string{"organic", "ceramic"}, Index: map[string]int{"organic": 0, "ceramic": 1}}}
	_, err = pad.NumberOf(bench.Value{Word: "ceramics"})
	assert.EqualError(t, err, "pad cannot be ceramics; did you mean ceramic?; it is one of organic, ceramic")
}

func TestMistakesInChoicesAreExplained(t *testing.T) {
	t.Parallel()
	for from, says := range map[string]string{
		"nominal: organic, values: [organic, sintered, ceramic]|nominal: wood, values: [organic, sintered]": "the nominal is none of its values",
		"nominal: organic, values: [organic, sintered, ceramic]|nominal: organic, values: [organic]":        "a list of two or more",
		"values: [organic, sintered, ceramic]|values: [organic, 3]":                                         "mix numbers and words",
		"values: [organic, sintered, ceramic]|values: [organic, organic]":                                   "organic stands twice",
		"nominal: 8, values|nominal: 7, values":                                                             "the nominal 7 is none of its values, 5, 6, 8, 10, 12",
		"values: [12, 5, 6, 8, 10]|values: [12, 8], range: [1, 9]":                                          "range does not go with a list",
		"rope.mass*6|rope*6":                   "rope is the name of a row of ropes.csv",
		"rope.mass*6|pad*6":                    "pad is a word, and formulas compute with numbers",
		"rope.mass*6|rope.weight*6":            "ropes.csv has no column weight",
		"rope.mass*6|rope.kind*6":              `rope.kind is no number everywhere: ropes.csv has "`,
		"rope.mass*6|pad.mass*6":               "pad has no columns",
		"nominal: S12|nominal: S13":            "the nominal is no row of ropes.csv: rope cannot be S13; did you mean",
		"catalog: ropes.csv|catalog: none.csv": "none.csv is missing",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{normal: {mean: 80}}":                               "normal needs mean and sd",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{normal: {mean: 80, sd: 0}}":                        "sd must be above 0",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{uniform: {lower: 2, upper: 3}, within: [4, 5]}":    "leaves nothing of the distribution",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{within: [4, 5]}":                                   "needs a distribution, one of empirical, lognormal",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{triangular: {lower: 1, mode: 9, upper: 3}}":        "mode 9 is outside of 1 to 3",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{empirical: {from: ropes.csv, column: mass}}":       "ropes.csv has 3 values; a distribution needs at least 5",
		"{normal: {mean: 80, sd: 14}, within: [45, 120]}|{weibull: {shape: 2, scale: 1}, normal: {mean: 1}}": "give one distribution",
	} {
		old, replacement, _ := strings.Cut(from, "|")
		require.Contains(t, winchFile, old)
		_, _, err := loadFiles(t, strings.Replace(winchFile, old, replacement, 1), map[string]string{"ropes.csv": benchtest.Ropes})
		assert.ErrorContains(t, err, says, from)
	}
}

func TestRowsThatStudiesNameAreLookedUp(t *testing.T) {
	t.Parallel()
	studies := "studies:\n  a: {kind: sample, hold: {rope: S13}}\n  b: {kind: optimize, minimize: mass, start: {rope: S16, pad: wood}}\n"
	_, _, err := loadFiles(t, winchFile+studies, map[string]string{"ropes.csv": benchtest.Ropes})
	assert.ErrorContains(t, err, "winch.bench.yaml:12: b: start: pad cannot be wood")
	_, _, err = loadFiles(t, winchFile+strings.Replace(studies, ", pad: wood", "", 1), map[string]string{"ropes.csv": benchtest.Ropes})
	assert.ErrorContains(t, err, "winch.bench.yaml:11: a: hold: rope cannot be S13")
	assert.NotContains(t, err.Error(), "b: start", "S16 is a row")
	_, _, err = loadFiles(t, winchFile, map[string]string{})
	require.Error(t, err)
	assert.Equal(t, 1, strings.Count(err.Error(), "\n")+1, "a missing catalog is one mistake: %s", err)
}

func TestMistakesInCatalogsAreExplained(t *testing.T) {
	t.Parallel()
	for text, says := range map[string]string{
		"name,mass\nS12,\n":              "ropes.csv:2: the cell of column mass is empty in the row of \"S12\"",
		"name,mass\nS12,1\nS16,2\nS12,3": "ropes.csv:4: a row named S12 stands on line 2 already",
		"name,mass\nS12\n":               "the row has 1 cells, and the header 2",
		"name,rope mass\nS12,1\n":        `column 2 is headed "rope mass", which cannot be a name`,
		"name,mass,mass\nS12,1,2\n":      "two columns are headed mass",
		"name,mass\n":                    "a row for each part; this has 1 rows",
		"name,mass\n\"S12,1\n":           "the catalog cannot be read",
	} {
		_, _, err := loadFiles(t, winchFile, map[string]string{"ropes.csv": text})
		assert.ErrorContains(t, err, says, text)
	}
	choices, problems := readCatalog("c", []byte("\xef\xbb\xbfname;mass\n# bought in spring\nA;2\nB;1\n"))
	require.Empty(t, problems)
	assert.Equal(t, []string{"B", "A"}, choices.Words)
}
