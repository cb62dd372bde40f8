package bench

import (
	"maps"
	"slices"
	"strings"

	"ropebench/bench/plain"
)

var seekKind = Kind{Name: "seek", Meaning: "the least change that reaches targets", New: func() Settings {
	return &Seek{Search: newSearch()}
}}

// Seek are the settings of a search for the least change that reaches targets.
type Seek struct {
	Reach Reach
	Search
}

// Keys implements Settings.
func (s *Seek) Keys() []Key {
	return append([]Key{{Name: "reach", Meaning: "values to be reached, all of them: `{gap: 2.2}`", Into: &s.Reach, Of: ValueNames}}, s.searchKeys()...)
}

// Words implements Settings.
func (s *Seek) Words() string {
	var words []string
	for _, name := range slices.Sorted(maps.Keys(s.Reach)) {
		words = append(words, name+" = "+plain.Exact(s.Reach[name]))
	}
	if words == nil {
		return "the least change that reaches its targets"
	}
	return "the least change that reaches " + strings.Join(words, ", ")
}

// Mistake says what is missing.
func (s *Seek) Mistake() string {
	switch {
	case len(s.Reach) == 0:
		return "seek needs what is to be reached: reach: {gap: 2.2}"
	case !slices.Equal(s.Methods, []string{"auto"}):
		return "seek has a method of its own: remove method"
	}
	return s.mistake()
}

// Later implements Settings.
func (s *Seek) Later() string { return s.later() }
