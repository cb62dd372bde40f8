package api

import (
	"ropebench/bench"
	"ropebench/result"
)

// An Exploration is what the evaluations of a run say.
type Exploration = result.Exploration

// A Fit is the surrogate of a value, and how well it predicts each evaluation from the others.
type Fit struct {
	Value       string           `json:"value"`
	Unit        string           `json:"unit,omitempty"`
	Method      string           `json:"method"`
	Q2          float64          `json:"q2"`
	Q2Limits    result.Limits    `json:"q2_limits"`
	Noise       float64          `json:"noise"`
	Inputs      []string         `json:"inputs"` // that it has; the others do not help to predict
	Competitors []Competitor     `json:"competitors"`
	Points      []FitPoint       `json:"points"`
	LeftOut     []result.LeftOut `json:"left_out"`
}

// A Competitor is a method that was tried for a value.
type Competitor struct {
	Method string  `json:"method"`
	Q2     float64 `json:"q2"`
}

// A FitPoint is an evaluation as it is, and as the others predict it.
type FitPoint struct {
	Evaluation int     `json:"evaluation"`
	Computed   float64 `json:"computed"`
	Predicted  float64 `json:"predicted"`
	Deviations float64 `json:"deviations"` // what is left, in deviations
}

// PredictionOrder asks what surrogates predict.
type PredictionOrder struct {
	Designs []map[string]bench.Value `json:"designs"` // inputs that are not named are as the run holds them, or nominal
	Of      []string                 `json:"of,omitempty"`
	Curves  []string                 `json:"curves,omitempty"`
}

// Predictions are what surrogates predict, for each design in turn.
type Predictions struct {
	Values map[string][]Prediction     `json:"values"`
	Curves map[string][]PredictedCurve `json:"curves"`
}

// A Prediction is never a computed value: its deviation says by how much it is likely to be off.
type Prediction struct {
	Mean      float64 `json:"mean"`
	Deviation float64 `json:"deviation"`
}

// A PredictedCurve is predicted as a whole.
type PredictedCurve struct {
	Curve
	Q2        float64 `json:"q2"`
	Deviation float64 `json:"deviation"`
}

// SurfaceOrder asks for a value over two inputs; the others are as At says.
type SurfaceOrder struct {
	Of    string                 `json:"of"`
	X     string                 `json:"x"`
	Y     string                 `json:"y"`
	Steps int                    `json:"steps,omitempty"` // along each; 0: 41
	At    map[string]bench.Value `json:"at,omitempty"`
}

// A Surface is a value that a surrogate predicts over two inputs.
type Surface struct {
	X         []float64              `json:"x"`
	Y         []float64              `json:"y"`
	Mean      [][]float64            `json:"mean"` // a row for each y
	Deviation [][]float64            `json:"deviation"`
	At        map[string]bench.Value `json:"at"` // the inputs that do not move
	Q2        float64                `json:"q2"`
}

// LeavingOut takes an evaluation out of the fit of a value, with a reason, or back in without one.
type LeavingOut struct {
	Value      string `json:"value"`
	Evaluation int    `json:"evaluation"`
	Reason     string `json:"reason,omitempty"`
}

// A Selection has evaluations of a run that were picked together.
type Selection struct {
	Name        string `json:"name"`
	Evaluations []int  `json:"evaluations"`
}

// More asks for points behind those that a sample has.
type More struct {
	More int `json:"more"`
}

// Matching lists the evaluations that meet a condition.
type Matching struct {
	Evaluations []int `json:"evaluations"`
}
