// Package workbook sets cells of an OOXML workbook, recalculates what depends on them, and reads cells.
package workbook

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/efp"
	"github.com/xuri/excelize/v2"
)

// Bounds on a workbook, named in messages.
const (
	maxFile     = 64 << 20  // bytes of the file
	maxUnpacked = 256 << 20 // bytes of all that is packed in it
	maxCells    = 100_000   // cells that are calculated for one
	maxRange    = 1_000_000 // cells in one range
	maxFormula  = 10_000    // characters
)

// An Address is a cell, or a rectangle of cells, of a sheet. Columns and rows count from 1.
type Address struct {
	Sheet    string
	Col, Row int
	LastCol  int // of a rectangle; the same as Col for a cell
	LastRow  int
}

var (
	addressForm = regexp.MustCompile(`^(?:'((?:[^']|'')+)'|([^'!:]+))!(\$?[A-Za-z]{1,3}\$?[0-9]{1,7})(?::(\$?[A-Za-z]{1,3}\$?[0-9]{1,7}))?$`)
	cellForm    = "a cell is named by its sheet and its place: Sheet1!B9, 'Cost sheet'!B9, or Sheet1!B9:B20 for several"
)

// ParseAddress reads Sheet1!B9 or 'Cost sheet'!B9:C20.
func ParseAddress(text string) (Address, error) {
	parts := addressForm.FindStringSubmatch(strings.TrimSpace(text))
	if parts == nil {
		return Address{}, fmt.Errorf("%q is no cell: %s", text, cellForm)
	}
	a, err := rectangle(parts)
	switch {
	case err != nil || a.Row == 0:
		return Address{}, fmt.Errorf("%q is no cell: %s", text, cellForm)
	case a.Cells() > maxRange:
		return Address{}, fmt.Errorf("%s has %d cells; at most %d are read", text, a.Cells(), maxRange)
	}
	return a, nil
}

// rectangle makes an address of the parts of its form.
func rectangle(parts []string) (Address, error) {
	a := Address{Sheet: parts[2]}
	if parts[1] != "" {
		a.Sheet = strings.ReplaceAll(parts[1], "''", "'")
	}
	last := parts[4]
	if last == "" {
		last = parts[3]
	}
	var err, lastErr error
	a.Col, a.Row, err = excelize.CellNameToCoordinates(strings.ReplaceAll(parts[3], "$", ""))
	a.LastCol, a.LastRow, lastErr = excelize.CellNameToCoordinates(strings.ReplaceAll(last, "$", ""))
	a.Col, a.LastCol = min(a.Col, a.LastCol), max(a.Col, a.LastCol)
	a.Row, a.LastRow = min(a.Row, a.LastRow), max(a.Row, a.LastRow)
	return a, errors.Join(err, lastErr)
}

// Cells is how many there are.
func (a Address) Cells() int { return (a.LastCol - a.Col + 1) * (a.LastRow - a.Row + 1) }

// cell is one place of a sheet.
type cell struct {
	sheet    string
	col, row int
}

func (c cell) name() string {
	name, err := excelize.CoordinatesToCellName(c.col, c.row)
	if err != nil {
		return fmt.Sprintf("column %d, row %d", c.col, c.row)
	}
	return name
}

func (c cell) String() string { return c.sheet + "!" + c.name() }

// A Book is an open workbook. It is for one goroutine at a time.
type Book struct {
	file     *excelize.File
	formulas map[string]map[cell]string // by sheet
	state    map[cell]int               // 1: being calculated, 2: done
}

// Open reads a workbook.
func Open(text []byte) (*Book, error) {
	if len(text) > maxFile {
		return nil, fmt.Errorf("the workbook has %d MB; at most %d MB are read", len(text)>>20, maxFile>>20)
	}
	file, err := excelize.OpenReader(bytes.NewReader(text), excelize.Options{RawCellValue: true, UnzipSizeLimit: maxUnpacked, UnzipXMLSizeLimit: maxUnpacked})
	if err != nil {
		return nil, fmt.Errorf("this is no workbook (.xlsx) of less than %d MB unpacked; save it as .xlsx in the spreadsheet program, or take sheets out of it: %w", maxUnpacked>>20, err)
	}
	return &Book{file: file, formulas: map[string]map[cell]string{}, state: map[cell]int{}}, nil
}

// Close ends the use of the book.
func (b *Book) Close() error { return b.file.Close() }

// Set puts a number, or a word where it is not empty, into a cell. A cell that holds a formula is not for setting.
func (b *Book) Set(a Address, number float64, word string) error {
	at := cell{sheet: a.Sheet, col: a.Col, row: a.Row}
	if err := b.Settable(a); err != nil {
		return err
	}
	if word != "" {
		return b.file.SetCellStr(at.sheet, at.name(), word)
	}
	return b.file.SetCellFloat(at.sheet, at.name(), number, -1, 64)
}

// Settable returns an error that says why a cell cannot be set.
func (b *Book) Settable(a Address) error {
	at := cell{sheet: a.Sheet, col: a.Col, row: a.Row}
	if a.Cells() != 1 {
		return fmt.Errorf("%s: one cell is set at a time", at)
	}
	if err := b.hasSheet(a.Sheet); err != nil {
		return err
	}
	formula, err := b.file.GetCellFormula(at.sheet, at.name())
	if err == nil && formula != "" {
		err = fmt.Errorf("%s holds the formula =%s: set the cells that it depends on instead", at, formula)
	}
	return err
}

func (b *Book) hasSheet(name string) error {
	if index, err := b.file.GetSheetIndex(name); err != nil || index < 0 {
		return fmt.Errorf("there is no sheet %q; the workbook has %s", name, strings.Join(b.file.GetSheetList(), ", "))
	}
	return nil
}

// Save writes the workbook with its formulas; a spreadsheet program calculates it anew when it opens it.
func (b *Book) Save() ([]byte, error) {
	always := true
	if err := b.file.SetCalcProps(&excelize.CalcPropsOptions{FullCalcOnLoad: &always}); err != nil {
		return nil, err
	}
	text, err := b.file.WriteToBuffer()
	if err != nil {
		return nil, err
	}
	return text.Bytes(), nil
}

// Numbers calculates the cells of an address, row by row. The error names the cell that is at fault, which may be one
// that they depend on. Calculated cells lose their formulas: save the book before.
func (b *Book) Numbers(a Address) (numbers []float64, err error) {
	defer func() { // the library that calculates was not made for workbooks that somebody broke on purpose
		if broken := recover(); broken != nil {
			numbers, err = nil, fmt.Errorf("%s cannot be calculated: %v", cell{sheet: a.Sheet, col: a.Col, row: a.Row}, broken)
		}
	}()
	if err := b.hasSheet(a.Sheet); err != nil {
		return nil, err
	}
	for row := a.Row; row <= a.LastRow; row++ {
		for col := a.Col; col <= a.LastCol; col++ {
			number, err := b.number(cell{sheet: a.Sheet, col: col, row: row})
			if err != nil {
				return nil, err
			}
			numbers = append(numbers, number)
		}
	}
	return numbers, nil
}

func (b *Book) number(at cell) (float64, error) {
	if err := b.calculate(at, nil); err != nil {
		return 0, err
	}
	text, err := b.file.GetCellValue(at.sheet, at.name())
	if err != nil {
		return 0, err
	}
	if text == "" {
		return 0, fmt.Errorf("%s is empty: name a cell that holds a number or a formula", at)
	}
	number, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return 0, fmt.Errorf("%s has %q where a number was due", at, text)
	}
	return number, nil
}

// calculate replaces the formula of a cell by its value, after those that it depends on: each is calculated once, and one
// that depends on itself is found.
func (b *Book) calculate(at cell, path []cell) error {
	formulas, err := b.formulasOf(at.sheet)
	if err != nil {
		return err
	}
	formula, calculated := formulas[at]
	if !calculated || b.state[at] == 2 {
		return nil
	}
	path = append(path, at)
	if b.state[at] == 1 {
		return fmt.Errorf("%s is calculated from itself (%s): break the circle", at, circle(path))
	}
	if len(b.state) > maxCells {
		return fmt.Errorf("%s depends on more than %d calculated cells", path[0], maxCells)
	}
	if len(formula) > maxFormula {
		return fmt.Errorf("%s: its formula has %d characters; at most %d are read", at, len(formula), maxFormula)
	}
	b.state[at] = 1
	for _, needed := range b.precedents(at, formula) {
		if err := b.calculate(needed, path); err != nil {
			return err
		}
	}
	b.state[at] = 2
	return b.replace(at, formula)
}

func (b *Book) replace(at cell, formula string) error {
	value, err := b.file.CalcCellValue(at.sheet, at.name())
	if err != nil {
		return fmt.Errorf("%s cannot be calculated: =%s: %w", at, formula, err)
	}
	if err := b.file.SetCellFormula(at.sheet, at.name(), ""); err != nil {
		return err
	}
	if number, err := strconv.ParseFloat(value, 64); err == nil {
		return b.file.SetCellFloat(at.sheet, at.name(), number, -1, 64)
	}
	return b.file.SetCellStr(at.sheet, at.name(), value)
}

func circle(path []cell) string {
	last := path[len(path)-1]
	names := []string{}
	for i, at := range path {
		if at == last || len(names) > 0 {
			names = append(names, path[i].String())
		}
	}
	return strings.Join(names, " <- ")
}

// formulasOf finds the formulas of a sheet, once.
func (b *Book) formulasOf(sheet string) (map[cell]string, error) {
	if found, known := b.formulas[sheet]; known {
		return found, nil
	}
	rows, err := b.file.GetRows(sheet)
	if err != nil {
		return nil, err
	}
	found := map[cell]string{}
	for r, row := range rows {
		for c := range row {
			at := cell{sheet: sheet, col: c + 1, row: r + 1}
			formula, err := b.file.GetCellFormula(sheet, at.name())
			if err != nil {
				return nil, err
			}
			if formula != "" {
				found[at] = formula
			}
		}
	}
	b.formulas[sheet] = found
	return found, nil
}

// precedents lists the calculated cells that a formula names, through names of ranges too.
func (b *Book) precedents(at cell, formula string) []cell {
	var needed []cell
	parser := efp.ExcelParser()
	for _, token := range parser.Parse(formula) {
		if token.TType != efp.TokenTypeOperand || token.TSubType != efp.TokenSubTypeRange {
			continue
		}
		reference := token.TValue
		for _, name := range b.file.GetDefinedName() {
			if strings.EqualFold(name.Name, reference) {
				reference = strings.TrimPrefix(name.RefersTo, "=")
			}
		}
		needed = append(needed, b.calculatedIn(at.sheet, reference)...)
	}
	return needed
}

var columnsForm = regexp.MustCompile(`^(.*!)?\$?([A-Za-z]{1,3}):\$?([A-Za-z]{1,3})$`)

// calculatedIn lists the calculated cells within a reference; one without a sheet is to the given sheet.
func (b *Book) calculatedIn(sheet, reference string) []cell {
	if whole := columnsForm.FindStringSubmatch(reference); whole != nil {
		reference = whole[1] + whole[2] + "1:" + whole[3] + strconv.Itoa(excelize.TotalRows)
	}
	if !strings.Contains(reference, "!") {
		reference = "'" + strings.ReplaceAll(sheet, "'", "''") + "'!" + reference
	}
	parts := addressForm.FindStringSubmatch(reference)
	if parts == nil {
		return nil // no reference that can be followed: the calculation says what is wrong with it
	}
	a, err := rectangle(parts)
	formulas, sheetErr := b.formulasOf(a.Sheet)
	if err != nil || sheetErr != nil {
		return nil
	}
	if a.Cells() == 1 {
		return []cell{{sheet: a.Sheet, col: a.Col, row: a.Row}}
	}
	var within []cell
	for at := range formulas {
		if at.col >= a.Col && at.col <= a.LastCol && at.row >= a.Row && at.row <= a.LastRow {
			within = append(within, at)
		}
	}
	return within
}
