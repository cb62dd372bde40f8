package workbook

import (
	"archive/zip"
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// sheet makes a workbook of cells: formulas begin with =.
func sheet(t testing.TB, cells map[string]any) []byte {
	file := excelize.NewFile()
	_, err := file.NewSheet("Cost sheet")
	require.NoError(t, err)
	for address, value := range cells {
		a, err := ParseAddress(address)
		require.NoError(t, err)
		at := cell{sheet: a.Sheet, col: a.Col, row: a.Row}
		if text, isText := value.(string); isText && text[0] == '=' {
			require.NoError(t, file.SetCellFormula(at.sheet, at.name(), text[1:]))
		} else {
			require.NoError(t, file.SetCellValue(at.sheet, at.name(), value))
		}
	}
	require.NoError(t, file.SetDefinedName(&excelize.DefinedName{Name: "Rate", RefersTo: "'Cost sheet'!$B$4"}))
	text, err := file.WriteToBuffer()
	require.NoError(t, err)
	return text.Bytes()
}

func numbers(t testing.TB, text []byte, address string) ([]float64, error) {
	book, err := Open(text)
	require.NoError(t, err)
	defer book.Close()
	a, err := ParseAddress(address)
	require.NoError(t, err)
	return book.Numbers(a)
}

func TestCellsAreSetAndCalculated(t *testing.T) {
	t.Parallel()
	text := sheet(t, map[string]any{"Sheet1!B2": 1.5, "Sheet1!B3": "=B2*2", "Sheet1!B4": "=SUM(B2:B3)*Rate", "'Cost sheet'!B4": "=2+Sheet1!B3/B5", "'Cost sheet'!B5": 3.0,
		"Sheet1!C1": "organic", "Sheet1!C2": "=IF(C1=\"organic\",10,20)", "Sheet1!D1": "=SUM(B:B)"})
	book, err := Open(text)
	require.NoError(t, err)
	set := func(address string, number float64, word string) error {
		a, err := ParseAddress(address)
		require.NoError(t, err)
		return book.Set(a, number, word)
	}
	require.NoError(t, set("Sheet1!B2", 3, ""))
	require.NoError(t, set("Sheet1!C1", 0, "ceramic"))
	assert.ErrorContains(t, set("Sheet1!B3", 1, ""), "Sheet1!B3 holds the formula =B2*2: set the cells that it depends on")
	assert.ErrorContains(t, set("Sheet9!B3", 1, ""), `there is no sheet "Sheet9"; the workbook has Sheet1, Cost sheet`)
	assert.ErrorContains(t, set("Sheet1!B2:B3", 1, ""), "one cell is set at a time")
	saved, err := book.Save()
	require.NoError(t, err)
	got, err := numbers(t, saved, "Sheet1!B2:B4")
	require.NoError(t, err)
	assert.Equal(t, []float64{3, 6, 36}, got, "(3 + 6)*(2 + 6/3)")
	got, err = numbers(t, saved, "Sheet1!C2")
	require.NoError(t, err)
	assert.Equal(t, []float64{20}, got)
	got, err = numbers(t, saved, "Sheet1!$D$1")
	require.NoError(t, err)
	assert.Equal(t, []float64{45}, got, "a whole column")
}

func TestTheCellAtFaultIsNamed(t *testing.T) {
	t.Parallel()
	for says, cells := range map[string]map[string]any{
		"Sheet1!B1 is calculated from itself (Sheet1!B1 <- Sheet1!B2 <- Sheet1!B3 <- Sheet1!B1): break the circle": {"Sheet1!B1": "=B2+1", "Sheet1!B2": "=SUM(B3:B4)", "Sheet1!B3": "=B1"},
		"Sheet1!B3 cannot be calculated: =STRESSOF(2)":                                                             {"Sheet1!B1": "=B2+1", "Sheet1!B2": "=B3*2", "Sheet1!B3": "=STRESSOF(2)"},
		"Sheet1!B1 is #DIV/0!: Sheet1!B2 has =1/B3":                                                                {"Sheet1!B1": "=B2+1", "Sheet1!B2": "=1/B3", "Sheet1!B3": 0},
		`Sheet1!B1 has "heavy" where a number was due`:                                                             {"Sheet1!B1": "heavy"},
		"Sheet1!B1 is empty": {"Sheet1!B2": 1},
	} {
		_, err := numbers(t, sheet(t, cells), "Sheet1!B1")
		assert.ErrorContains(t, err, says)
	}
	_, err := numbers(t, sheet(t, nil), "Sheet2!B1")
	assert.ErrorContains(t, err, `there is no sheet "Sheet2"`)
}

func TestWhatIsNoWorkbook(t *testing.T) {
	t.Parallel()
	for _, text := range []string{"", "PK\x03\x04 broken", "name,mass\n"} {
		_, err := Open([]byte(text))
		assert.ErrorContains(t, err, "this is no workbook (.xlsx)")
	}
	var bomb bytes.Buffer
	w := zip.NewWriter(&bomb)
	member, err := w.Create("xl/workbook.xml")
	require.NoError(t, err)
	_, err = member.Write(make([]byte, maxUnpacked+1))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	_, err = Open(bomb.Bytes())
	assert.ErrorContains(t, err, "less than 256 MB unpacked")
}

func TestAddresses(t *testing.T) {
	t.Parallel()
	a, err := ParseAddress("'It''s cost'!$C$2:B9")
	require.NoError(t, err)
	assert.Equal(t, Address{Sheet: "It's cost", Col: 2, Row: 2, LastCol: 3, LastRow: 9}, a)
	assert.Equal(t, 16, a.Cells())
	for _, wrong := range []string{"B9", "Sheet1!", "Sheet1!9B", "Sheet1!B0", "Sheet1!ZZZZ1", "Sheet1!A1:ZZZ999999", "a!b!c", ""} {
		_, err := ParseAddress(wrong)
		assert.Error(t, err, wrong)
	}
}

func FuzzCells(f *testing.F) {
	f.Add("=SUM(A1:B2)*2", "Sheet1!A1")
	f.Add("=A1", "'Cost sheet'!B2:B3")
	f.Add("=VLOOKUP(1,B:B,1)", "Sheet1!$A$1")
	f.Fuzz(func(t *testing.T, formula, address string) {
		a, err := ParseAddress(address)
		if err != nil || a.Cells() > 1000 {
			return
		}
		file := excelize.NewFile()
		defer file.Close()
		if file.SetCellFormula("Sheet1", "A1", formula) != nil {
			return
		}
		text, err := file.WriteToBuffer()
		if err != nil {
			return
		}
		book, err := Open(text.Bytes())
		if err != nil {
			return
		}
		defer book.Close()
		_, _ = book.Numbers(a)
	})
}
