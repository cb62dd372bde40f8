package bench

import (
	"fmt"

	"ropebench/bench/plain"
)

var uncertaintyKind = Kind{Name: "uncertainty", Meaning: "what scatter of the inputs does to a design", New: func() Settings { return &Uncertainty{By: "latin-hypercube"} }}

// Uncertainty are the settings of a study of what scatter does.
type Uncertainty struct {
	At     Start
	Points int
	By     string
}

// Keys implements Settings.
func (u *Uncertainty) Keys() []Key {
	return []Key{
		{Name: "at", Meaning: "the design: `nominal`, `{best-of: study}` or `{name: value}`", Into: &u.At, Default: "nominal"},
		{Name: "points", Meaning: "how many are drawn", Into: &u.Points, Least: 1, Most: MaxEvaluations},
		{Name: "by", Meaning: "how they are drawn", Into: &u.By, Choices: []string{"latin-hypercube", "random", "surrogate", "design-point", "worst-case"}},
	}
}

// StartsFrom is the design about which inputs scatter.
func (u *Uncertainty) StartsFrom() Start { return u.At }

// Words implements Settings.
func (u *Uncertainty) Words() string {
	design, draws := "a design", "draws"
	switch {
	case u.At.BestOf != "":
		design = "the best design of " + u.At.BestOf
	case u.At.Values == nil:
		design = "the nominal design"
	}
	if u.Points > 0 {
		draws = plain.Count(u.Points, "draw")
	}
	switch u.By {
	case "design-point":
		return fmt.Sprintf("how rarely scatter makes %s miss a requirement, about the most probable miss, %s", design, draws)
	case "surrogate":
		return fmt.Sprintf("what scatter does to %s, by surrogates of %s", design, draws)
	case "worst-case":
		return fmt.Sprintf("the worst that tolerances do to %s", design)
	}
	return fmt.Sprintf("what scatter does to %s, %s by %s", design, draws, u.By)
}

// Later implements Settings.
func (u *Uncertainty) Later() string { return "" }
