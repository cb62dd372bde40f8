// Package result has the parts of an answer: plain types that every room above may use. What draws answers goes by part,
// whatever kind of study gave it.
package result

import (
	"encoding/json"
	"fmt"

	"ropebench/bench"
	"ropebench/core/verdict"
)

// Parts are what a run has found. A part that its study does not have is absent.
type Parts struct {
	Best    *Design `json:"best,omitempty"`    // of a verification, the worst evaluation of the candidate: that is to be believed
	Nominal *Design `json:"nominal,omitempty"` // the nominal design, where it was evaluated
	AtEnds  []End   `json:"at_ends,omitempty"` // inputs of the best design at an end of their range
	// Watched are changes from the nominal design that nobody asked for, in sentences.
	Watched []string     `json:"watched,omitempty"`
	Search  *Search      `json:"search,omitempty"`
	Optimum *Optimum     `json:"optimum,omitempty"`
	Spread  *Spread      `json:"spread,omitempty"`  // of a search that was repeated
	Reached []Reached    `json:"reached,omitempty"` // targets with what they came to
	Fit     *Calibration `json:"fit,omitempty"`
	Cells   []Cell       `json:"cells,omitempty"`
	Learned *Learned     `json:"learned,omitempty"` // by a search, for another that starts where this one ended
	// Front has the feasible designs of which none is better in every objective, along the first one: at most 300, those that stand most
	// alone. Tradeoff says more of it.
	Front    []*Design `json:"front,omitempty"`
	Tradeoff *Tradeoff `json:"tradeoff,omitempty"`
	// Checks compare a stand-in with the solver, at the designs that it was believed to be best at.
	Checks  []Check  `json:"checks,omitempty"`
	Sample  *Sample  `json:"sample,omitempty"`
	Repeats *Repeats `json:"repeats,omitempty"`
	// Recorded compares the values of a verification with those that the run of its candidate has recorded.
	Recorded *Recorded `json:"recorded,omitempty"`
	// Neighbourhood is of a verification that looked around its candidate.
	Neighbourhood *Neighbourhood `json:"neighbourhood,omitempty"`
	// Probabilities say of each requirement how probable it is that it is met under Scatter.
	Probabilities map[string]Probability `json:"probabilities,omitempty"`
	Scatter       *Scatter               `json:"scatter,omitempty"`
	// Rare says of each requirement how rarely it is missed, Worst how far it goes within the tolerances.
	Rare  map[string]Rare      `json:"rare,omitempty"`
	Worst map[string]WorstCase `json:"worst,omitempty"`
	// Provenance is of a verification: what its values came from.
	Provenance *Provenance `json:"provenance,omitempty"`
	// Robust is of a search over scatter.
	Robust *Robust `json:"robust,omitempty"`
	// Sensitivity has the values that were asked about; Rounds how they were sampled.
	Sensitivity map[string]Sensitivity `json:"sensitivity,omitempty"`
	Rounds      *Rounds                `json:"rounds,omitempty"`
	// Failures is absent where no evaluation failed.
	Failures *Failures `json:"failures,omitempty"`
	// Unshown names parts that hold a number that is not finite, and are left out: see Sound.
	Unshown []string `json:"unshown,omitempty"`
}

// Failures say how many evaluations failed, and why.
type Failures struct {
	Says    string    `json:"says"`
	Doubt   bool      `json:"doubt"`   // so many that the answer hangs on them
	Reasons []Failure `json:"reasons"` // the most frequent first
}

// A Failure is a reason for which evaluations failed.
type Failure struct {
	Reason     string `json:"reason"` // of the first of them; numbers in it may be others in the others
	Count      int    `json:"count"`
	Evaluation int    `json:"evaluation"`      // the first of them
	Where      string `json:"where,omitempty"` // on which side of which input they lie, once the run has ended
}

// A Design is an evaluation with its values and verdicts.
type Design struct {
	Evaluation   int                    `json:"evaluation"`
	Inputs       map[string]bench.Value `json:"inputs"`
	Values       map[string]float64     `json:"values"`
	Feasible     bool                   `json:"feasible"`
	Objective    *float64               `json:"objective,omitempty"`
	Paid         float64                `json:"paid,omitempty"`   // for what soft requirements are missed by, in units of the objective, beside it
	Misses       string                 `json:"misses,omitempty"` // the requirements that are missed, and by how much; none where it is feasible
	Requirements map[string]Judgment    `json:"requirements"`
}

// A Judgment is the verdict on one requirement.
type Judgment struct {
	Verdict verdict.Verdict `json:"verdict"`
	Value   *float64        `json:"value,omitempty"`  // none where the verdict is not_shown
	Margin  *float64        `json:"margin,omitempty"` // in the unit of the value
	Case    string          `json:"case,omitempty"`   // in which the margin is least; none where there are no cases
}

// WorseThan is true where a judgment stands for a requirement rather than another one of it, which may be none: what is not shown before what has a
// margin, and the least margin.
func (j Judgment) WorseThan(other Judgment) bool {
	switch {
	case other.Verdict == "":
		return true
	case other.Margin == nil:
		return false
	}
	return j.Margin == nil || *j.Margin < *other.Margin
}

// An End says that an input of the best design stands at an end of its range.
type End struct {
	Input string  `json:"input"`
	End   string  `json:"end"` // lower or upper
	Value float64 `json:"value"`
	Guess bool    `json:"guess"`
	Says  string  `json:"says"`
}

// A Search says how a search for the best design ended.
type Search struct {
	Method     string   `json:"method"`
	Chose      string   `json:"chose,omitempty"` // of auto: what it does, and why
	Ended      string   `json:"ended"`           // budget, plateau, met, exhausted or converged
	Used       int      `json:"used"`            // distinct designs asked
	ImprovedAt int      `json:"improved_at"`
	Misses     bool     `json:"misses,omitempty"` // the best design misses what the study asks it to meet or to reach
	Says       string   `json:"says"`
	Remarks    []string `json:"remarks,omitempty"` // what is to be known of it
	Coarse     *Coarse  `json:"coarse,omitempty"`  // nil: the solver has no coarse variant
}

// Coarse is what a search made of the coarse variant of its solver.
type Coarse struct {
	Evaluations  int                `json:"evaluations"`
	Share        float64            `json:"share"`             // of the time of an evaluation by the solver, about
	Correlations map[string]float64 `json:"correlations"`      // of its values with those of the solver, by name
	Dropped      string             `json:"dropped,omitempty"` // why it was not asked to the end
	Says         string             `json:"says"`
}

// A Check has what a stand-in has predicted of an evaluation beside what the solver computed, by the names of values.
type Check struct {
	Evaluation int                `json:"evaluation"`
	Predicted  map[string]float64 `json:"predicted"`
	Computed   map[string]float64 `json:"computed"` // empty where the solver failed
	Agrees     bool               `json:"agrees"`
}

// A Sample says what became of a sampling plan.
type Sample struct {
	Plan     string `json:"plan"`
	Points   int    `json:"points"`
	Designs  int    `json:"designs"` // different ones among them
	Usable   int    `json:"usable"`
	Feasible int    `json:"feasible"`
}

// Repeats are the fresh evaluations of a candidate.
type Repeats struct {
	Evaluations []int `json:"evaluations"`
	Usable      int   `json:"usable"`
	Met         int   `json:"met"` // of these, that meet every requirement
}

// Recorded says whether values that were computed afresh are those that a run has recorded.
type Recorded struct {
	Differs bool   `json:"differs"`
	Says    string `json:"says"`
}

// A Headline is the best design in short.
type Headline struct {
	Evaluation int      `json:"evaluation"`
	Feasible   bool     `json:"feasible"`
	Objective  *float64 `json:"objective,omitempty"`
	Misses     string   `json:"misses,omitempty"`
	Paid       float64  `json:"paid,omitempty"` // for soft requirements that are missed, beside the objective
}

// InShort is the best design in short; nil where there is none.
func (p Parts) InShort() *Headline {
	if p.Best == nil {
		return nil
	}
	return &Headline{Evaluation: p.Best.Evaluation, Feasible: p.Best.Feasible, Objective: p.Best.Objective, Misses: p.Best.Misses, Paid: p.Best.Paid}
}

// Encode writes each part by its name.
func (p Parts) Encode() (map[string]json.RawMessage, error) {
	text, err := json.Marshal(p.Sound())
	if err != nil {
		return nil, fmt.Errorf("the result cannot be encoded: %w", err)
	}
	var parts map[string]json.RawMessage
	return parts, json.Unmarshal(text, &parts)
}

// Decode reads parts that were written by Encode.
func Decode(parts map[string]json.RawMessage) (p Parts, err error) {
	text, err := json.Marshal(parts)
	if err == nil {
		err = json.Unmarshal(text, &p)
	}
	if err != nil {
		return p, fmt.Errorf("the result is damaged: %w", err)
	}
	return p, nil
}

// Counts say how the evaluations of a run ended.
type Counts struct {
	Evaluations int `json:"evaluations"` // distinct designs asked, known ones included
	Reused      int `json:"reused"`      // of these, paid for by other runs
	Failed      int `json:"failed"`      // failed or timed out
	NotTried    int `json:"not_tried"`
	Coarse      int `json:"coarse,omitempty"` // evaluations by the coarse variant of the solver, which are none of the solver
	Derivatives int `json:"derivatives"`      // exact gradient evaluations, which are no evaluations of the solver
	Usable      int `json:"usable"`           // have values
	Feasible    int `json:"feasible"`         // of these, meet every requirement
}
