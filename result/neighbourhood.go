package result

import "ropebench/bench"

// A Neighbourhood says how steep a design stands: what happens one step to each side of every input.
type Neighbourhood struct {
	Says       string      `json:"says"`
	Losses     []Loss      `json:"losses"` // of each requirement that is met, the nearest; the nearest of all first
	Neighbours []Neighbour `json:"neighbours"`
}

// A Loss says by which change of one input a requirement would be missed, along the line from the design to its neighbour.
type Loss struct {
	Requirement string  `json:"requirement"`
	Input       string  `json:"input"`
	By          float64 `json:"by"`    // change of the input
	Share       float64 `json:"share"` // of its range
	Seen        bool    `json:"seen"`  // the neighbour misses it
	Says        string  `json:"says"`
}

// A Neighbour differs in one input.
type Neighbour struct {
	Evaluation int                `json:"evaluation"`
	Input      string             `json:"input"`
	Value      bench.Value        `json:"value"`
	By         float64            `json:"by"`                // the change; in a list of numbers to the next one
	Margins    map[string]float64 `json:"margins,omitempty"` // none where the solver has no values
}
