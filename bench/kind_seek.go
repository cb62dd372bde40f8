package bench

var seekKind = Kind{Name: "seek", Meaning: "the least change that reaches targets", New: func() Settings {
	return &Seek{Search: newSearch()}
}}

// Seek are the settings of a search for the least change that reaches targets.
type Seek struct {
	Reach Unread
	Search
}

// Keys implements Settings.
func (s *Seek) Keys() []Key {
	return append([]Key{{Name: "reach", Meaning: "values to be reached, all of them: `{gap: 2.2}`", Into: &s.Reach}}, s.searchKeys()...)
}

// Words implements Settings.
func (s *Seek) Words() string { return "the least change that reaches its targets" }

// Later implements Settings.
func (s *Seek) Later() string { return laterKind("seek") }
