package result

import (
	"ropebench/bench"
	"ropebench/core/optimize"
)

// An Optimum says how good the best design of a search is, and what stands in the way of a better one.
type Optimum struct {
	Says []string `json:"says"` // in sentences, the most telling first
	// Holds are the limits and the ends of ranges at which the design stands.
	Holds []Hold `json:"holds,omitempty"`
	// Level is by what share of the objective a small change might better it at most; none where slopes are not known.
	Level *float64 `json:"level,omitempty"`
	// Places are others at which searches ended; Neighbours differ in one step.
	Places   []Place  `json:"places,omitempty"`
	Searches int      `json:"searches,omitempty"`
	Idle     []string `json:"idle,omitempty"`    // inputs that move nothing that counts
	Unmoved  []string `json:"unmoved,omitempty"` // inputs that stayed where they began
	// Contradicts are requirements that are in each other's way, where no design meets all.
	Contradicts []Easing `json:"contradicts,omitempty"`
	// Feasible is a design that meets every requirement, which was found beside the run; its best misses some.
	Feasible map[string]bench.Value `json:"feasible,omitempty"`
	Freedom  *int                   `json:"freedom,omitempty"` // of a search for targets: in how many directions inputs are left free
}

// A Hold is a limit or an end of a range that holds the best design.
type Hold struct {
	Requirement string   `json:"requirement,omitempty"`
	Input       string   `json:"input,omitempty"`
	End         string   `json:"end"` // lower or upper
	At          float64  `json:"at"`
	Guess       bool     `json:"guess,omitempty"`
	Price       *float64 `json:"price,omitempty"` // by how much the objective betters for each unit that it alone gives; none where it is not known or nothing is gained
	Room        float64  `json:"room,omitempty"`  // over which the price holds; 0 where there is none
	Says        string   `json:"says"`
}

// A Place is where another search ended.
type Place struct {
	Evaluation int                    `json:"evaluation"`
	Inputs     map[string]bench.Value `json:"inputs"`
	Objective  *float64               `json:"objective,omitempty"`
	Paid       float64                `json:"paid,omitempty"` // for soft requirements that are missed, beside the objective
	Feasible   bool                   `json:"feasible"`
	Searches   int                    `json:"searches"`
}

// An Easing says by how much a limit alone would have to give for a design to meet everything: measured, and rounded up.
type Easing struct {
	Requirement string  `json:"requirement"`
	By          float64 `json:"by,omitempty"`    // 0 where no giving of it alone is known to be enough
	Never       bool    `json:"never,omitempty"` // no design is known that meets it, whatever becomes of the others
	Says        string  `json:"says"`
}

// A Spread says how far apart searches with other seeds ended.
type Spread struct {
	Says string `json:"says"`
	Ends []Seed `json:"ends"`
}

// A Seed is a search with a seed of its own.
type Seed struct {
	Seed       uint64   `json:"seed"`
	Evaluation int      `json:"evaluation,omitempty"` // its best; none where nothing was usable
	Objective  *float64 `json:"objective,omitempty"`
	Paid       float64  `json:"paid,omitempty"` // for soft requirements that are missed, beside the objective
	Feasible   bool     `json:"feasible"`
	Used       int      `json:"used"`
	Says       string   `json:"says"`
}

// A Reached is a value that was to come to a number.
type Reached struct {
	Of      string  `json:"of"`
	To      float64 `json:"to"`
	Value   float64 `json:"value"`
	Weight  float64 `json:"weight,omitempty"`
	Reached bool    `json:"reached"`
}

// A Calibration says how well the model agrees with measurements, and how well its inputs are known by that.
type Calibration struct {
	Residual     float64                       `json:"residual"` // the sum of weight times squared distance
	Errors       map[string]float64            `json:"errors"`   // standard errors, in the units of the inputs
	Correlations map[string]map[string]float64 `json:"correlations"`
	Freedom      int                           `json:"freedom"` // points less inputs
	Says         []string                      `json:"says"`
	Matches      []Matched                     `json:"matches"`
}

// A Matched is a measurement with what the model says there.
type Matched struct {
	Of       string                 `json:"of"`
	File     string                 `json:"file,omitempty"`
	With     map[string]bench.Value `json:"with,omitempty"`
	X        []float64              `json:"x,omitempty"`
	Measured []float64              `json:"measured"`
	Before   []float64              `json:"before,omitempty"` // at the start
	After    []float64              `json:"after"`
	Outside  int                    `json:"outside"` // points outside of the curve of the model, which count for nothing
	RMS      float64                `json:"rms"`     // of the distances
}

// A Cell is the study that was made for one cell of a sweep.
type Cell struct {
	At    map[string]bench.Value `json:"at"`
	State string                 `json:"state"` // finished, infeasible, failed or unfinished
	Says  string                 `json:"says"`
	Used  int                    `json:"used"`
	Best  *Design                `json:"best,omitempty"`
}

// Learned is what a search has learned besides its designs, and of what: it is good for the same objective on the same scales.
type Learned struct {
	Of string `json:"of"`
	optimize.Learned
}

// A Tradeoff says what a front of several objectives is good for.
type Tradeoff struct {
	Says        string    `json:"says"`
	Objectives  []string  `json:"objectives"`
	Most        []bool    `json:"most"`       // of each objective: the most of it is asked for
	Count       int       `json:"count"`      // of designs on the front
	Compromise  int       `json:"compromise"` // the evaluation of the knee, or of what is nearest to the best of each objective
	Knee        bool      `json:"knee"`
	Reference   []float64 `json:"reference"`             // of the hypervolume: a tenth of the range behind the worst of the front
	Hypervolume float64   `json:"hypervolume,omitempty"` // that the front dominates up to there; of four objectives or more it is told once the run has ended
	// Violation is 0 where the designs are feasible. Where none is, it is the front of those that miss least: by so much of a limit at most.
	Violation float64 `json:"violation,omitempty"`
	// Exchange is, of two objectives, what one more unit of the first brings in the second: from each design that is shown to the next.
	Exchange []float64 `json:"exchange,omitempty"`
}

// A Growth says how much of a front was found after so many evaluations.
type Growth struct {
	Evaluation int     `json:"evaluation"`
	Share      float64 `json:"share"` // of the hypervolume at the end
}
