package steps

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ropebench/bench"
	"ropebench/bench/read"
	"ropebench/solver"
)

// costBook has a price for each material, and a cell that cannot be calculated.
func costBook(t *testing.T) []byte {
	file := excelize.NewFile()
	for at, value := range map[string]any{"A1": 2.0, "A2": "steel", "D1": "steel", "E1": 3.0, "D2": "wood", "E2": 0.5} {
		require.NoError(t, file.SetCellValue("Sheet1", at, value))
	}
	for at, formula := range map[string]string{"B1": "A1*VLOOKUP(A2,D1:E2,2,FALSE)", "B2": "B1+1", "B3": "B2*2", "C1": "GLUE(A1)", "C2": "C1+1"} {
		require.NoError(t, file.SetCellFormula("Sheet1", at, formula))
	}
	text, err := file.WriteToBuffer()
	require.NoError(t, err)
	return text.Bytes()
}

// solveBook sets the cells of a workbook and reads an output of it.
func solveBook(t *testing.T, output string) (solver.Outputs, string, error) {
	file := `bench: 1
inputs: {length: {nominal: 4}, frame: {nominal: wood, values: [steel, wood]}}
solver:
  steps:
    - workbook: cost.xlsx
      set: {Sheet1!A1: length, Sheet1!A2: frame}
outputs:
  x: {file: cost.xlsx, ` + output + `}
`
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(file)}, "cost.xlsx": {Text: costBook(t)}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	row, folder := b.NominalRow(), t.TempDir()
	value := func(name string) bench.Value { v, _ := b.ValueIn(row, name); return v }
	assert.Equal(t, []string{"4", "wood"}, s.written(value), "what the workbook depends on")
	out, err := s.Solve(t.Context(), solver.Job{ID: t.Name(), Folder: folder, Lookup: value})
	return out, folder, err
}

func TestAWorkbookIsSetCalculatedAndRead(t *testing.T) {
	t.Parallel()
	out, folder, err := solveBook(t, "cell: Sheet1!B1")
	require.NoError(t, err)
	assert.Equal(t, []float64{2}, out.Scalars, "4 times 0.5")
	assert.Equal(t, "set cells of cost.xlsx", out.Steps[0].Name)
	kept, err := excelize.OpenFile(filepath.Join(folder, "cost.xlsx"))
	require.NoError(t, err)
	defer kept.Close()
	formula, err := kept.GetCellFormula("Sheet1", "B1")
	require.NoError(t, err)
	assert.NotEmpty(t, formula, "the file in the working folder keeps its formulas")
	word, err := kept.GetCellValue("Sheet1", "A2")
	require.NoError(t, err)
	assert.Equal(t, "wood", word)

	out, _, err = solveBook(t, "cell: Sheet1!B1:B3")
	require.NoError(t, err)
	assert.Equal(t, []float64{2, 3, 6}, out.Curves[0].Y)
	out, _, err = solveBook(t, "cell: Sheet1!B1:B3, take: total")
	require.NoError(t, err)
	assert.Equal(t, []float64{11}, out.Scalars)
}

func TestAWorkbookThatCannotBeCalculatedIsAFailure(t *testing.T) {
	t.Parallel()
	for output, says := range map[string]string{
		"cell: Sheet1!C2": "output x: in cost.xlsx: Sheet1!C1 cannot be calculated: =GLUE(A1)",
		"cell: Sheet1!D1": `Sheet1!D1 has "steel" where a number was due`,
		"cell: Sheet1!Z9": "Sheet1!Z9 is empty",
		"cell: Sheet7!A1": `there is no sheet "Sheet7"`,
	} {
		_, _, err := solveBook(t, output)
		var failure *solver.Failure
		require.ErrorAs(t, err, &failure, output)
		assert.Contains(t, failure.Reason, says)
	}
}
