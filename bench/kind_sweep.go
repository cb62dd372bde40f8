package bench

var sweepKind = Kind{Name: "sweep", Meaning: "a study for each cell of a grid of inputs", New: func() Settings { return &Sweep{} }}

// Sweep are the settings of a study that is made again for each cell of a grid.
type Sweep struct {
	Over Unread
	Each string
}

// Keys implements Settings.
func (s *Sweep) Keys() []Key {
	return []Key{
		{Name: "over", Meaning: "the grid: `{springs: [2, 3, 4], rider_mass: {from: 50, to: 110, count: 7}}`, or `{table: cells.csv}`", Into: &s.Over},
		{Name: "each", Meaning: "the study that is made for each cell, with its own budget", Into: &s.Each, Of: StudyNames},
	}
}

// Words implements Settings.
func (s *Sweep) Words() string { return s.Each + " for each cell" }

// Later implements Settings.
func (s *Sweep) Later() string { return laterKind("sweep") }
