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
	text     []byte
	formulas map[string]map[cell]string // by sheet
	stored   map[string]storedSheet     // what the file says of the results of formulas; nil: not read yet
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
	formula, err := b.file.GetCellFormula(at.sheet, at.name())
	if err == nil && formula != "" {
		err = fmt.Errorf("%s holds the formula =%s: set the cells that it depends on instead", at, formula)
	}
	return err
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

// unseen are the functions whose references do not stand in the formula.
var unseen = regexp.MustCompile(`(?i)\b(INDIRECT|OFFSET)\s*\(`)

// Compare calculates the workbook as it was saved. It says which of the cells on which some depend cannot be calculated here, or
// not as the program did that saved them; "" where all are the same.
func (b *Book) Compare(addresses []Address) (mistake string) {
	var err error
	defer func() {
		if err != nil {
			mistake = err.Error()
		}
	}()
	if err = b.spreadArrays(); err != nil {
		return ""
	}
	for _, a := range addresses {
		defer rescue(a, &err)
		var needed []cell
		if needed, err = b.needed(a); err != nil {
			return ""
		}
		for _, at := range needed {
			if mistake, err = b.compare(at); mistake != "" || err != nil {
				return mistake
			}
		}
	}
	return ""
}

func (b *Book) compare(at cell) (mistake string, err error) {
	sheets, err := b.storedSheets()
	if err != nil {
		return "", err
	}
	formula, was := b.formulas[at.sheet][at], sheets[at.sheet].formulas[at]
	switch {
	case was.array || b.InArray(Address{Sheet: at.sheet, Col: at.col, Row: at.row}) != nil:
		return fmt.Sprintf("%s has the array formula =%s", at, formula), nil
	case unseen.MatchString(formula):
		return fmt.Sprintf("%s has =%s, whose references are made while it is calculated", at, formula), nil
	case was.kind == "":
		return fmt.Sprintf("%s has =%s, and no program has stored what that is", at, formula), nil
	}
	calculated, err := b.calculate(at)
	if err == nil && was.differs(calculated) {
		mistake = fmt.Sprintf("%s has =%s, which is %s here and was %s where the workbook was saved", at, formula, calculated, was.value)
	}
	return mistake, err
}

func (b *Book) storedSheets() (map[string]storedSheet, error) {
	var err error
	if b.stored == nil {
		b.stored, err = readStored(b.text)
	}
	return b.stored, err
}

// spreadArrays gives each cell of an array formula that formula, so that it is found where others depend on it.
func (b *Book) spreadArrays() error {
	sheets, err := b.storedSheets()
	if err != nil {
		return err
	}
	for name, sheet := range sheets {
		formulas, err := b.formulasOf(name)
		if err != nil {
			return err
		}
		for _, area := range sheet.arrays {
			formula := formulas[cell{sheet: name, col: area.Col, row: area.Row}]
			for i := range area.Cells() {
				width := area.LastCol - area.Col + 1
				formulas[cell{sheet: name, col: area.Col + i%width, row: area.Row + i/width}] = formula
			}
		}
	}
	return nil
}

// InArray says in which array formula a cell lies: such a cell is not for setting.
func (b *Book) InArray(a Address) error {
	sheets, err := b.storedSheets()
	if err != nil {
		return err
	}
	at := cell{sheet: a.Sheet, col: a.Col, row: a.Row}
	for _, area := range sheets[a.Sheet].arrays {
		if area.contains(at) {
			return fmt.Errorf("%s belongs to the array formula in %s: set the cells that it depends on instead", at, cell{sheet: area.Sheet, col: area.Col, row: area.Row})
		}
	}
	return nil
}

// needed lists the calculated cells on which some depend, those first on which others depend. Two errors are that one depends on
// itself, and that they are too many.
func (b *Book) needed(a Address) ([]cell, error) {
	d := depending{book: b, state: map[cell]int{}}
	for row := a.Row; row <= a.LastRow; row++ {
		for col := a.Col; col <= a.LastCol; col++ {
			if err := d.visit(cell{sheet: a.Sheet, col: col, row: row}, nil); err != nil {
				return nil, err
			}
		}
	}
	return d.order, nil
}

type depending struct {
	book  *Book
	state map[cell]int // 1: being visited, 2: done
	order []cell
}

func (d *depending) visit(at cell, path []cell) error {
	formulas, err := d.book.formulasOf(at.sheet)
	if err != nil {
		return err
	}
	formula, calculated := formulas[at]
	if !calculated || d.state[at] == 2 {
		return nil
	}
	path = append(path, at)
	if d.state[at] == 1 {
		return fmt.Errorf("%s is calculated from itself (%s): break the circle", at, circle(path))
	}
	if len(d.state) > maxCells {
		return fmt.Errorf("%s depends on more than %d calculated cells", path[0], maxCells)
	}
	if len(formula) > maxFormula {
		return fmt.Errorf("%s: its formula has %d characters; at most %d are read", at, len(formula), maxFormula)
	}
	d.state[at] = 1
	for _, needed := range d.book.precedents(at, formula) {
		if err := d.visit(needed, path); err != nil {
			return err
		}
	}
	d.state[at] = 2
	d.order = append(d.order, at)
	return nil
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
