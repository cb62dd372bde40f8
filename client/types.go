package client

import (
	"time"

	"ropebench/bench"
)

// The types of this file are those of service/openapi.yaml.

// Health says what a service is.
type Health struct {
	Version    string `json:"version"`
	Data       string `json:"data"`
	Slots      int    `json:"slots"`
	Unfinished []int  `json:"unfinished"`
	Companion  bool   `json:"companion"`
}

// A FileProblem is one mistake in a file of a bench.
type FileProblem struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Message string `json:"message"`
}

// A Bench is a bench as the service shows it.
type Bench struct {
	Name         string        `json:"name"`
	Title        string        `json:"title"`
	Folder       string        `json:"folder"`
	File         string        `json:"file"`
	Revision     int           `json:"revision"`
	Inputs       []Input       `json:"inputs"`
	Outputs      []Output      `json:"outputs"`
	Requirements []Requirement `json:"requirements"`
	Studies      []Study       `json:"studies"`
	Statement    string        `json:"statement"`
	Problems     []FileProblem `json:"problems"`
}

// An Input of a bench.
type Input struct {
	Name    string      `json:"name"`
	Label   string      `json:"label"`
	Unit    string      `json:"unit"`
	Nominal bench.Value `json:"nominal"`
	Varied  bool        `json:"varied"`
	Says    string      `json:"says"`
	Range   *struct {
		Lower float64 `json:"lower"`
		Upper float64 `json:"upper"`
	} `json:"range"`
}

// An Output of a bench: a value, a curve or a derived value.
type Output struct {
	Name  string `json:"name"`
	Label string `json:"label"`
	Unit  string `json:"unit"`
	Kind  string `json:"kind"`
}

// A Requirement of a bench.
type Requirement struct {
	ID       string  `json:"id"`
	Says     string  `json:"says"`
	Of       string  `json:"of"`
	Unit     string  `json:"unit"`
	Limit    string  `json:"limit"`
	Reserve  float64 `json:"reserve"`
	Decisive bool    `json:"decisive"`
}

// A Study of a bench.
type Study struct {
	Name      string `json:"name"`
	Kind      string `json:"kind"`
	Says      string `json:"says"`
	Later     string `json:"later"`
	Objective string `json:"objective"`
	Maximize  bool   `json:"maximize"`
}

// An Order asks for a run: Study is the name of a study, or try, or verify.
type Order struct {
	Study       string                  `json:"study"`
	Seed        *uint64                 `json:"seed,omitempty"`
	Evaluations int                     `json:"evaluations,omitempty"`
	Hold        map[string]bench.Value  `json:"hold,omitempty"`
	Free        map[string]*bench.Range `json:"free,omitempty"` // inputs that move in this run, in their own range where it is nil
	Fresh       bool                    `json:"fresh,omitempty"`
	Design      map[string]bench.Value  `json:"design,omitempty"`
	Repeats     int                     `json:"repeats,omitempty"`
	Of          *Candidate              `json:"of,omitempty"`
	Keep        string                  `json:"keep,omitempty"`
}

// A Candidate is an evaluation of a run that was picked; evaluation 0 is the best.
type Candidate struct {
	Run        int `json:"run"`
	Evaluation int `json:"evaluation"`
}

// A Run is one execution of a study.
type Run struct {
	ID       int    `json:"run"`
	Bench    string `json:"bench"`
	Revision int    `json:"revision"`
	Question struct {
		Kind    string                  `json:"kind"`
		Study   string                  `json:"study"`
		Seed    uint64                  `json:"seed"`
		Hold    map[string]bench.Value  `json:"hold"`
		Free    map[string]*bench.Range `json:"free"`
		Design  map[string]bench.Value  `json:"design"`
		Of      *Candidate              `json:"of"`
		Repeats int                     `json:"repeats"`
	} `json:"question"`
	State   string        `json:"state"`
	Reason  string        `json:"reason"`
	Note    string        `json:"note"`
	Budget  int           `json:"budget"`
	Created time.Time     `json:"created"`
	Elapsed time.Duration `json:"elapsed"`

	Evaluations int      `json:"evaluations"`
	Reused      int      `json:"reused"`
	Failed      int      `json:"failed"`
	NotTried    int      `json:"not_tried"`
	Usable      int      `json:"usable"`
	Feasible    int      `json:"feasible"`
	Best        *Best    `json:"best"`
	Nominal     *Best    `json:"nominal"`
	AtEnds      []End    `json:"at_ends"`
	LastFailure string   `json:"last_failure"`
	Changes     []string `json:"changes"`
	Newest      int      `json:"newest"`
	Layout      struct {
		Inputs  []string               `json:"inputs"`
		Held    map[string]bench.Value `json:"held"`
		Columns []string               `json:"columns"`
	} `json:"layout"`
}

// Ended is true for a run that does nothing more by itself.
func (r Run) Ended() bool { return r.State != "queued" && r.State != "running" }

// A Best is a design with its values and verdicts.
type Best struct {
	Evaluation   int                    `json:"evaluation"`
	Inputs       map[string]bench.Value `json:"inputs"`
	Values       map[string]float64     `json:"values"`
	Feasible     bool                   `json:"feasible"`
	Objective    *float64               `json:"objective"`
	Violation    float64                `json:"violation"`
	Requirements map[string]Judgment    `json:"requirements"`
}

// A Judgment is the verdict on one requirement.
type Judgment struct {
	Verdict string   `json:"verdict"`
	Value   *float64 `json:"value"`
	Margin  *float64 `json:"margin"`
}

// An End says that an input stands at an end of its range.
type End struct {
	Input string  `json:"input"`
	End   string  `json:"end"`
	Value float64 `json:"value"`
	Guess bool    `json:"guess"`
	Says  string  `json:"says"`
}

// Points is a page of evaluations; Next is the cursor of the next page, 0 on the last.
type Points struct {
	Inputs  []string `json:"inputs"`
	Columns []string `json:"columns"`
	Points  []Point  `json:"points"`
	Next    int      `json:"next"`
}

// A Point is one evaluation.
type Point struct {
	Evaluation int           `json:"evaluation"`
	State      string        `json:"state"`
	Design     []bench.Value `json:"design"`
	Values     []*float64    `json:"values"`
	Feasible   bool          `json:"feasible"`
	Reused     bool          `json:"reused"`
	Reason     string        `json:"reason"`
}

// A PointDetail is one evaluation with all that is known of it.
type PointDetail struct {
	Point
	Inputs       map[string]bench.Value `json:"inputs"`
	Named        map[string]float64     `json:"named"`
	Requirements map[string]Judgment    `json:"requirements"`
	Seconds      float64                `json:"seconds"`
	Tail         string                 `json:"tail"`
	Steps        []struct {
		Name    string  `json:"name"`
		Seconds float64 `json:"seconds"`
	} `json:"steps"`
	Curves map[string]struct {
		X []float64 `json:"x"`
		Y []float64 `json:"y"`
	} `json:"curves"`
	Derivatives *Derivatives `json:"derivatives,omitempty"` // asked for beside the evaluation
}

// Derivatives of the values of an evaluation, in the order of Inputs; nil where one is not finite.
type Derivatives struct {
	Inputs []string              `json:"inputs"`
	Values map[string][]*float64 `json:"values"`
}
