package steps

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"ropebench/bench"
	"ropebench/bench/benchtest"
	"ropebench/bench/workbook"
)

// anOffice is LibreOffice at work, until the test ends.
func anOffice(t *testing.T, id string) *office {
	o, err := startOffice(os.Getenv("PATH"), filepath.Join(t.TempDir(), "libreoffice"), "values-"+id)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, o.close()) })
	return o
}

func written(t *testing.T, text []byte) (file string) {
	file = filepath.Join(t.TempDir(), "book.xlsx")
	require.NoError(t, os.WriteFile(file, text, 0o600))
	return file
}

// tries are the values that A1 takes in these tests: of all sizes and signs, whole and not, and where conditions change.
var tries = []float64{-1e6, -7, -1.5, -0.3, 0, 1e-9, 0.29, 0.3, 1, 2, 3, 4, 7.25, 45000.5, 1e6}

// numbersByOffice are the values of cells for each value of A1; NaN for what is not a number.
func numbersByOffice(t *testing.T, o *office, file string, cells workbook.Address) (all [][]float64) {
	for _, value := range tries {
		got, err := o.ask(t.Context(), request{File: file, Set: [][4]any{{cells.Sheet, 0, 0, value}}, Get: [][5]any{getOf(cells)}})
		require.NoError(t, err)
		row := make([]float64, len(got[0]))
		for i, v := range got[0] {
			number, isNumber := v.(float64)
			if row[i] = math.NaN(); isNumber {
				row[i] = number
			}
		}
		all = append(all, row)
	}
	return all
}

// plainFormulas are those that the built-in calculation is for, and some that look alike.
var plainFormulas = []string{
	"A1+A2*A3-A4/A5", "A1^2", "-A1^2", "A1^3/7", "(A1+A2)%", "50%*A1", "A1-A2-A3", "A1/A2/A3", "-(A1+A2)", "2*-A1", "A1*(A2-A3)", "A1^2^2", "1/A1", "1/(A1-3)", "A1^0", "A1^-1", "A1^0.5", "10^A1", "2^A2",
	"SUM(A1:A8)", "SUM(A1:A9)", "SUM(A1,A2,3)", "PRODUCT(A1:A4)", "SUMSQ(A1:A4)", "MIN(A1:A8)", "MAX(A1,0)", "AVERAGE(A1:A9)", "MEDIAN(A1:A8)", "ABS(A1)", "SQRT(A1)", "SQRT(A1^2+A2^2)", "PI()*A1^2", "SIN(A1)", "COS(A1)",
	"TAN(A1/1000000)", "ASIN(A1/1000000)", "ACOS(A1/1000000)", "ATAN(A1)", "SIGN(A1)", "DEGREES(A1)", "RADIANS(A1)", "IF(A1>3,A2,A3)", "IF(A1>=3,1/A1,A1^2)", "IF(A1=0,0,1/A1)", "IF(A1<>0.3,1,2)", "IF(A1<A2,A1,A2)", "IF(0.3=A1,5,6)",
	"IF(A1,7,8)", "IF(A1-1,7,8)", "IF(A1+0.2=0.3,1,2)", "IF(A1>3,A2)", "INT(A1*100)", "ROUNDDOWN(A1/0.1,0)", "FLOOR(A1/0.1,1)", "CEILING(A1*1.1,0.11)", "MOD(A1,0.1)", "EXP(A1)", "1/EXP(A1)", "LN(A1)", "1/LN(A1)", "LOG10(A1)",
	"CHOOSE(A1,5,6,7)", "INDEX(A1:A8,A1)", "ODD(A1)", "VALUE(TEXT(A1,\"0.00\"))", "SUM(IF(A1>1,\"3\",3),1)", "COMBIN(5,A1)", "PMT(A1,10,1000)", "SUMPRODUCT(A1:A4,A2:A5)", "MAX(A1:A8)-MIN(A1:A8)", "A9+1", "A9*A1", "C1*A1", "A1&\"\"", "A1=3", "NOT(A1)",
	"SQRT(SUMSQ(A1:A3))/A2", "SUM(A1:A8)/8-AVERAGE(A1:A8)", "A1*1E3+2.5E-3", "(((A1)))", "+A1", "SUM(E1:E3)+A1", "IF(A1>3,IF(A2>5,1,2),3)", "A1^2*IF(A1>0,1,-1)",
}

// What the built-in calculation is let do comes to what LibreOffice gives, whatever stands in the cell that is set.
func TestTheBuiltInCalculationIsEqualOrRefused(t *testing.T) {
	t.Parallel()
	cells := map[string]string{"A1": "4", "A2": "7.5", "A3": "-2", "A4": "11.25", "A5": "3", "A6": "8", "A7": "1.5", "A8": "6", "C1": "rope", "E1": "1.25", "E2": "=A1/3", "E3": "=E2^2"}
	for i, formula := range plainFormulas {
		cells["I"+strconv.Itoa(i+1)] = "=" + formula
	}
	ofAllKinds, err := os.ReadFile("../../bench/workbook/testdata/formulas.xlsx")
	require.NoError(t, err)
	o := anOffice(t, "equal")
	for name, text := range map[string][]byte{"plain": benchtest.Workbook(t, cells), "of all kinds": ofAllKinds} {
		rows := len(plainFormulas)
		if name == "of all kinds" {
			rows = 241
		}
		column := workbook.Address{Sheet: "Sheet1", Col: 9, Row: 1, LastCol: 9, LastRow: rows}
		want := numbersByOffice(t, o, written(t, text), column)
		calculated := 0
		for v, value := range tries {
			book, err := workbook.Open(text)
			require.NoError(t, err)
			defer book.Close()
			calculated = 0
			for i := range rows {
				at := column
				at.Row, at.LastRow = i+1, i+1
				if book.Trouble([]workbook.Address{at}) != "" || book.Untested([]workbook.Address{at}, nil) != "" {
					continue
				}
				calculated++
				require.NoError(t, book.Set(workbook.Address{Sheet: "Sheet1", Col: 1, Row: 1, LastCol: 1, LastRow: 1}, value, ""))
				got, err := book.Numbers(at)
				where := fmt.Sprintf("%s, row %d at %g", name, i+1, value)
				if err != nil || math.IsInf(got[0], 0) {
					assert.True(t, math.IsNaN(want[v][i]), "%s: %v", where, err)
					continue
				}
				assert.InDelta(t, want[v][i], got[0], 1e-12*math.Max(1, math.Abs(want[v][i])), where)
			}
		}
		t.Logf("%s: %d of %d are calculated here", name, calculated, rows)
		assert.Greater(t, calculated, map[string]int{"plain": 40, "of all kinds": 15}[name])
	}
}

// shapes are workbooks whose cells depend on A1 in ways that a spreadsheet program keeps track of differently.
func shapes() map[string]map[string]string {
	all := map[string]map[string]string{}
	chain := func(name string, rows int, formula string) {
		cells := map[string]string{"A1": "1", "B1": "=A1*2"}
		for r := 2; r <= rows; r++ {
			cells[fmt.Sprintf("B%d", r)] = strings.NewReplacer("{p}", strconv.Itoa(r-1), "{r}", strconv.Itoa(r)).Replace(formula)
		}
		all[name] = cells
	}
	chain("chain", 100, "=B{p}*0.9+SIN($A$1)")
	chain("sum so far", 60, "=SUM($B$1:B{p})/({r}+$A$1^2)")
	chain("window", 80, "=AVERAGE(A1,B{p})*1.01")
	chain("conditions", 60, "=IF(B{p}>$A$1,B{p}/2,B{p}+1)")
	chain("lookups", 40, "=B{p}+INDEX($B$1:$B$1,1)*0.1")
	chain("offsets", 40, "=OFFSET(B{r},-1,0)+0.5*$A$1")
	chain("indirect", 30, "=INDIRECT(\"B{p}\")+$A$1")
	chain("texts", 40, "=VALUE(TEXT(B{p},\"0.000000000000E+00\"))+$A$1")
	steps := map[string]string{"A1": "2", "E1": "1", "F1": "0", "C1": "=A1/100"}
	for r := 1; r <= 100; r++ {
		e, f := fmt.Sprintf("E%d", r), fmt.Sprintf("F%d", r)
		steps[fmt.Sprintf("G%d", r)] = "=" + f
		steps[fmt.Sprintf("H%d", r)] = "=-SIN(" + e + ")*$A$1"
		steps[fmt.Sprintf("I%d", r)] = fmt.Sprintf("=%s+$C$1/2*H%d", f, r)
		steps[fmt.Sprintf("J%d", r)] = fmt.Sprintf("=-SIN(%s+$C$1/2*G%d)*$A$1", e, r)
		if r < 100 {
			steps[fmt.Sprintf("E%d", r+1)] = fmt.Sprintf("=%s+$C$1/6*(G%d+5*I%d)", e, r, r)
			steps[fmt.Sprintf("F%d", r+1)] = fmt.Sprintf("=%s+$C$1/6*(H%d+5*J%d)", f, r, r)
			steps[fmt.Sprintf("B%d", r+1)] = fmt.Sprintf("=E%d", r+1)
		}
	}
	steps["B1"] = "=MAX(E1:E100)"
	all["steps of time"] = steps
	all["array"] = map[string]string{"A1": "3", "B1": "{B1:B1=SUM(A1*C1:C3)}|0", "C1": "1", "C2": "=A1^2", "C3": "=C2+A1", "B2": "=B1+C3", "B3": "=SUMPRODUCT(C1:C3,C1:C3)"}
	return all
}

// A design has the same values whichever design came before it, and none.
func TestAWorkbookForgetsTheDesignBefore(t *testing.T) {
	t.Parallel()
	all := shapes()
	require.Len(t, all, 10)
	column := workbook.Address{Sheet: "Sheet1", Col: 2, Row: 1, LastCol: 2, LastRow: 100}
	one, other := anOffice(t, "one"), anOffice(t, "other")
	for name, cells := range all {
		text := benchtest.Workbook(t, cells)
		files := map[*office]string{one: written(t, text), other: written(t, text)}
		ask := func(o *office, value float64) []any {
			got, err := o.ask(t.Context(), request{File: files[o], Set: [][4]any{{"Sheet1", 0, 0, value}}, Get: [][5]any{getOf(column)}})
			require.NoError(t, err, name)
			return got[0]
		}
		first, second := ask(one, 1.75), ask(one, -0.6)
		assert.NotEqual(t, first, second, name)
		assert.Equal(t, first, ask(one, 1.75), name)
		assert.Equal(t, second, ask(other, -0.6), name)
		assert.Equal(t, first, ask(other, 1.75), name)
	}
}

// A design is handed over in the workbook itself, recalculated.
func TestAWorkbookIsHandedOverWithItsDesign(t *testing.T) {
	t.Parallel()
	cells := map[string]string{"A1": "2", "A2": "0", "B1": "=A1*3|6"}
	design := func(name string) bench.Value {
		if name == "length" {
			return bench.Number(7)
		}
		return bench.Value{Word: "wood"}
	}
	for by, stored := range map[string]string{"": "21", "      by: built-in\n": ""} {
		s := bookBench(t, "cost.xlsx", by, "cell: Sheet1!B1", benchtest.Workbook(t, cells))
		files, err := s.Ready(t.Context(), design)
		require.NoError(t, err, by)
		book, err := excelize.OpenReader(bytes.NewReader(files["cost.xlsx"].Text))
		require.NoError(t, err)
		defer book.Close()
		length, err := book.GetCellValue("Sheet1", "A1")
		require.NoError(t, err)
		assert.Equal(t, "7", length, by)
		if stored != "" {
			value, err := book.GetCellValue("Sheet1", "B1")
			require.NoError(t, err)
			assert.Equal(t, stored, value, "for programs that calculate nothing")
		} else {
			assert.Contains(t, string(files["cost.xlsx.results.txt"].Text), "cost.xlsx is recalculated by the spreadsheet program that opens it. Its cells come to:\nSheet1!B1\t21\n")
		}
		standing, err := s.Standing(t.Context(), design)
		require.NoError(t, err)
		assert.NotEmpty(t, standing["cost.xlsx"])
	}
}
