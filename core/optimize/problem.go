// Package optimize searches a space for designs that meet constraints and make an objective least or most.
package optimize

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/curve"
	"ropebench/core/space"
)

// A Problem says what is searched, and what makes a design good.
type Problem struct {
	Space space.Space
	core.Goal
	Ahead  Ahead  // nil: nothing is known without the solver
	Behind Behind // nil: nothing is known to follow from what the solver gives
}

// Ahead tells what inputs alone decide, at no cost: methods keep such constraints before they ask, and need no derivatives of
// them from the solver.
type Ahead interface {
	// Decided says of each value of an outcome whether inputs alone decide it.
	Decided() []bool
	// Look gives the values of a design, and with derivatives those by its inputs, a row for each value. What the solver
	// decides is NaN. Both are good until the next call.
	Look(design core.Design, derivatives bool) ([]float64, core.Derivatives)
}

// Behind tells what formulas make of what the solver gives: a search that believes that lets the formulas follow. Several goroutines may call it.
type Behind interface {
	// From lists what the solver gives from which another value follows: numbers, by their columns, and vectors and curves, in the order of those
	// of Options.Curves. follows is false for a value that does not follow.
	From(column int) (numbers, curves []int, follows bool)
	// Follow fills in what follows from numbers alone, in values of all columns of which those that the solver gives are in their places.
	Follow(design core.Design, values []float64)
	// Read gives a value that follows from vectors and curves, too, of which those that it follows from are in their places; NaN where it has
	// none. What inputs alone decide is filled into the values.
	Read(column int, design core.Design, values []float64, curves []curve.Curve) float64
}

// Options steer a search. The zero values of Tolerance and Plateau switch the early end off.
type Options struct {
	Seed      uint64
	Budget    int         // distinct designs to be asked at most
	Start     core.Design // from which a local search starts and which a population contains; nil: drawn
	Then      core.Design // from which a search from several starts begins next; nil: drawn as the others
	Learned   *Learned    // by an earlier search of the same objective over the same inputs; nil: nothing
	Tolerance float64     // an improvement counts if it is larger than this share of the objective
	Plateau   int         // end after so many evaluations without an improvement that counts
	Effort    Effort
	Few       bool // evaluations are to be had: each is worth to be thought about for long
	AtOnce    int  // designs that the solver works at together; 0: 1
	// Curves gives the vectors and curves that the solver gave in an evaluation, by its number; nil: they are not known.
	Curves    func(number int) ([]curve.Curve, error)
	Earlier   []Evaluated    // designs whose outcomes are known before: a search by surrogates begins with them
	Coarse    core.Evaluator // gives the same values by a cheaper way, for searches that use both; nil: there is none
	Noisy     bool           // the same design may give other values
	Check     bool           // derivatives come from the solver: they are compared with differences at the first place
	precision float64        // share of the objective by which a step must be believed to better it; 0: by the effort
	enough    float64        // of a sum of squares, that ends a search; 0: none does
	unproved  bool           // slopes at the end of a local search are believed: it is a part of another one
	beyond    bool           // a design that meets everything does not end a search without an objective
}

// An Evaluated design is one whose outcome is known.
type Evaluated struct {
	Design  core.Design
	Outcome core.Outcome
	Curves  []curve.Curve // that the solver gave; nil: they are not known
}

// Effort says how precise a search is, and how long it looks for a better place than the one it found.
type Effort uint8

// The efforts.
const (
	Normal Effort = iota
	Quick
	Thorough
)

// tolerance is the share of the objective by which a step must be believed to better it.
func (e Effort) tolerance() float64 {
	return [...]float64{Normal: 1e-9, Quick: 1e-6, Thorough: 1e-12}[e]
}

// hits is how many searches from different starts must have ended at the best place for it to be believed.
func (e Effort) hits() int { return [...]int{Normal: 8, Quick: 1, Thorough: 25}[e] }

// unseen is how many places like those that were found a search may believe to have missed when it ends.
func (e Effort) unseen() float64 {
	return [...]float64{Normal: 0.5, Quick: math.Inf(1), Thorough: 0.1}[e]
}

// An Observer is told what a method does, in words, when something changes: a restart, a smaller population.
type Observer func(note string)

// A Result is the best design found and how the search ended.
type Result struct {
	Best       budget.Answer // its design is nil if no outcome can be compared
	Cause      budget.Cause
	Reason     string
	Used       int             // distinct designs asked
	Knew       int             // evaluated designs of Options that it took in
	Coarse     *CoarseUse      // nil: the solver has no coarse variant, or the search did not use it
	Answers    []budget.Answer // of a noisy solver: all that were given
	Likely     *Likely         // of a noisy solver: the design that is best by all that was seen; nil: that is not known
	Checks     []Check         // of a search on a stand-in: where it was compared with the solver
	ImprovedAt int             // how many had been asked at the last improvement that counts
	Doubted    map[int]Doubt   // values whose derivatives are not those that the solver gives; differences were taken
	Together   int             // designs at work at a time, of which each was chosen without waiting for the others: which ended first counts; 0: one
	Chose      string          // of auto: what it did, and why
	Searches   int             // local searches that were made
	Ends       int             // places at which they ended
	Unseen     float64         // places like those found that are believed not to be; +Inf where too few were looked for
	Others     []Place         // at which local searches ended, the best first, without that of the best design
	Neighbours int             // that differ from the best design in one stepped input, of which none is better; 0: they were not compared
	Next       *Place          // the best of these; nil: there is none
	end        *ending         // of the local search that found the best design
	Easings    []budget.Easing // of each constraint, as far as was seen
	Learned    *Learned        // for a later search; nil: nothing was
	Freedom    int             // of a search for targets: in how many directions inputs could be changed with all of them still reached
}

// A Method searches a problem by asking its evaluator.
type Method func(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error)

// Methods has the search methods by their names in a bench file.
var Methods = map[string]Method{
	"auto":                   Auto,
	"nelder-mead":            NelderMead,
	"sqp":                    SQP,
	"multi-start":            MultiStart,
	"pattern":                Pattern,
	"levenberg-marquardt":    LevenbergMarquardt,
	"cma-es":                 CMAES,
	"trust-region":           TrustRegion,
	"differential-evolution": DifferentialEvolution,
	"surrogate":              Surrogate,
	"nsga2":                  NSGA2,
	"epsilon-constraint":     EpsilonConstraint,
	"weighted-sum":           WeightedSum,
}

func (o Options) check(p Problem) error {
	if err := p.Space.Check(); err != nil {
		return err
	}
	if len(p.Space) == 0 {
		return fmt.Errorf("no input is varied: give at least one input a range")
	}
	if o.Budget < 1 {
		return fmt.Errorf("the budget of %d evaluations leaves nothing to search with", o.Budget)
	}
	if o.Start != nil && len(o.Start) != len(p.Space) {
		return fmt.Errorf("the start has %d values for %d inputs", len(o.Start), len(p.Space))
	}
	if o.Then != nil && len(o.Then) != len(p.Space) {
		return fmt.Errorf("the second start has %d values for %d inputs", len(o.Then), len(p.Space))
	}
	return nil
}
