// Package workbook sets cells of an OOXML workbook, recalculates what depends on them, and reads cells.
package workbook

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// Bounds on a workbook, named in messages.
const (
	maxFile       = 64 << 20   // bytes of the file
	maxUnpacked   = 256 << 20  // bytes of all that is packed in it
	maxCells      = 100_000    // cells that are calculated for one
	maxRange      = 1_000_000  // cells in one range
	maxReferences = 20_000_000 // from calculated cells to calculated cells that are followed
	maxFormula    = 10_000     // characters
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
	text     []byte
	formulas map[string]map[cell]string // by sheet
	stored   map[string]storedSheet     // what the file says of the results of formulas; nil: not read yet
	spread   bool                       // formulas has those of array formulas in each of their cells
	named    map[string]string          // what names refer to, by the name in capitals; nil: not read yet
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
	return &Book{file: file, text: text, formulas: map[string]map[cell]string{}}, nil
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
	if err := b.HasSheet(a.Sheet); err != nil {
		return err
	}
	formulas, err := b.formulasOf(at.sheet)
	if formula := formulas[at]; err == nil && formula != "" {
		err = fmt.Errorf("%s holds the formula =%s: set the cells that it depends on instead", at, formula)
	}
	return err
}

// Holds is true for a cell that holds a number, or a word where it is not empty.
func (b *Book) Holds(a Address, number float64, word string) bool {
	text, err := b.file.GetCellValue(a.Sheet, cell{sheet: a.Sheet, col: a.Col, row: a.Row}.name())
	if err != nil || word != "" {
		return err == nil && text == word
	}
	held, err := strconv.ParseFloat(text, 64)
	return err == nil && held == number
}

// HasSheet returns an error that names the sheets there are where that is not one.
func (b *Book) HasSheet(name string) error {
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

// Numbers calculates the cells of an address, row by row. The error names the cell that is at fault.
func (b *Book) Numbers(a Address) (numbers []float64, err error) {
	defer rescue(a, &err)
	if err := b.HasSheet(a.Sheet); err != nil {
		return nil, err
	}
	needed, err := b.needed(a)
	if err != nil {
		return nil, err
	}
	for _, at := range needed { // a formula that cannot be computed counts as empty for those that use it, without a word
		if _, err := b.calculate(at); err != nil {
			return nil, err
		}
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

// rescue makes an error of a panic: the library that calculates was not made for workbooks that somebody broke on purpose.
func rescue(a Address, err *error) {
	if broken := recover(); broken != nil {
		*err = fmt.Errorf("%s cannot be calculated: %v", cell{sheet: a.Sheet, col: a.Col, row: a.Row}, broken)
	}
}

func (b *Book) number(at cell) (float64, error) {
	text, err := b.calculate(at)
	if err != nil {
		return 0, err
	}
	if strings.HasPrefix(text, "#") {
		return 0, fmt.Errorf("%s is %s%s", at, text, b.cause(at))
	}
	if text == "" {
		return 0, fmt.Errorf("%s is empty: name a cell that holds a number or a formula", at)
	}
	if truth := strings.Index("FALSE TRUE", text); truth >= 0 && len(text) > 3 {
		return float64(truth / len("FALSE ")), nil
	}
	number, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return 0, fmt.Errorf("%s has %q where a number was due", at, text)
	}
	return number, nil
}

// cause names the formula in which an error begins.
func (b *Book) cause(at cell) string {
	needed, err := b.needed(Address{Sheet: at.sheet, Col: at.col, Row: at.row, LastCol: at.col, LastRow: at.row})
	if err != nil {
		return ""
	}
	for _, first := range needed { // what they depend on comes before them
		if text, err := b.calculate(first); err == nil && strings.HasPrefix(text, "#") {
			return fmt.Sprintf(": %s has =%s", first, b.formulas[first.sheet][first])
		}
	}
	return ""
}

// errorValues are those that a formula may have and others may look at (ISO/IEC 29500-1, section 18.17.3).
var errorValues = []string{"#DIV/0!", "#N/A", "#NAME?", "#NULL!", "#NUM!", "#REF!", "#VALUE!", "#SPILL!", "#CALC!"}

// calculate gives the value of a cell as text; an error that is a value is one.
func (b *Book) calculate(at cell) (string, error) {
	formulas, err := b.formulasOf(at.sheet)
	if err != nil {
		return "", err
	}
	formula, isFormula := formulas[at]
	if !isFormula {
		return b.file.GetCellValue(at.sheet, at.name())
	}
	value, err := b.file.CalcCellValue(at.sheet, at.name())
	switch {
	case err == nil:
		return value, nil
	case slices.Contains(errorValues, err.Error()) && !strings.Contains(err.Error(), "#NAME?"):
		return err.Error(), nil
	}
	return "", fmt.Errorf("%s cannot be calculated: =%s: %w", at, formula, err)
}
