package bench

import "strings"

var sensitivityKind = Kind{Name: "sensitivity", Meaning: "which inputs matter", New: func() Settings { return &Sensitivity{By: "surrogate"} }}

// Sensitivity are the settings of a study of which inputs matter.
type Sensitivity struct {
	Of     []string
	By     string
	Points int
	Until  Unread
	Rounds int
}

// Keys implements Settings.
func (s *Sensitivity) Keys() []Key {
	return []Key{
		{Name: "of", Meaning: "the values that are asked about", Into: &s.Of, Of: ValueNames, Default: "all outputs"},
		{Name: "by", Meaning: "the method", Into: &s.By, Choices: []string{"surrogate", "elementary-effects", "sobol-indices", "correlation", "gradient"}},
		{Name: "points", Meaning: "solver calls; base points for sobol-indices, trajectories for elementary-effects", Into: &s.Points, Least: 1, Most: MaxEvaluations},
		{Name: "until", Meaning: "how well a surrogate must predict: `{q2: 0.95}`", Into: &s.Until},
		{Name: "rounds", Meaning: "of sampling at most", Into: &s.Rounds, Least: 1, Most: 100},
	}
}

// Words implements Settings.
func (s *Sensitivity) Words() string {
	if len(s.Of) == 0 {
		return "which inputs matter, by " + s.By
	}
	return "which inputs matter for " + strings.Join(s.Of, ", ") + ", by " + s.By
}

// Later implements Settings.
func (s *Sensitivity) Later() string { return laterKind("sensitivity") }

func laterKind(name string) string {
	return "this version of Rope Bench cannot run a study of kind " + name + " yet"
}
