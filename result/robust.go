package result

import "ropebench/bench"

// A Robust answer says what a design does under scatter, beside the one that is best without it.
type Robust struct {
	By     string   `json:"by"`     // draws, or surrogates
	Draws  int      `json:"draws"`  // of what scatters, the same for every design
	Inputs []string `json:"inputs"` // that scatter
	Told   []Told   `json:"told"`   // statistics, and requirements under scatter
	// Trail has the designs that were judged over their draws, in their order; of several objectives the first.
	Trail  []Judged        `json:"trail"`
	Missed []string        `json:"missed,omitempty"`
	Alone  *WithoutScatter `json:"alone,omitempty"` // absent where scatter is all that is asked about
	// Checked is by how much predictions of surrogates were off in draws that the solver has computed, as a share of the spread of the value; absent by draws.
	Checked *float64 `json:"checked,omitempty"`
}

// A Judged design has an objective over its draws.
type Judged struct {
	Evaluation int     `json:"evaluation"` // of the design without scatter
	Objective  float64 `json:"objective"`
	Kept       bool    `json:"kept"` // every requirement that is asked for
}

// BetterThan is true where a design is better than another one: what keeps its requirements is, and then what has the better objective.
func (j Judged) BetterThan(other Judged, maximize bool) bool {
	switch {
	case j.Kept != other.Kept:
		return j.Kept
	case maximize:
		return j.Objective > other.Objective
	}
	return j.Objective < other.Objective
}

// WithoutScatter is the design that a search finds which ignores scatter.
type WithoutScatter struct {
	Evaluation int                    `json:"evaluation"`
	Inputs     map[string]bench.Value `json:"inputs"`
	Used       int                    `json:"used"` // evaluations that it took
}

// Told is a number under scatter: an objective, a requirement on a statistic, or the margin of one that is to be met with a probability.
type Told struct {
	Of          string   `json:"of"`
	Unit        string   `json:"unit,omitempty"`
	Requirement string   `json:"requirement,omitempty"` // the id; absent for an objective
	Limit       string   `json:"limit,omitempty"`       // of the requirement, in words
	Value       float64  `json:"value"`
	Alone       *float64 `json:"alone,omitempty"` // of the design that ignores scatter
	From        *float64 `json:"from,omitempty"`  // limits of confidence of the value, where it was told by independent draws
	To          *float64 `json:"to,omitempty"`
	Holds       *bool    `json:"holds,omitempty"` // of a requirement; absent where the limits of confidence do not tell
}
