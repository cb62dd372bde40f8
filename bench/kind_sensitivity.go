package bench

import (
	"fmt"
	"strings"
)

var sensitivityKind = Kind{Name: "sensitivity", Meaning: "which inputs matter", New: func() Settings { return &Sensitivity{By: BySurrogate} }}

// The methods of sensitivity studies.
const (
	BySurrogate         = "surrogate"
	ByElementaryEffects = "elementary-effects"
	BySobolIndices      = "sobol-indices"
	ByCorrelation       = "correlation"
	ByGradient          = "gradient"
)

// Sensitivity are the settings of a study of which inputs matter.
type Sensitivity struct {
	Of     []string
	By     string
	Points int
	Until  Until
	Rounds int
	About  Start
}

// Until says how well a surrogate must predict before sampling ends; 0: the points say.
type Until struct{ Q2 float64 }

// Keys lists the keys of it.
func (u *Until) Keys() []Key {
	return []Key{{Name: "q2", Meaning: "sampling in rounds ends as soon as Q², the cross-validated R² of the surrogate, is at least this for each value", Into: &u.Q2, Most: 1}}
}

// Keys implements Settings.
func (s *Sensitivity) Keys() []Key {
	return []Key{
		{Name: "of", Meaning: "the values that are asked about", Into: &s.Of, Of: ValueNames, Default: "all that are numbers"},
		{Name: "by", Meaning: "the method", Into: &s.By, Choices: []string{BySurrogate, ByElementaryEffects, BySobolIndices, ByCorrelation, ByGradient}},
		{Name: "points", Meaning: "solver calls at most; base points for `sobol-indices`, of which each takes as many calls as there are inputs, and 2; trajectories for `elementary-effects`, of which each takes one call more than there are inputs", Into: &s.Points, Least: 1, Most: MaxEvaluations, Default: "10 for each varied input; 1024 for sobol-indices, 20 for elementary-effects"},
		{Name: "until", Meaning: "how well a surrogate must predict", Into: &s.Until},
		{Name: "rounds", Meaning: "of sampling at most, for `surrogate`: each puts its points where they help most", Into: &s.Rounds, Least: 1, Most: 100, Default: "1; 4 with until"},
		{Name: "about", Meaning: "the design for `gradient`: `nominal`, `{best-of: study}` or `{name: value}`", Into: &s.About, Default: "nominal"},
	}
}

// StartsFrom is the design about which gradients are taken.
func (s *Sensitivity) StartsFrom() Start { return s.About }

// MustMeet implements the meaning of such a study: a design is evaluated whatever it misses.
func (s *Sensitivity) MustMeet() Meet { return Meet{Named: true} }

// Words implements Settings.
func (s *Sensitivity) Words() string {
	words := "which inputs matter"
	if len(s.Of) > 0 {
		words += " for " + strings.Join(s.Of, ", ")
	}
	words += ", by " + s.By
	if s.Until.Q2 > 0 {
		words += fmt.Sprintf(", until Q² is %g", s.Until.Q2)
	}
	return words
}

// Mistake says which keys do not go together; empty where all do.
func (s *Sensitivity) Mistake() string {
	switch {
	case s.By != BySurrogate && s.Until.Q2 > 0:
		return "until belongs to by: surrogate, whose predictions it is about: remove one of the two"
	case s.By != BySurrogate && s.Rounds > 0:
		return "rounds belongs to by: surrogate: remove one of the two"
	case s.By != ByGradient && (s.About.BestOf != "" || s.About.Values != nil):
		return "about belongs to by: gradient: remove one of the two"
	case s.By == ByGradient && s.Points > 0:
		return "by: gradient needs no points: remove them"
	}
	return ""
}

// Later implements Settings.
func (s *Sensitivity) Later() string { return "" }
