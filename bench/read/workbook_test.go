package read

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/words"
)

func TestWorkbooksAreChecked(t *testing.T) {
	t.Parallel()
	const file = `bench: 1
inputs: {length: {nominal: 2}, frame: {nominal: steel, values: [steel, wood]}}
solver:
  steps:
    - workbook: sled.xlsx
      set: {Sled!B2: length, Sled!B5: frame}
outputs:
  mass: {file: sled.xlsx, cell: Cost sheet!B6}
  parts: {file: sled.xlsx, cell: Cost sheet!B2:B5}
  least: {file: sled.xlsx, cell: Cost sheet!B2:B5, take: trough}
`
	sled, err := os.ReadFile("../../examples/rescue-sled-cost/sled.xlsx")
	require.NoError(t, err)
	b, _, err := loadFiles(t, file, map[string]string{"sled.xlsx": string(sled)})
	require.NoError(t, err)
	assert.Equal(t, "set 2 cells of sled.xlsx", words.Solver(b))
	assert.Equal(t, "Cost sheet!B6 of sled.xlsx", words.Output(b.Outputs[0]))
	for from, says := range map[string]string{
		"Sled!B2: length|Sled!B9: length":                         "sled.xlsx:1: set: Sled!B9 holds the formula =B2*B3*1.15: set the cells that it depends on instead",
		"Sled!B2: length|Slat!B2: length":                         `there is no sheet "Slat"; the workbook has Sled, Cost sheet, Prices`,
		"Sled!B2: length|B2: length":                              `"B2" is no cell: a cell is named by its sheet and its place`,
		"Sled!B2: length|Sled!B2: lenght":                         "lenght is no input, nor derived from inputs alone; did you mean length?",
		"Sled!B5: frame|Sled!$B$2: frame":                         "Sled!$B$2 stands twice",
		"      set: {Sled!B2: length, Sled!B5: frame}\n|":         "workbook needs set",
		"set: {Sled!B2: length, Sled!B5: frame}|put: {}":          "put does not belong to workbook",
		"workbook: sled.xlsx|workbook: sledge.xlsx":               "the file sledge.xlsx is missing",
		"cell: Cost sheet!B6|cell: B6":                            `"B6" is no cell`,
		"cell: Cost sheet!B6}|cell: Cost sheet!B6, pointer: /a}":  "needs exactly one of pointer, match, table, cell and curve",
		"cell: Cost sheet!B6}|cell: Cost sheet!B6, take: peak}":   "this output is a single number",
		"cell: Cost sheet!B6}|cell: Cost sheet!B6, gradient: {}}": "gradient needs the file",
	} {
		old, replacement, _ := strings.Cut(from, "|")
		require.Contains(t, file, old)
		_, _, err := loadFiles(t, strings.Replace(file, old, replacement, 1), map[string]string{"sled.xlsx": string(sled)})
		assert.ErrorContains(t, err, says, from)
	}
	_, _, err = loadFiles(t, file, map[string]string{"sled.xlsx": "no workbook"})
	assert.ErrorContains(t, err, "sled.xlsx:1: this is no workbook")
}
