package steps

import (
	"context"
	"errors"
	"maps"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/read"
	"ropebench/bench/workbook"
	"ropebench/core"
	"ropebench/solver"
)

// costBook has a price for each material, and cells that are errors.
var costBook = map[string]string{"A1": "2", "A2": "steel", "D1": "steel", "E1": "3", "D2": "wood", "E2": "0.5",
	"B1": "=A1*VLOOKUP(A2,D1:E2,2,FALSE)|6", "B2": "=B1+1|7", "B3": "=B2*2|14", "C1": "=1/(A1-A1)|#DIV/0!", "C2": "=C1+1|#DIV/0!", "C3": "=IFERROR(C2,-1)|-1"}

// bookBench sets the cells of a workbook and reads an output of it.
func bookBench(t *testing.T, file, by, output string, text []byte) *Solver {
	bare := `bench: 1
inputs: {length: {nominal: 4}, frame: {nominal: wood, values: [steel, wood]}}
solver:
  steps:
    - workbook: ` + file + `
      set: {Sheet1!A1: length, Sheet1!A2: frame}
` + by + `outputs:
  x: {file: ` + file + `, ` + output + `}
`
	content := bench.Content{File: "a.bench.yaml", Files: map[string]bench.File{"a.bench.yaml": {Text: []byte(bare)}, file: {Text: text}}}
	b, err := read.Parse(content)
	require.NoError(t, err)
	s, err := New(b, content, os.Getenv("PATH"))
	require.NoError(t, err)
	return s
}

func nominal(t *testing.T, s *Solver) func(name string) bench.Value {
	row := s.bench.NominalRow()
	return func(name string) bench.Value { v, _ := s.bench.ValueIn(row, name); return v }
}

func solveBook(t *testing.T, output string) (solver.Outputs, string, error) {
	plain := map[string]string{"A1": "2", "B1": "=A1*IF(E3>1,E1,E2)", "B2": "=B1+1", "B3": "=B2*2", "C1": "=1/(A1-A1)", "C2": "=C1+1", "D1": "steel", "E1": "3", "E2": "0.5", "E3": "0"}
	s, folder := bookBench(t, "cost.xlsx", "      by: built-in\n", output, benchtest.Workbook(t, plain)), t.TempDir()
	assert.Equal(t, []string{"4", "wood"}, s.written(nominal(t, s)), "what the workbook depends on")
	out, err := once(t.Context(), s, solver.Job{ID: t.Name(), Folder: folder, Lookup: nominal(t, s)})
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
		"cell: Sheet1!C2": "output x: in cost.xlsx: Sheet1!C2 is #DIV/0!: Sheet1!C1 has =1/(A1-A1)",
		"cell: Sheet1!D1": `Sheet1!D1 has "steel" where a number was due`,
		"cell: Sheet1!Z9": "Sheet1!Z9 is empty",
	} {
		_, _, err := solveBook(t, output)
		var failure *solver.Failure
		require.ErrorAs(t, err, &failure, output)
		assert.Contains(t, failure.Reason, says)
	}
}

// office calculates a workbook by LibreOffice in one session, for several values of A1.
func byOffice(t *testing.T, s *Solver, lengths ...float64) (all []solver.Outputs, err error) {
	session, err := s.Open(t.Context(), solver.Worker{Folder: t.TempDir()})
	require.NoError(t, err)
	defer func() { require.NoError(t, session.Close()) }()
	for _, length := range lengths {
		out, err := session.Solve(t.Context(), solver.Job{ID: "office-" + t.Name(), Folder: t.TempDir(), Lookup: func(name string) bench.Value {
			if name == "length" {
				return bench.Number(length)
			}
			return bench.Value{Word: "wood"}
		}})
		if err != nil {
			return nil, err
		}
		all = append(all, out)
	}
	return all, nil
}

func TestLibreOfficeCalculatesWhatTheBenchCannot(t *testing.T) {
	t.Parallel()
	cells := maps.Clone(costBook)
	cells["F1"] = "{F1:F1=SUM(A1:A1*E1:E2)}|7"
	for at, formula := range map[string]string{"F2": "=NPV(0.1,B1:B3)|21.759", "F3": "=SUMPRODUCT((D1:D2=A2)*E1:E2)*A1|6"} {
		cells[at] = formula
	}
	text := benchtest.Workbook(t, cells)
	s := bookBench(t, "cost.xlsx", "", "cell: Sheet1!F1:F3", text)
	require.Equal(t, workbook.ByOffice, s.bench.Solver.Steps[0].Workbook.By)
	all, err := byOffice(t, s, 4, 10)
	require.NoError(t, err)
	npv := func(b1 float64) float64 { return b1/1.1 + (b1+1)/1.21 + 2*(b1+1)/1.331 }
	for i, length := range []float64{4, 10} {
		got := all[i].Curves[0].Y
		assert.InDelta(t, length*3.5, got[0], 1e-9)
		assert.InDelta(t, npv(length*0.5), got[1], 1e-9)
		assert.InDelta(t, length*0.5, got[2], 1e-9)
	}
	assert.Empty(t, matching(func(left trace) bool { return left.id == "office-"+t.Name()+"-office" }), "and ends with its session")
}

func TestWorkbooksThatOnlyLibreOfficeReads(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "cost.xlsx"), benchtest.Workbook(t, costBook), 0o600))
	o, err := startOffice(os.Getenv("PATH"), filepath.Join(folder, "libreoffice"), "test-ods")
	require.NoError(t, err)
	_, err = o.ask(t.Context(), request{File: filepath.Join(folder, "cost.xlsx"), Get: [][5]any{}, Save: filepath.Join(folder, "cost.ods")})
	require.NoError(t, errors.Join(err, o.close()))
	text, err := os.ReadFile(filepath.Join(folder, "cost.ods"))
	require.NoError(t, err)
	all, err := byOffice(t, bookBench(t, "cost.ods", "", "cell: Sheet1!B1:B3", text), 4, 6)
	require.NoError(t, err)
	assert.Equal(t, []float64{2, 3, 6}, all[0].Curves[0].Y)
	assert.Equal(t, []float64{3, 4, 8}, all[1].Curves[0].Y)
	for output, says := range map[string]string{"cell: Sheet1!C2": "Sheet1!C2 is #DIV/0!", "cell: Sheet1!D1": `Sheet1!D1 has "steel" where a number was due`, "cell: Sheet1!Z9": "Sheet1!Z9 is empty", "cell: Sheet7!A1": `there is no sheet "Sheet7"`} {
		_, err := byOffice(t, bookBench(t, "cost.ods", "", output, text), 4)
		var failure *solver.Failure
		require.ErrorAs(t, err, &failure, output)
		assert.Contains(t, failure.Reason, says)
	}
}

func TestAnOfficeThatIsInterruptedIsReplaced(t *testing.T) {
	t.Parallel()
	s := bookBench(t, "cost.xlsx", "      by: libreoffice\n", "cell: Sheet1!B1", benchtest.Workbook(t, costBook))
	session, err := s.Open(t.Context(), solver.Worker{Folder: t.TempDir()})
	require.NoError(t, err)
	job := func() solver.Job { return solver.Job{ID: t.Name(), Folder: t.TempDir(), Lookup: nominal(t, s)} }
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = session.Solve(gone, job())
	failure := requireFailure(t, err)
	assert.Equal(t, core.Cancelled, failure.State)
	out, err := session.Solve(t.Context(), job())
	require.NoError(t, err)
	assert.Equal(t, []float64{2}, out.Scalars)
	require.NoError(t, session.Close())
}
