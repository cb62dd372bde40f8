package workbook

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
)

var (
	// externalForm is a reference to another workbook, which a file names by its number: [1]Sheet1!A1, '[1]Cost sheet'!A1.
	externalForm = regexp.MustCompile(`'\[[0-9]+\][^']*'!|\[[0-9]+\][\w. ]*!`)
	volatileForm = regexp.MustCompile(`(?i)\b(RAND|RANDBETWEEN|RANDARRAY|NOW|TODAY)\s*\(`)
	textsForm    = regexp.MustCompile(`"[^"]*"`)
)

// Trouble says why no program gives cells of the workbook reliable values: one depends on itself, or on another workbook. It is "" where none
// is found.
func (b *Book) Trouble(addresses []Address) string {
	says, err := b.reached(addresses, externalForm)
	switch {
	case err != nil:
		return err.Error()
	case says != "":
		return says + ", which reads another workbook: bring what it needs into this one"
	}
	return ""
}

// Volatile names a cell on which some depend whose value changes by itself; "" where there is none. The cells have no Trouble.
func (b *Book) Volatile(addresses []Address) (string, error) {
	return b.reached(addresses, volatileForm)
}

// reached finds a formula of a form among those on which cells depend; where these are too many to be followed, among all.
func (b *Book) reached(addresses []Address, form *regexp.Regexp) (says string, err error) {
	for _, a := range addresses {
		cells, err := b.needed(a)
		var large tooMany
		if errors.As(err, &large) {
			cells, err = b.calculated()
		}
		if err != nil {
			return "", err
		}
		for _, at := range cells {
			if formula := b.formulas[at.sheet][at]; form.MatchString(textsForm.ReplaceAllString(formula, "")) {
				return fmt.Sprintf("%s has =%s", at, formula), nil
			}
		}
	}
	return "", nil
}

// calculated are all cells with formulas.
func (b *Book) calculated() (cells []cell, err error) {
	for _, sheet := range b.file.GetSheetList() {
		formulas, err := b.formulasOf(sheet)
		if err != nil {
			return nil, err
		}
		for at := range formulas {
			cells = append(cells, at)
		}
	}
	slices.SortFunc(cells, func(a, b cell) int {
		return cmp.Or(cmp.Compare(a.sheet, b.sheet), cmp.Compare(a.row, b.row), cmp.Compare(a.col, b.col))
	})
	return cells, nil
}
