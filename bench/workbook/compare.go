package workbook

import (
	"fmt"
	"regexp"
)

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
	if b.spread {
		return nil
	}
	b.spread = true
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
