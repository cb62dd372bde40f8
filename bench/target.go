package bench

import (
	"strings"

	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// A Target is a formula that is to come near to a number.
type Target struct {
	Of     formula.Expression
	To     float64
	Weight float64
}

// Targets are a list of them in a file.
type Targets []*Target

// Next adds a target and gives the keys that fill it.
func (t *Targets) Next() []Key {
	next := &Target{Weight: 1}
	*t = append(*t, next)
	return []Key{
		{Name: "of", Meaning: "a formula", Into: &next.Of, Needed: true},
		{Name: "to", Meaning: "the number that it is to come near to", Into: &next.To, Needed: true, Free: true},
		{Name: "weight", Meaning: "of the squared distance from it", Into: &next.Weight},
	}
}

func (t Targets) all() []Target {
	var all []Target
	for _, target := range t {
		all = append(all, *target)
	}
	return all
}

func (t Targets) words() string {
	var words []string
	for _, target := range t {
		words = append(words, target.Of.Text+" = "+plain.Exact(target.To))
	}
	return strings.Join(words, ", ")
}

// A Reach says which values are to be reached, by name.
type Reach map[string]float64
