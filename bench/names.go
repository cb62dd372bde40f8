package bench

import (
	"regexp"

	"ropebench/core/formula"
)

// InputsOnly gives the names that depend on inputs alone: the inputs themselves and the derived values made of them.
func (b *Bench) InputsOnly() map[string]bool {
	only := map[string]bool{}
	for _, in := range b.Inputs {
		only[in.Name] = true
	}
	numbers, words := b.catalogNames()
	for _, name := range append(numbers, words...) {
		only[name] = true
	}
	for _, d := range b.Derived {
		if b.dependsOnlyOn(d.Formula, only) {
			only[d.Name] = true
		}
	}
	return only
}

func (b *Bench) dependsOnlyOn(expression formula.Expression, names map[string]bool) bool {
	for _, name := range expression.Names {
		if !names[name] {
			return false
		}
	}
	return true
}

// OnInputs is true for a requirement that inputs alone decide.
func (b *Bench) OnInputs(q Requirement) bool { return b.dependsOnlyOn(q.Of, b.InputsOnly()) }

var GoodName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]*$`)

var GoodDashName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_-]*$`)
