package read

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropebench/bench"
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

const rateFile = `bench: 1
inputs: {rate: {nominal: 0.1}}
solver:
  steps:
    - workbook: cost.xlsx
      set: {Sheet1!A1: rate}
outputs: {worth: {file: cost.xlsx, cell: Sheet1!C1}}
`

func rateBook(t *testing.T, formula string) map[string]string {
	return map[string]string{"cost.xlsx": string(benchtest.Workbook(t, map[string]string{"A1": "0.1", "B1": "-100", "B2": "120", "B3": "rope", "C1": formula, "C2": "=A1*2",
		"D1": "{D1:D2=B1:B2*2}|-200", "D2": "240", "E1": "=GLUE(A1)|3", "F1": "=F2+1", "F2": "=F1*A1", "G1": "=[1]Prices!A1*2", "H1": "=TODAY()-45000"}))}
}

// LibreOffice calculates where it is installed; the bench itself only what was tested.
func TestAWorkbookIsCalculatedByWhatIsTrusted(t *testing.T) {
	load := func(formula, more string) (*bench.Bench, error) {
		b, _, err := loadFiles(t, strings.Replace(rateFile, "      set:", more+"      set:", 1), rateBook(t, formula))
		return b, err
	}
	b, err := load("=SUM(B1:B2)*A1|2", "")
	require.NoError(t, err)
	assert.Equal(t, workbook.ByOffice, b.Solver.Steps[0].Workbook.By)
	assert.Empty(t, words.Remarks(b))
	b, err = load("=SUM(B1:B2)*A1|2", "      by: built-in\n")
	require.NoError(t, err)
	assert.Equal(t, workbook.ByBuiltIn, b.Solver.Steps[0].Workbook.By)
	_, err = load("=A1", "      by: excel\n")
	assert.ErrorContains(t, err, `by is libreoffice (the default where it is installed) or built-in, not "excel"`)
	untested := map[string]string{
		"=NPV(A1,B1:B2)":  "Sheet1!C1 has =NPV(A1,B1:B2): the function NPV was not tested",
		"=D2*A1":          "array formulas were not tested",
		"=E1*A1":          "Sheet1!E1 has =GLUE(A1): the function GLUE was not tested",
		"=IF(A1,7,8)":     "an IF was tested with a condition between a number and a cell without a formula",
		"=IF(C2>1,7,8)":   "an IF was tested with a condition",
		"=IF(A1>1,7)":     "an IF was tested with a condition",
		"=A1^0.5":         "powers were tested with whole numbers",
		"=B3*A1":          `Sheet1!B3 holds "rope", and only numbers were tested`,
		"=B9*A1":          "Sheet1!B9 is empty",
		"=A1=0.3":         "= was tested as the condition of an IF",
		"=A1&B1":          "& was tested as the condition of an IF",
		"=SQRT(B1:B2)*A1": "B1:B2 was tested with single cells",
		"=+A1":            "a + before a value was not tested",
	}
	for formula, why := range untested {
		_, err := load(formula, "      by: built-in\n")
		assert.ErrorContains(t, err, "the built-in calculation is not for this workbook", formula)
		assert.ErrorContains(t, err, why, formula)
		assert.ErrorContains(t, err, "leave by out, and LibreOffice calculates it", formula)
	}
	t.Setenv("PATH", t.TempDir())
	b, err = load("=SUM(B1:B2)*A1", "")
	require.NoError(t, err)
	assert.Equal(t, workbook.ByBuiltIn, b.Solver.Steps[0].Workbook.By, "what was tested needs no LibreOffice")
	_, err = load("=IF(A1,7,8)", "")
	assert.ErrorContains(t, err, "LibreOffice is not found")
	assert.ErrorContains(t, err, "install libreoffice-calc and python3-uno")
	_, err = load("=SUM(B1:B2)*A1", "      by: libreoffice\n")
	assert.ErrorContains(t, err, "LibreOffice is not found")
}

func TestWorkbooksThatNoProgramGivesReliableValues(t *testing.T) {
	t.Parallel()
	for formula, why := range map[string]string{
		"=F1*A1":                  "Sheet1!F1 is calculated from itself (Sheet1!F1 <- Sheet1!F2 <- Sheet1!F1): break the circle",
		"=G1+A1":                  "Sheet1!G1 has =[1]Prices!A1*2, which reads another workbook",
		"=H1*A1":                  "Sheet1!H1 has =TODAY()-45000, whose value changes by itself: put a number in its place, or say noisy: true under solver",
		"='[12]Cost sheet'!B2+A1": "which reads another workbook",
		"=RANDBETWEEN(1,2)":       "Sheet1!C1 has =RANDBETWEEN(1,2), whose value changes by itself",
	} {
		_, _, err := loadFiles(t, rateFile, rateBook(t, formula))
		assert.ErrorContains(t, err, why, formula)
	}
	b, _, err := loadFiles(t, strings.Replace(rateFile, "  steps:", "  noisy: true\n  steps:", 1), rateBook(t, "=H1*A1"))
	require.NoError(t, err)
	assert.True(t, b.Volatile())
	assert.Equal(t, []string{"cost.xlsx: Sheet1!H1 has =TODAY()-45000, whose value changes by itself: no evaluation is reused"}, words.Remarks(b))
	b, _, err = loadFiles(t, rateFile, rateBook(t, `=A1*LEN("NOW() [1]x!A1")`))
	require.NoError(t, err, "what stands in a text is no function")
	assert.False(t, b.Volatile())
	_, _, err = loadFiles(t, strings.Replace(rateFile, "Sheet1!A1: rate", "Sheet1!D2: rate", 1), rateBook(t, "=B1*A1"))
	assert.ErrorContains(t, err, "set: Sheet1!D2 belongs to the array formula in Sheet1!D1")
}
