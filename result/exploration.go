package result

// An Exploration is what the evaluations of a run say about the design space.
type Exploration struct {
	Evaluations int        `json:"evaluations"`
	Usable      int        `json:"usable"`
	Feasible    int        `json:"feasible"`
	Inputs      []string   `json:"inputs"` // that move, in the order of the bench
	Obstacles   Obstacles  `json:"obstacles"`
	Values      []Explored `json:"values"`
	Idle        []string   `json:"idle"`    // inputs that matter for none of the values
	Remarks     []string   `json:"remarks"` // on what to believe
}

// Explored is what is known of one value.
type Explored struct {
	Name        string      `json:"name"`
	Unit        string      `json:"unit,omitempty"`
	Least       float64     `json:"least"`
	Median      float64     `json:"median"`
	Most        float64     `json:"most"`
	Bars        []int       `json:"bars"` // how many evaluations have it, in equal parts from the least to the most
	Sensitivity Sensitivity `json:"sensitivity"`
	Outliers    []Outlier   `json:"outliers"`
	LeftOut     []LeftOut   `json:"left_out"`
	Advice      []string    `json:"advice"` // where it is not predicted well
}

// An Outlier is an evaluation whose value does not fit to the others.
type Outlier struct {
	Evaluation int     `json:"evaluation"`
	Value      float64 `json:"value"`
	Predicted  float64 `json:"predicted"` // by the others
	Deviations float64 `json:"deviations"`
}

// LeftOut is an evaluation that does not take part in the fit of a value, and why.
type LeftOut struct {
	Evaluation int    `json:"evaluation"`
	Reason     string `json:"reason"`
}

// Obstacles say how many designs are feasible, and what stands in the way of more.
type Obstacles struct {
	Says         []string        `json:"says"`
	Requirements []MetBy         `json:"requirements"`
	Pairs        []Conflict      `json:"pairs"` // that no design meets together
	Failures     []FailureRegion `json:"failures"`
}

// MetBy says how many designs meet a requirement.
type MetBy struct {
	ID   string `json:"id"`
	Met  int    `json:"met"`
	Wish bool   `json:"wish,omitempty"` // feasibility does not depend on it
	// Nearest is the design that misses it by the least, where none meets it.
	Nearest *NearMiss `json:"nearest,omitempty"`
}

// A NearMiss is a design that misses a requirement.
type NearMiss struct {
	Evaluation int     `json:"evaluation"`
	Margin     float64 `json:"margin"` // below 0, in the unit of the value
}

// A Conflict is a pair of requirements that no design meets together.
type Conflict struct {
	Pair  [2]string `json:"pair"`
	Input string    `json:"input,omitempty"` // that pulls them apart
	Says  string    `json:"says"`
}

// A FailureRegion says where evaluations failed for one reason.
type FailureRegion struct {
	Reason string `json:"reason"`
	Count  int    `json:"count"`
	Says   string `json:"says"`
}
