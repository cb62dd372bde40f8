package study

import (
	"time"

	"ropebench/bench"
	"ropebench/model"
	"ropebench/result"
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
	Around      bool                    `json:"around,omitempty"`      // verify: its neighbours are evaluated, too
	Keep        string                  `json:"keep,omitempty"`        // try: a folder for the files of the working folder
	Slots       int                     `json:"slots,omitempty"`       // at most so many solvers at a time; 0: all that there are
	AtOnce      int                     `json:"atOnce,omitempty"`      // designs that are at work together where a method need not wait, recorded when this run was queued; 0: 1
	Pace        float64                 `json:"pace,omitempty"`        // seconds of an evaluation by earlier runs, recorded likewise; 0: that is not known
	Earlier     []Earlier               `json:"earlier,omitempty"`     // evaluations of other runs that a search may know, recorded likewise
	Of          *Candidate              `json:"of,omitempty"`          // verify: where the candidate comes from
	Start       map[string]bench.Value  `json:"start,omitempty"`       // the best design of another study, recorded when this run was queued
	About       string                  `json:"about,omitempty"`       // from which design a search starts, or which one a study is about, in words; "": the nominal one
	Besides     []string                `json:"besides,omitempty"`     // what Hold and Free say, in words, and where a range is wider than that of the bench
	Learned     *result.Learned         `json:"learned,omitempty"`     // by the search that ended at Start, recorded likewise
	Until       *time.Time              `json:"until,omitempty"`       // of a budget that names a time of day: the next one when this run was queued
	More        []int                   `json:"more,omitempty"`        // points that were added to a sample, each time
}

// A Candidate is a design that was picked from a run.
type Candidate struct {
	Run        int `json:"run"`
	Evaluation int `json:"evaluation"`
}

// A Run is one execution of a question, pinned to one revision of a bench. What it found stands beside it: see
// result.Parts.
type Run struct {
	ID       int
	Bench    string
	Revision int
	Question Question
	State    State
	Reason   string // why it ended, in words
	Note     string // what the method does now
	Trying   string // which evaluation is tried again
	Hopeless bool   // it was paused since its first evaluations all failed: once is enough
	Budget   int    // evaluations at most; 0: time ends it
	Layout   model.Layout
	Created  time.Time
	Began    time.Time
	Ended    time.Time
	// Elapsed is the time at work over all its sessions, without the one that is going on.
	Elapsed time.Duration
	result.Counts
	Headline *result.Headline
	LastWhy  string // why the latest failure failed
	// SolverKey is that of the solver with which the run was begun.
	SolverKey string
	// CoarseKey is that of its coarse variant, where the run asks that too.
	CoarseKey string
	// ValuesForm is the form of the values that it records: see Unreliable.
	ValuesForm int
	// Version counts the changes of the run, so that a later state is told from an earlier one. Found counts those of what
	// it found.
	Version int
	Found   int
}
