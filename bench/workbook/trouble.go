package workbook

import (
	"errors"
	"fmt"
	"regexp"
)

var (
	externalForm = regexp.MustCompile(`(^|[^A-Za-z0-9_\]])'?[^'"!(),+*/^&=<>]*\[[^\]]+\][^'!]*'?!`)
	volatileForm = regexp.MustCompile(`(?i)\b(RAND|RANDBETWEEN|RANDARRAY|NOW|TODAY)\s*\(`)
	textsForm    = regexp.MustCompile(`"[^"]*"`)
)

// Trouble says why no program gives cells of the workbook reliable values: one depends on itself, or on another workbook. It is "" where none
// is found.
func (b *Book) Trouble(addresses []Address) string {
	for _, a := range addresses {
		needed, err := b.needed(a)
		var large tooMany
		if err != nil && !errors.As(err, &large) {
			return err.Error()
		}
		for _, at := range needed {
			if formula := b.formulas[at.sheet][at]; externalForm.MatchString(textsForm.ReplaceAllString(formula, "")) {
				return fmt.Sprintf("%s has =%s, which reads another workbook: bring what it needs into this one", at, formula)
			}
		}
	}
	return ""
}

// Volatile names a cell on which some depend whose value changes by itself; "" where there is none.
func (b *Book) Volatile(addresses []Address) string {
	for _, a := range addresses {
		needed, _ := b.needed(a) // what it cannot follow is said by Trouble
		for _, at := range needed {
			if formula := b.formulas[at.sheet][at]; volatileForm.MatchString(textsForm.ReplaceAllString(formula, "")) {
				return fmt.Sprintf("%s has =%s", at, formula)
			}
		}
	}
	return ""
}
