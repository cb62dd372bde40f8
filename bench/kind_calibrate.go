package bench

import (
	"fmt"
	"slices"

	"ropebench/core/curve"
	"ropebench/core/formula"
)

var calibrateKind = Kind{Name: "calibrate", Meaning: "inputs for which the model agrees with measurements", New: func() Settings {
	return &Calibrate{Search: newSearch()}
}}

// Calibrate are the settings of a fit to measurements.
type Calibrate struct {
	Match Matches
	Search
}

// A Match is a measurement that the model is to agree with: of a curve, by its points, or of a number.
type Match struct {
	Curve  string
	Of     formula.Expression
	To     Measured
	X, Y   string // columns of the file, by name or number
	Weight float64
	With   map[string]Value // inputs that were held while it was measured
	Points curve.Curve      // of a curve, as they stand in the file
}

// Measured is a number, or a file with points.
type Measured struct {
	Number float64
	File   string
	Given  bool
}

// Matches are a list of them in a file.
type Matches []*Match

// Next adds a match and gives the keys that fill it.
func (m *Matches) Next() []Key {
	next := &Match{Weight: 1, X: "1", Y: "2"}
	*m = append(*m, next)
	return []Key{
		{Name: "curve", Meaning: "a curve of the model", Into: &next.Curve, Of: ValueNames},
		{Name: "of", Meaning: "a formula, where a number was measured", Into: &next.Of},
		{Name: "to", Meaning: "the file with the points of a curve, or the number", Into: &next.To},
		{Name: "x", Meaning: "the column of the file, by its heading or number", Into: &next.X},
		{Name: "y", Meaning: "the column of the file, by its heading or number", Into: &next.Y},
		{Name: "weight", Meaning: "of the sum of squared distances", Into: &next.Weight},
		{Name: "with", Meaning: "values of held inputs for this measurement", Into: &next.With, Of: InputNames},
	}
}

// Mistake says which keys do not go together; empty where all do.
func (m *Match) Mistake() string {
	switch {
	case !m.To.Given:
		return "a match needs what was measured: to: dry.csv, or a number"
	case (m.Curve == "") == (m.Of.Text == ""):
		return "a match is of a curve, {curve: load, to: dry.csv}, or of a number, {of: gap, to: 2.1}"
	case m.Curve != "" && m.To.File == "":
		return "a match of the curve " + m.Curve + " needs a file with its points: to: dry.csv"
	case m.Of.Text != "" && m.To.File != "":
		return "a match of the number " + m.Of.Text + " needs a number: to: 2.1"
	case m.Weight <= 0:
		return "the weight of a match is above 0"
	}
	return ""
}

// Keys implements Settings.
func (c *Calibrate) Keys() []Key {
	return append([]Key{{Name: "match", Meaning: "measurements: `[{curve: load, to: dry.csv, x: x, y: y, weight: 1, with: {wet: 0}}]`, or `{of: name, to: value}`", Into: &c.Match}}, c.searchKeys()...)
}

// Named lists the files that the settings name.
func (c *Calibrate) Named() []string {
	var named []string
	for _, m := range c.Match {
		named = append(named, files(m.To.File)...)
	}
	return named
}

// Words implements Settings.
func (c *Calibrate) Words() string {
	if len(c.Match) == 0 {
		return "the best agreement with measurements"
	}
	return fmt.Sprintf("the best agreement with %d measurements", len(c.Match))
}

// Mistake says what is missing.
func (c *Calibrate) Mistake() string {
	if len(c.Match) == 0 {
		return "calibrate needs measurements: match: [{curve: load, to: dry.csv}]"
	}
	for _, m := range c.Match {
		if mistake := m.Mistake(); mistake != "" {
			return mistake
		}
	}
	return c.mistake()
}

// MustMeet says which requirements must be met: of a fit none but those that it names.
func (c *Calibrate) MustMeet() Meet { return Meet{Named: true, IDs: slices.Clone(c.Meet.IDs)} }

// Later implements Settings.
func (c *Calibrate) Later() string { return c.later() }
