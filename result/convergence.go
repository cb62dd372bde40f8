package result

// A Convergence is how the best design of a search came to be: each step is better than the one before.
type Convergence struct {
	Objective string        `json:"objective,omitempty"` // absent where any design that meets the requirements is as good as another
	Unit      string        `json:"unit,omitempty"`
	Maximize  bool          `json:"maximize,omitempty"`
	Steps     []Improvement `json:"steps"`
	// Evaluations is how many there are until now.
	Evaluations int `json:"evaluations"`
}

// An Improvement is an evaluation that was better than all before it.
type Improvement struct {
	Evaluation int      `json:"evaluation"`
	Objective  *float64 `json:"objective,omitempty"`
	Feasible   bool     `json:"feasible"`
	Misses     string   `json:"misses,omitempty"` // the requirements that are missed, and by how much
}
