// Package optimize searches a space for designs that meet constraints and make an objective least or most.
package optimize

import (
	"context"
	"fmt"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/space"
)

// A Problem says what is searched, and what makes a design good.
type Problem struct {
	Space space.Space
	core.Goal
	Ahead Ahead // nil: nothing is known without the solver
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

// Options steer a search. The zero values of Tolerance and Plateau switch the early end off.
type Options struct {
	Seed      uint64
	Budget    int         // distinct designs to be asked at most
	Start     core.Design // from which a local search starts and which a population contains; nil: drawn
	Tolerance float64     // an improvement counts if it is larger than this share of the objective
	Plateau   int         // end after so many evaluations without an improvement that counts
}

// An Observer is told what a method does, in words, when something changes: a restart, a smaller population.
type Observer func(note string)

// A Result is the best design found and how the search ended.
type Result struct {
	Best       budget.Answer // its design is nil if no outcome can be compared
	Cause      budget.Cause
	Reason     string
	Used       int // distinct designs asked
	ImprovedAt int // how many had been asked at the last improvement that counts
}

// A Method searches a problem by asking its evaluator.
type Method func(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error)

// Methods has the search methods by their names in a bench file.
var Methods = map[string]Method{
	"auto":                   Auto,
	"nelder-mead":            NelderMead,
	"sqp":                    SQP,
	"differential-evolution": DifferentialEvolution,
}

// Auto takes differential evolution where the budget lets a population of it go through enough generations, and
// Nelder-Mead where it does not. Where most inputs are stepped fewer generations are enough: a simplex shrinks to one
// design there before it has looked around.
func Auto(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	generations := 10
	if mostlyStepped(p) {
		generations = 5
	}
	if o.Budget >= generations*population(len(p.Space), o.Budget) {
		return DifferentialEvolution(ctx, p, e, o, watch)
	}
	return NelderMead(ctx, p, e, o, watch)
}

func mostlyStepped(p Problem) bool {
	stepped := 0
	for _, in := range p.Space {
		if in.Levels() > 0 {
			stepped++
		}
	}
	return 2*stepped > len(p.Space)
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
	return nil
}
