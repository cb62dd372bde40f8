package result

import "ropebench/core/verdict"

// Scatter is what scatter of the inputs does to a design.
type Scatter struct {
	Points int      `json:"points"` // that were drawn
	Failed int      `json:"failed"` // of these, that have no values: they meet nothing
	Inputs []string `json:"inputs"` // that scatter
	// Values are those of the bench, by name; without those that are the same in all draws.
	Values map[string]Scattered `json:"values"`
	// Together is how probable it is that all requirements are met that are neither wishes nor soft.
	Together Probability `json:"together"`
	// Missed are requirements, neither wishes nor soft, that are shown to be met less probably than is asked.
	Missed []string `json:"missed,omitempty"`
	// Told are requirements on statistics, over all draws; absent where there are none.
	Told []Told `json:"told,omitempty"`
	Says string `json:"says"`
	// Causes says on which side of what scatters draws miss something; "" where there is nothing to tell.
	Causes string `json:"causes,omitempty"`
	// Predicted is how many draws surrogates have answered, and Q2 how well they predict each value; 0 where the solver answered all.
	Predicted int                `json:"predicted,omitempty"`
	Q2        map[string]float64 `json:"q2,omitempty"`
}

// A Scattered value has a distribution.
type Scattered struct {
	Mean      Limited   `json:"mean"`
	Deviation float64   `json:"deviation"`
	Quantiles []Limited `json:"quantiles"` // of QuantilesShown
	Counts    []int     `json:"counts"`    // of values in equal parts from the least to the largest
	Least     float64   `json:"least"`
	Largest   float64   `json:"largest"`
}

// QuantilesShown are the probabilities whose quantiles are told.
var QuantilesShown = []float64{0.01, 0.05, 0.5, 0.95, 0.99}

// A Limited number has limits that hold with a confidence of 95 %; absent where there are too few draws to tell.
type Limited struct {
	Value float64  `json:"value"`
	From  *float64 `json:"from,omitempty"`
	To    *float64 `json:"to,omitempty"`
}

// A Probability that something is met, with limits of a confidence of 95 %.
type Probability struct {
	Met  float64 `json:"met"`
	From float64 `json:"from"`
	To   float64 `json:"to"`
	// Asked is the probability that the bench asks for, Verdict whether it is reached: met where the lower limit reaches it, missed where the upper
	// one does not, else not_shown. Absent where none is asked for.
	Asked   float64         `json:"asked,omitempty"`
	Verdict verdict.Verdict `json:"verdict,omitempty"`
}
