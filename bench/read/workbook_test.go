package read

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench/benchtest"
	"ropebench/bench/words"
	"ropebench/bench/workbook"
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

// A workbook that the bench does not calculate as it was saved is for LibreOffice, or it is refused.
func TestAWorkbookThatIsCalculatedOtherwiseIsNotTrusted(t *testing.T) {
	const file = `bench: 1
inputs: {rate: {nominal: 0.1}}
solver:
  steps:
    - workbook: cost.xlsx
      set: {Sheet1!A1: rate}
outputs: {worth: {file: cost.xlsx, cell: Sheet1!C1}}
`
	cells := func(formula string) string {
		return string(benchtest.Workbook(t, map[string]string{"A1": "0.1", "B1": "-100", "B2": "120", "C1": formula, "D1": "{D1:D2=B1:B2*2}|-200", "D2": "240", "E1": "=GLUE(A1)|3"}))
	}
	for formula, why := range map[string]string{
		"=NPV(A1,B1:B2)|8.26446280991736": "Sheet1!C1 has =NPV(A1,B1:B2), which is",
		"=SUM(B1:B2)*A1|3":                "which is 2 here and was 3 where the workbook was saved",
		"=B1*A1":                          "no program has stored what that is",
		"=D2*A1|24":                       "Sheet1!D2 has the array formula =B1:B2*2",
		"=E1*A1|0.3":                      "Sheet1!E1 cannot be calculated: =GLUE(A1)",
		"=SUM(OFFSET(B1,0,0,2,1))*A1|2":   "whose references are made while it is calculated",
	} {
		b, _, err := loadFiles(t, file, map[string]string{"cost.xlsx": cells(formula)})
		require.NoError(t, err, formula)
		assert.Equal(t, workbook.ByOffice, b.Solver.Steps[0].Workbook.By, formula)
		require.Len(t, words.Remarks(b), 1)
		assert.Contains(t, words.Remarks(b)[0], why, formula)
	}
	trusted, _, err := loadFiles(t, file, map[string]string{"cost.xlsx": cells("=IF(A1>0,IFERROR(1/0,SUM(B1:B2)*A1),E1)|2")})
	require.NoError(t, err)
	assert.Equal(t, workbook.ByOffice, trusted.Solver.Steps[0].Workbook.By, "a formula that may be needed later is looked at too")
	trusted, _, err = loadFiles(t, file, map[string]string{"cost.xlsx": cells("=IFERROR(1/0,SUM(B1:B2)*A1)|2")})
	require.NoError(t, err)
	assert.Empty(t, trusted.Solver.Steps[0].Workbook.By)
	_, _, err = loadFiles(t, strings.Replace(file, "Sheet1!A1: rate", "Sheet1!D2: rate", 1), map[string]string{"cost.xlsx": cells("=B1*A1|-10")})
	assert.ErrorContains(t, err, "set: Sheet1!D2 belongs to the array formula in Sheet1!D1")

	t.Setenv("PATH", t.TempDir())
	_, _, err = loadFiles(t, file, map[string]string{"cost.xlsx": cells("=SUM(B1:B2)*A1|3")})
	assert.ErrorContains(t, err, "the bench cannot calculate this workbook: Sheet1!C1 has =SUM(B1:B2)*A1, which is 2 here and was 3 where the workbook was saved; LibreOffice would, and LibreOffice is not found")
	assert.ErrorContains(t, err, "install libreoffice-calc and python3-uno")
}
