package workbook

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/efp"
	"github.com/xuri/excelize/v2"
)

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
