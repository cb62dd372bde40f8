package bench

import "strings"

var sweepKind = Kind{Name: "sweep", Meaning: "a study for each cell of a grid of inputs", New: func() Settings { return &Sweep{} }}

// Sweep are the settings of a study that is made again for each cell of a grid.
type Sweep struct {
	Over Grid
	Each string
}

// A Grid has the values of some inputs: all combinations, or the rows of a file.
type Grid struct {
	Axes  []GridAxis // the last runs fastest
	Table string     // a file
	Rows  *PlanTable // of that file
}

// A GridAxis is an input with its values.
type GridAxis struct {
	Input  string
	Values []Value
}

// MaxCells bounds a sweep.
const MaxCells = 10_000

// Cells are the values of the inputs in each cell.
func (g Grid) Cells() []map[string]Value {
	if g.Rows != nil {
		return g.Rows.cells()
	}
	cells := []map[string]Value{{}}
	for _, axis := range g.Axes {
		var more []map[string]Value
		for _, cell := range cells {
			for _, value := range axis.Values {
				next := map[string]Value{axis.Input: value}
				for name, other := range cell {
					next[name] = other
				}
				more = append(more, next)
			}
		}
		cells = more
	}
	return cells
}

// Inputs are those that the grid sets.
func (g Grid) Inputs() []string {
	if g.Rows != nil {
		return g.Rows.Inputs
	}
	var names []string
	for _, axis := range g.Axes {
		names = append(names, axis.Input)
	}
	return names
}

// Keys implements Settings.
func (s *Sweep) Keys() []Key {
	return []Key{
		{Name: "over", Meaning: "the grid: `{springs: [2, 3, 4], rider_mass: {from: 50, to: 110, count: 7}}`, or `{table: cells.csv}`", Into: &s.Over, Of: InputNames},
		{Name: "each", Meaning: "the study that is made for each cell, with its own budget", Into: &s.Each, Of: StudyNames},
	}
}

// Named lists the files that the settings name.
func (s *Sweep) Named() []string { return files(s.Over.Table) }

// Words implements Settings.
func (s *Sweep) Words() string {
	return s.Each + " for each cell of " + strings.Join(s.Over.Inputs(), ", ")
}

// Mistake says what is missing.
func (s *Sweep) Mistake() string {
	switch {
	case len(s.Over.Axes) == 0 && s.Over.Table == "":
		return "sweep needs a grid: over: {springs: [2, 3, 4]}"
	case s.Each == "":
		return "sweep needs the study that is made for each cell: each: best"
	}
	return ""
}

// Later implements Settings.
func (s *Sweep) Later() string { return "" }
