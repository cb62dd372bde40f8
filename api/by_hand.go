package api

import (
	"ropebench/bench"
	"ropebench/result"
)

// A TryingDesign is tried by hand: inputs that it does not name are nominal.
type TryingDesign struct {
	Design map[string]bench.Value `json:"design"`
}

// A TriedByHand is what the solver gives for a design, of which nothing is written down.
type TriedByHand struct {
	Revision     int                        `json:"revision"`
	State        string                     `json:"state"`
	Reason       string                     `json:"reason,omitempty"` // why it has no values
	Seconds      float64                    `json:"seconds"`          // that the solver took
	Inputs       map[string]bench.Value     `json:"inputs"`
	Values       map[string]float64         `json:"values"`
	Requirements map[string]result.Judgment `json:"requirements"`
	Feasible     bool                       `json:"feasible"`
	Curves       map[string]Curve           `json:"curves"`
}

// A Help asks what each input does for a requirement of a design.
type Help struct {
	TryingDesign
	Requirement string `json:"requirement"` // "": the one of the least margin
}
