package bench

var calibrateKind = Kind{Name: "calibrate", Meaning: "inputs for which the model agrees with measurements", New: func() Settings {
	return &Calibrate{Search: newSearch()}
}}

// Calibrate are the settings of a fit to measurements.
type Calibrate struct {
	Match Unread
	Search
}

// Keys implements Settings.
func (c *Calibrate) Keys() []Key {
	return append([]Key{{Name: "match", Meaning: "measurements: `[{curve: load, to: dry.csv, x: x, y: y, weight: 1, with: {wet: 0}}]`, or `{of: name, to: value}`", Into: &c.Match}}, c.searchKeys()...)
}

// Words implements Settings.
func (c *Calibrate) Words() string { return "the best agreement with measurements" }

// Later implements Settings.
func (c *Calibrate) Later() string { return laterKind("calibrate") }
