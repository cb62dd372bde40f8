package result

import "time"

// Verdicts are what is shown of a candidate.
type Verdicts struct {
	Bench        string      `json:"bench"`
	Revision     int         `json:"revision"`
	Candidate    string      `json:"candidate"` // its name, or RUN:EVALUATION
	Run          int         `json:"run"`
	Evaluation   int         `json:"evaluation"`
	Verified     bool        `json:"verified"` // on the bench as it is now
	Holds        bool        `json:"holds"`    // every requirement that decides is shown to be met, with its reserve
	Says         string      `json:"says"`
	Written      time.Time   `json:"written"`
	Requirements []VerdictOn `json:"requirements"` // the least margin, in percent of the limit, first
	Design       *Design     `json:"design,omitempty"`
}

// A VerdictOn is that on one requirement.
type VerdictOn struct {
	ID string `json:"id"`
	Judgment
	Percent *float64 `json:"margin_percent,omitempty"` // of the limit; none where the limit is 0 or a curve
	Decides bool     `json:"decides"`                  // it is neither a wish nor soft
}
