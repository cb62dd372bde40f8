package study

import (
	"time"

	"ropebench/bench"
	"ropebench/core/verdict"
	"ropebench/dispatch"
)

// A State says where a run is in its life.
type State string

// The states of a run. Paused and stopped runs can be resumed.
const (
	Queued   State = "queued"
	Running  State = "running"
	Paused   State = "paused"   // by hand, or because the service ended
	Stopped  State = "stopped"  // by hand or by the clock, with the best found so far
	Finished State = "finished" // the method ended by itself
	Broken   State = "broken"   // something other than a design went wrong
)

// Resumable is true for the states from which a run can go on.
func (s State) Resumable() bool { return s == Paused || s == Stopped || s == Broken }

// Ended is true for the states in which nothing more will happen by itself.
func (s State) Ended() bool { return s != Queued && s != Running }

// The kinds of run that no bench file names: one evaluation, and the verification of a candidate.
const (
	KindTry    = "try"
	KindVerify = "verify"
)

// A Question is what a run was asked: a study of the bench with what overrides it, one evaluation, or a verification.
type Question struct {
	Kind        string                  `json:"kind"`
	Study       string                  `json:"study"`                 // its name; for try and verify the kind
	Seed        uint64                  `json:"seed"`                  // in force
	Evaluations int                     `json:"evaluations,omitempty"` // budget that overrides the study's
	Hold        map[string]bench.Value  `json:"hold,omitempty"`        // inputs held for this run
	Free        map[string]*bench.Range `json:"free,omitempty"`        // inputs that move in this run, in their own range where it is nil
	Fresh       bool                    `json:"fresh,omitempty"`       // nothing known from other runs is used
	Design      map[string]bench.Value  `json:"design,omitempty"`      // try: inputs that are not nominal; verify: the candidate
	Repeats     int                     `json:"repeats,omitempty"`     // verify: fresh evaluations of the candidate
	Keep        string                  `json:"keep,omitempty"`        // try: a folder for the files of the working folder
	Of          *Candidate              `json:"of,omitempty"`          // verify: where the candidate comes from
	Start       map[string]bench.Value  `json:"start,omitempty"`       // the best design of another study, recorded when this run was queued
}

// A Candidate is a design that was picked from a run.
type Candidate struct {
	Run        int `json:"run"`
	Evaluation int `json:"evaluation"`
}

// A Run is one execution of a question, pinned to one revision of a bench.
type Run struct {
	ID       int       `json:"run"`
	Bench    string    `json:"bench"`
	Revision int       `json:"revision"`
	Question Question  `json:"question"`
	State    State     `json:"state"`
	Reason   string    `json:"reason,omitempty"` // why it ended, in words
	Note     string    `json:"note,omitempty"`   // what the method does now
	Budget   int       `json:"budget"`           // evaluations at most
	Layout   Layout    `json:"layout"`
	Created  time.Time `json:"created"`
	Began    time.Time `json:"began,omitzero"`
	Ended    time.Time `json:"ended,omitzero"`
	// Elapsed is the time at work over all its sessions, without the one that is going on.
	Elapsed time.Duration `json:"elapsed"`
	dispatch.Counts
	// Usable is how many evaluations have values, Feasible how many of them meet every requirement.
	Usable   int    `json:"usable"`
	Feasible int    `json:"feasible"`
	Best     *Best  `json:"best,omitempty"`
	Nominal  *Best  `json:"nominal,omitempty"` // the nominal design, where it was evaluated
	AtEnds   []End  `json:"at_ends,omitempty"` // inputs of the best design that end at an end of their range
	LastWhy  string `json:"last_failure,omitempty"`
	// SolverKey is that of the solver with which the run was begun.
	SolverKey string `json:"solver_key,omitempty"`
}

// A Best is a design with its values and verdicts.
type Best struct {
	Evaluation   int                    `json:"evaluation"`
	Inputs       map[string]bench.Value `json:"inputs"`
	Values       map[string]float64     `json:"values"`
	Feasible     bool                   `json:"feasible"`
	Objective    *float64               `json:"objective,omitempty"`
	Violation    float64                `json:"violation,omitempty"` // worst, as a share of the limit
	Requirements map[string]Judgment    `json:"requirements"`
}

// A Judgment is the verdict on one requirement.
type Judgment struct {
	Verdict verdict.Verdict `json:"verdict"`
	Value   *float64        `json:"value,omitempty"`  // none where the verdict is not_shown
	Margin  *float64        `json:"margin,omitempty"` // in the unit of the value
}

// An End says that an input of the best design stands at an end of its range.
type End struct {
	Input string  `json:"input"`
	End   string  `json:"end"` // lower or upper
	Value float64 `json:"value"`
	Guess bool    `json:"guess"`
	Says  string  `json:"says"`
}

// Judge gives the verdict of every requirement on a row of values; with no row nothing is shown.
func (m *Model) Judge(values []float64) map[string]Judgment {
	judgments := make(map[string]Judgment, len(m.Requirements))
	for _, t := range m.Requirements {
		j := Judgment{Verdict: verdict.NotShown}
		if values != nil {
			value := values[t.Column]
			j.Verdict = verdict.Judge(t.Limit, value)
			if j.Verdict != verdict.NotShown {
				margin := t.Limit.Margin(value)
				j.Value, j.Margin = &value, &margin
			}
		}
		judgments[t.ID] = j
	}
	return judgments
}

// Feasible is true if every requirement of the bench that is neither a wish nor soft is met.
func (m *Model) Feasible(values []float64) bool {
	for _, t := range m.Requirements {
		if t.Decisive() && !(t.Limit.Margin(values[t.Column]) >= 0) {
			return false
		}
	}
	return true
}

// endTolerance is how near to an end of its range an input is said to be at it, as a share of the range.
const endTolerance = 1e-3

// AtEnds names the inputs of a design that stand at an end of their range.
func (m *Model) AtEnds(design []float64) []End {
	var ends []End
	for k, i := range m.varied {
		in := m.Bench.Inputs[i]
		if in.Range == nil {
			continue
		}
		near := endTolerance * (in.Range.Upper - in.Range.Lower)
		switch value := design[k]; {
		case value-in.Range.Lower <= near:
			ends = append(ends, endOf(in, "lower", in.Range.Lower, in.Range.LowerGuess))
		case in.Range.Upper-value <= near:
			ends = append(ends, endOf(in, "upper", in.Range.Upper, in.Range.UpperGuess))
		}
	}
	return ends
}

func endOf(in bench.Input, end string, value float64, guess bool) End {
	says := in.Name + " is at its " + end + " end, " + bench.With(value, in.Unit) + ", which is hard"
	if guess {
		says = in.Name + ": the optimum is held by your guess of " + bench.With(value, in.Unit) + ": widen it?"
	}
	return End{Input: in.Name, End: end, Value: value, Guess: guess, Says: says}
}
