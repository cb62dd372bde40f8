package bench

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
		{Name: "by", Meaning: "how they are drawn", Into: &u.By, Choices: []string{"latin-hypercube", "random", "surrogate"}},
	}
}

// StartsFrom is the design about which inputs scatter.
func (u *Uncertainty) StartsFrom() Start { return u.At }

// Words implements Settings.
func (u *Uncertainty) Words() string { return "what scatter does to a design, by " + u.By }

// Later implements Settings.
func (u *Uncertainty) Later() string { return laterKind("uncertainty") }
