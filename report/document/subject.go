// Package document writes what is known of a candidate: as a report for people, and as verdicts for other programs.
package document

import (
	"time"

	"ropebench/bench"
	"ropebench/result"
)

// A Subject is a candidate with all that a report says of it.
type Subject struct {
	Bench    *bench.Bench // the newest revision
	Then     *bench.Bench // the revision on which the design that is judged was evaluated: the same where nothing has changed since
	Name     string       // of the bench
	File     string
	Revision int
	Program  string // that writes the report, with its version
	Made     time.Time

	Candidate Candidate
	Nominal   *result.Design // nil: it was not evaluated
	Verified  *Verified      // nil: the candidate was never verified
	Search    *Found         // the run that the candidate is of
	Studies   []Studied      // in the order of the bench
	Matters   []Mattering
	Scatter   *Scattered // nil: no study of scatter was made about the candidate
	Rare      *Scattered // nil: nor one of rare misses
	Worst     *Scattered // nil: nor one of the worst within tolerances

	Figures []Figure
}

// A Candidate is the design that was picked.
type Candidate struct {
	Name       string // or RUN:EVALUATION
	Because    string
	Run        int
	Evaluation int
	Revision   int
	Picked     time.Time // zero: it was not
	Design     *result.Design
	// Changes of the bench since the revision on which it was found, in words.
	Changes []string
}

// Verified is the latest verification of the candidate.
type Verified struct {
	Run      int
	Revision int
	Ended    time.Time
	Parts    result.Parts
}

// Found is a run with what it has found.
type Found struct {
	Run         int
	Study       string
	Seed        uint64
	Evaluations int
	Reason      string
	Parts       result.Parts
}

// Studied says what was done for one study.
type Studied struct {
	Name        string
	Words       string // what it asks
	Runs        int
	Evaluations int // of the solver, over all its runs, without those that were reused
	Failed      int
	Latest      int // run
	Ended       string
}

// A Mattering is a value with what was found to move it.
type Mattering struct {
	Name string
	Run  int
	result.Sensitivity
}

// Scattered is a study of scatter about the candidate.
type Scattered struct {
	Run   int
	Study string
	Parts result.Parts
}

// A Figure belongs to a chapter.
type Figure struct {
	Chapter string // one of the chapters that have figures
	Caption string
	SVG     []byte
}

// The chapters that have figures.
const (
	ChapterMatters   = "matters"
	ChapterSearch    = "search"
	ChapterTrade     = "trade"
	ChapterCandidate = "candidate"
	ChapterMargins   = "margins"
	ChapterScatter   = "scatter"
)

// Judged is the design on which verdicts are given: that of the verification, or else the candidate as its run has seen it.
func (s Subject) Judged() *result.Design {
	if s.Verified != nil && s.Verified.Parts.Best != nil {
		return s.Verified.Parts.Best
	}
	return s.Candidate.Design
}

// IsVerified is true where the candidate was verified on the bench as it is now.
func (s Subject) IsVerified() bool {
	return s.Verified != nil && s.Verified.Parts.Best != nil && s.Verified.Revision == s.Revision
}
