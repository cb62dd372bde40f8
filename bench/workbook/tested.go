package workbook

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/efp"
	"github.com/xuri/excelize/v2"
)

// tested are the functions that the built-in calculation gives as LibreOffice does, for numbers of any size; the test of it compares them. Those that may
// be infinite on the way (EXP, LN, 1/0 of a power) are not among them: the library goes on with an infinity where a spreadsheet program gives an
// error.
var tested = map[string]bool{"SUM": true, "PRODUCT": true, "SUMSQ": true, "MIN": true, "MAX": true, "AVERAGE": true, "MEDIAN": true, "ABS": true, "SQRT": true, "PI": true,
	"SIN": true, "COS": true, "TAN": true, "ASIN": true, "ACOS": true, "ATAN": true, "SIGN": true, "RADIANS": true, "IF": true, "SUMPRODUCT": true}

var plusForm = regexp.MustCompile(`(^|[(,*/+^=<>-])\s*\+`)

// manyCells are the functions that take areas; cells of these that are empty count for nothing.
var manyCells = map[string]bool{"SUM": true, "PRODUCT": true, "SUMSQ": true, "MIN": true, "MAX": true, "AVERAGE": true, "MEDIAN": true}

// Untested says which of the cells on which some depend has a formula that the built-in calculation was not tested for; "" where all were. words
// are the cells that are set to words.
func (b *Book) Untested(addresses []Address, words []Address) string {
	for _, a := range addresses {
		needed, err := b.needed(a)
		if err != nil {
			return err.Error()
		}
		for _, at := range needed {
			if why := b.untested(at, words); why != "" {
				return fmt.Sprintf("%s has =%s: %s", at, b.formulas[at.sheet][at], why)
			}
		}
	}
	return ""
}

func (b *Book) untested(at cell, words []Address) string {
	sheets, err := b.storedSheets()
	switch {
	case err != nil:
		return err.Error()
	case sheets[at.sheet].formulas[at].array || b.InArray(Address{Sheet: at.sheet, Col: at.col, Row: at.row}) != nil:
		return "array formulas were not tested"
	case plusForm.MatchString(b.formulas[at.sheet][at]):
		return "a + before a value was not tested: leave it out"
	}
	parser := efp.ExcelParser()
	tokens := withoutSpace(parser.Parse(b.formulas[at.sheet][at]))
	var within []string // functions, the innermost last; "" for parentheses
	for i, token := range tokens {
		switch {
		case token.TType == efp.TokenTypeFunction && token.TSubType == efp.TokenSubTypeStart:
			name := strings.ToUpper(token.TValue)
			if !tested[name] {
				return fmt.Sprintf("the function %s was not tested", name)
			}
			if name == "IF" {
				if why := b.untestedIf(at, tokens[i+1:]); why != "" {
					return why
				}
			}
			within = append(within, name)
		case token.TType == efp.TokenTypeSubexpression && token.TSubType == efp.TokenSubTypeStart:
			within = append(within, "")
		case token.TSubType == efp.TokenSubTypeStop && len(within) > 0:
			within = within[:len(within)-1]
		case token.TType == efp.TokenTypeOperand && token.TSubType == efp.TokenSubTypeRange:
			inner := ""
			if len(within) > 0 {
				inner = within[len(within)-1]
			}
			if why := b.untestedArea(at, token.TValue, inner, words); why != "" {
				return why
			}
		case token.TType == efp.TokenTypeOperand && token.TSubType != efp.TokenSubTypeNumber:
			return fmt.Sprintf("%s is not a number, and only numbers were tested", token.TValue)
		case token.TType == efp.TokenTypeOperatorInfix && token.TValue == "^" && !isWholePower(tokens, i):
			return "powers were tested with whole numbers above 0 that stand in the formula"
		case token.TType == efp.TokenTypeOperatorInfix && token.TSubType != efp.TokenSubTypeMath && !(i >= 2 && isIf(tokens[i-2])):
			return fmt.Sprintf("%s was tested as the condition of an IF between a number and a cell without a formula", token.TValue)
		}
	}
	return ""
}

func withoutSpace(tokens []efp.Token) []efp.Token {
	var all []efp.Token
	for _, t := range tokens {
		if t.TType != efp.TokenTypeWhitespace {
			all = append(all, t)
		}
	}
	return all
}

func isIf(t efp.Token) bool {
	return t.TType == efp.TokenTypeFunction && t.TSubType == efp.TokenSubTypeStart && strings.EqualFold(t.TValue, "IF")
}

// isWholePower is true where an operator ^ is followed by a whole number above 0, which nothing follows that binds as it does.
func isWholePower(tokens []efp.Token, i int) bool {
	if i+1 >= len(tokens) || tokens[i+1].TSubType != efp.TokenSubTypeNumber {
		return false
	}
	return strings.Trim(tokens[i+1].TValue, "0123456789") == "" && strings.Trim(tokens[i+1].TValue, "0") != "" && len(tokens[i+1].TValue) < 3 &&
		(i+2 >= len(tokens) || tokens[i+2].TType != efp.TokenTypeOperatorPostfix)
}

// untestedIf looks at what follows the beginning of an IF: two operands that are compared, and two branches.
func (b *Book) untestedIf(at cell, tokens []efp.Token) string {
	const why = "an IF was tested with a condition between a number and a cell without a formula, and two branches"
	if len(tokens) < 4 || tokens[0].TType != efp.TokenTypeOperand || tokens[1].TSubType != efp.TokenSubTypeLogical || tokens[2].TType != efp.TokenTypeOperand || tokens[3].TType != efp.TokenTypeArgument {
		return why
	}
	for _, t := range []efp.Token{tokens[0], tokens[2]} {
		if t.TSubType != efp.TokenSubTypeRange {
			continue
		}
		a, known := b.area(at.sheet, t.TValue)
		if formulas, err := b.formulasOf(a.Sheet); !known || err != nil || a.Cells() != 1 || formulas[cell{sheet: a.Sheet, col: a.Col, row: a.Row}] != "" {
			return why
		}
	}
	depth, branches := 0, 0
	for _, t := range tokens {
		switch {
		case t.TSubType == efp.TokenSubTypeStart:
			depth++
		case t.TSubType == efp.TokenSubTypeStop && depth == 0:
			if branches != 2 {
				return why
			}
			return ""
		case t.TSubType == efp.TokenSubTypeStop:
			depth--
		case t.TType == efp.TokenTypeArgument && depth == 0:
			branches++
		}
	}
	return why
}

// untestedArea says why a reference was not tested within a function; "" where it was.
func (b *Book) untestedArea(at cell, reference, function string, words []Address) string {
	a, known := b.area(at.sheet, reference)
	switch {
	case !known:
		return fmt.Sprintf("%s is not a reference that can be followed", reference)
	case a.Cells() > maxTested:
		return fmt.Sprintf("%s has more than %d cells", reference, maxTested)
	case a.Cells() > 1 && !manyCells[function] && function != "SUMPRODUCT":
		return fmt.Sprintf("%s was tested with single cells", reference)
	}
	for _, set := range words {
		if a.contains(cell{sheet: set.Sheet, col: set.Col, row: set.Row}) {
			return fmt.Sprintf("%s is set to a word, and only numbers were tested", reference)
		}
	}
	formulas, err := b.formulasOf(a.Sheet)
	if err != nil {
		return err.Error()
	}
	for row := a.Row; row <= a.LastRow; row++ {
		for col := a.Col; col <= a.LastCol; col++ {
			c := cell{sheet: a.Sheet, col: col, row: row}
			if formulas[c] != "" {
				continue
			}
			if why := b.notNumber(c, manyCells[function] && a.Cells() > 1); why != "" {
				return why
			}
		}
	}
	return ""
}

// maxTested is how many cells an area may have for the built-in calculation.
const maxTested = 100_000

func (b *Book) notNumber(c cell, mayBeEmpty bool) string {
	text, err := b.file.GetCellValue(c.sheet, c.name())
	kind, kindErr := b.file.GetCellType(c.sheet, c.name())
	switch {
	case err != nil || kindErr != nil:
		return errors.Join(err, kindErr).Error()
	case text == "" && mayBeEmpty:
		return ""
	case text == "":
		return fmt.Sprintf("%s is empty, and only numbers were tested", c)
	case !isNumberCell(kind, text):
		return fmt.Sprintf("%s holds %q, and only numbers were tested", c, text)
	}
	return ""
}

func isNumberCell(kind excelize.CellType, text string) bool {
	_, err := strconv.ParseFloat(text, 64)
	return err == nil && (kind == excelize.CellTypeUnset || kind == excelize.CellTypeNumber)
}
