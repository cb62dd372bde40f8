package result

// A Sensitivity says which inputs matter for a value. It has what its method gives.
type Sensitivity struct {
	By   string `json:"by"`
	Says string `json:"says"`           // in a sentence
	Used int    `json:"used"`           // evaluations that it is made from
	Lost int    `json:"lost,omitempty"` // evaluations that failed and with them what they were compared with
	// Q2 is the cross-validated R² of the surrogate, with its limits; Unexplained is the share of the variance that the surrogate, or the
	// regression, does not predict.
	Q2 *float64 `json:"q2,omitempty"`
	// Unpredictable is true where Q2 is so small that nothing is known of what moves the value.
	Unpredictable bool                 `json:"unpredictable,omitempty"`
	Q2Limits      *Limits              `json:"q2_limits,omitempty"`
	Surrogate     string               `json:"surrogate,omitempty"`
	Noise         float64              `json:"noise,omitempty"` // deviation of what a repeated evaluation would give
	Unexplained   *float64             `json:"unexplained,omitempty"`
	Inputs        map[string]Influence `json:"inputs"`
	Ranking       []string             `json:"ranking"` // the inputs, that which matters most first
}

// Limits hold a number with a chance of 95 %.
type Limits [2]float64

// An Influence is what one input does to a value, by the method of the study.
type Influence struct {
	First            *float64 `json:"first,omitempty"` // share of the variance by the input alone
	FirstLimits      *Limits  `json:"first_limits,omitempty"`
	Total            *float64 `json:"total,omitempty"` // and with all in which it takes part
	TotalLimits      *Limits  `json:"total_limits,omitempty"`
	Linear           *float64 `json:"linear,omitempty"` // correlation
	LinearLimits     *Limits  `json:"linear_limits,omitempty"`
	Rank             *float64 `json:"rank,omitempty"` // correlation of ranks
	RankLimits       *Limits  `json:"rank_limits,omitempty"`
	Regression       *float64 `json:"regression,omitempty"` // standardized coefficient
	RegressionLimits *Limits  `json:"regression_limits,omitempty"`
	Mean             *float64 `json:"mean,omitempty"`     // of elementary effects, over the whole range
	Absolute         *float64 `json:"absolute,omitempty"` // mean of their absolute values
	AbsoluteLimits   *Limits  `json:"absolute_limits,omitempty"`
	Spread           *float64 `json:"spread,omitempty"`
	Slope            *float64 `json:"slope,omitempty"` // change over the whole range, at the rate at the design
	Exact            bool     `json:"exact,omitempty"` // the slope is an exact derivative
}

// Rounds are how sampling went on until the values were predicted well enough.
type Rounds struct {
	Says   string  `json:"says"`
	Rounds []Round `json:"rounds"`
}

// A Round is one of them.
type Round struct {
	Points int                `json:"points"` // asked up to here
	Usable int                `json:"usable"`
	Q2     map[string]float64 `json:"q2"` // of each value that can be predicted
	Says   string             `json:"says"`
}
