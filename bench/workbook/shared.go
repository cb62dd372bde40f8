package workbook

import (
	"regexp"
	"strings"

	"github.com/xuri/excelize/v2"
)

// A sharedFormula is written once for several cells: the others have it with their references moved along (ISO/IEC 29500-1, section
// 18.3.1.40).
type sharedFormula struct {
	at   cell
	text string
}

// movedTo is the formula as another cell has it.
func (s sharedFormula) movedTo(at cell) string {
	return moved(s.text, at.col-s.at.col, at.row-s.at.row)
}

var referenceForm = regexp.MustCompile(`(^|[^A-Za-z0-9_.$])(\$?)([A-Za-z]{1,3})(\$?)([0-9]{1,7})(\b)`)

// moved is a formula whose relative references lie so many columns and rows further. Texts, and names of sheets in quotes, stay.
func moved(formula string, cols, rows int) string {
	var b strings.Builder
	for formula != "" {
		plain := formula
		if at := strings.IndexAny(formula, `"'`); at >= 0 {
			plain = formula[:at]
		}
		b.WriteString(movedPlain(plain, formula[len(plain):], cols, rows))
		formula = formula[len(plain):]
		if formula == "" {
			break
		}
		end := strings.IndexByte(formula[1:], formula[0]) + 2
		if end < 2 {
			end = len(formula)
		}
		b.WriteString(formula[:end])
		formula = formula[end:]
	}
	return b.String()
}

func movedPlain(text, behind string, cols, rows int) string {
	var b strings.Builder
	last := 0
	for {
		found := referenceForm.FindStringSubmatchIndex(text[last:])
		if found == nil {
			break
		}
		for i := range found {
			found[i] += last
		}
		next := strings.TrimLeft(text[found[1]:]+behind, " ")
		b.WriteString(text[last:found[3]])
		reference := text[found[4]:found[11]]
		if !strings.HasPrefix(next, "(") && !strings.HasPrefix(next, "!") { // LOG10(2) is a function, and AB1!A2 names a sheet
			reference = movedReference(text[found[4]:found[5]], text[found[6]:found[7]], text[found[8]:found[9]], text[found[10]:found[11]], cols, rows)
		}
		b.WriteString(reference)
		last = found[11]
	}
	b.WriteString(text[last:])
	return b.String()
}

func movedReference(fixedCol, col, fixedRow, row string, cols, rows int) string {
	c, r, err := excelize.CellNameToCoordinates(col + row)
	if err != nil {
		return fixedCol + col + fixedRow + row
	}
	if fixedCol == "" {
		c += cols
	}
	if fixedRow == "" {
		r += rows
	}
	name, err := excelize.CoordinatesToCellName(c, r)
	if err != nil {
		return "#REF!"
	}
	letters := strings.TrimRight(name, "0123456789")
	return fixedCol + letters + fixedRow + name[len(letters):]
}
