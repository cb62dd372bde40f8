package result

import (
	"ropebench/bench"
	"ropebench/core/verdict"
)

// A Rare says how rarely scatter makes a design miss a requirement, about the most probable miss.
type Rare struct {
	Case  string `json:"case,omitempty"` // in which a miss is most probable; none where there are no cases
	Found bool   `json:"found"`          // there is a most probable miss; Says why not
	Says  string `json:"says"`
	// Index of reliability: the distance of the most probable miss from the median, in standard deviations; below 0 where the median misses.
	Index      float64                `json:"index,omitempty"`
	FirstOrder float64                `json:"first_order,omitempty"` // probability of a miss, with the limit linearized at each failure point
	Miss       *Limited               `json:"miss,omitempty"`        // probability of a miss, by draws
	Points     int                    `json:"points"`                // failure points that were found
	At         map[string]bench.Value `json:"at,omitempty"`          // what scatters, at the most probable miss
	Shares     map[string]float64     `json:"shares,omitempty"`      // of what scatters in it; above 0 where more of the input leads to the miss
	Used       int                    `json:"used"`                  // evaluations
	Decides    bool                   `json:"decides"`               // the requirement is neither a wish nor soft
}

// A WorstCase is the least margin of a requirement within the tolerances.
type WorstCase struct {
	Case       string                 `json:"case,omitempty"` // in which the margin is least; none where there are no cases
	Evaluation int                    `json:"evaluation"`
	Value      float64                `json:"value"`
	Margin     float64                `json:"margin"`
	Verdict    verdict.Verdict        `json:"verdict"`
	At         map[string]bench.Value `json:"at"` // the inputs that have tolerances
	Says       string                 `json:"says"`
	Decides    bool                   `json:"decides"` // the requirement is neither a wish nor soft
}
