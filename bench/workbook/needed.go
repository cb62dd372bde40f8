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
	if err := b.spreadArrays(); err != nil {
		return nil, err
	}
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
	book       *Book
	state      map[cell]int // 1: being visited, 2: done
	order      []cell
	references int
}

// tooMany says that a workbook is larger than is looked through.
type tooMany string

func (t tooMany) Error() string { return string(t) }

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
		return tooMany(fmt.Sprintf("%s depends on more than %d calculated cells", path[0], maxCells))
	}
	if len(formula) > maxFormula {
		return fmt.Errorf("%s: its formula has %d characters; at most %d are read", at, len(formula), maxFormula)
	}
	d.state[at] = 1
	precedents := d.book.precedents(at, formula)
	if d.references += len(precedents); d.references > maxReferences {
		return tooMany(fmt.Sprintf("%s depends on cells that name each other more than %d times", path[0], maxReferences))
	}
	for _, needed := range precedents {
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

// formulasOf gives the formulas of a sheet; none of one that is not there.
func (b *Book) formulasOf(sheet string) (map[cell]string, error) {
	if found, known := b.formulas[sheet]; known {
		return found, nil
	}
	sheets, err := b.storedSheets()
	if err != nil {
		return nil, err
	}
	found := make(map[cell]string, len(sheets[sheet].formulas))
	for at, was := range sheets[sheet].formulas {
		if was.formula != "" {
			found[at] = was.formula
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
		if a, known := b.area(at.sheet, token.TValue); known {
			needed = append(needed, b.calculatedIn(a)...)
		}
	}
	return needed
}

var columnsForm = regexp.MustCompile(`^(.*!)?\$?([A-Za-z]{1,3}):\$?([A-Za-z]{1,3})$`)

// area is what a reference of a formula names, through names of ranges too; one without a sheet is to the given sheet. It is not known for
// what cannot be followed: the calculation says what is wrong with that.
func (b *Book) area(sheet, reference string) (a Address, known bool) {
	if b.named == nil {
		b.named = map[string]string{}
		for _, name := range b.file.GetDefinedName() {
			b.named[strings.ToUpper(name.Name)] = strings.TrimPrefix(name.RefersTo, "=")
		}
	}
	if refersTo, isName := b.named[strings.ToUpper(reference)]; isName {
		reference = refersTo
	}
	if whole := columnsForm.FindStringSubmatch(reference); whole != nil {
		reference = whole[1] + whole[2] + "1:" + whole[3] + strconv.Itoa(excelize.TotalRows)
	}
	if !strings.Contains(reference, "!") {
		reference = "'" + strings.ReplaceAll(sheet, "'", "''") + "'!" + reference
	}
	parts := addressForm.FindStringSubmatch(reference)
	if parts == nil {
		return Address{}, false
	}
	a, err := rectangle(parts)
	return a, err == nil
}

// calculatedIn lists the calculated cells within an area.
func (b *Book) calculatedIn(a Address) []cell {
	formulas, err := b.formulasOf(a.Sheet)
	if err != nil {
		return nil
	}
	if a.Cells() == 1 {
		return []cell{{sheet: a.Sheet, col: a.Col, row: a.Row}}
	}
	var within []cell
	if a.Cells() > len(formulas) {
		for at := range formulas {
			if a.contains(at) {
				within = append(within, at)
			}
		}
		return within
	}
	for row := a.Row; row <= a.LastRow; row++ {
		for col := a.Col; col <= a.LastCol; col++ {
			if at := (cell{sheet: a.Sheet, col: col, row: row}); formulas[at] != "" {
				within = append(within, at)
			}
		}
	}
	return within
}
