// Package optimize searches a space for designs that meet constraints and make an objective least or most.
package optimize

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
	"ropebench/core/space"
)

// An Objective is a value of the outcome, by its index, to be made least or most.
type Objective struct {
	Value    int
	Maximize bool
}

// A Constraint keeps a value of the outcome, by its index, in a limit. With a price it is soft: each unit of violation
// makes the objective worse by the price, and feasibility does not depend on it.
type Constraint struct {
	Value int
	Limit core.Limit
	Price float64
}

// A Problem says what is searched. Without an objective any design that meets the constraints is good.
type Problem struct {
	Space       space.Space
	Objective   *Objective
	Constraints []Constraint
}

// Options steer a search. The zero values of Tolerance and Plateau switch the early end off.
type Options struct {
	Seed      uint64
	Budget    int       // distinct designs to be asked at most
	Start     []float64 // point of the unit cube from which a local search starts and which a population contains
	Tolerance float64   // an improvement counts if it is larger than this share of the objective
	Plateau   int       // end after so many evaluations without an improvement that counts
}

// An Observer is told what a method does, in words, when something changes: a restart, a smaller population.
type Observer func(note string)

// A Result is the best design found, ordered by Better, and why the search ended.
type Result struct {
	Design core.Design // nil if no design gave an outcome that can be compared
	Values []float64
	Reason string
}

// A Method searches a problem by asking its evaluator.
type Method func(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error)

// Methods has the search methods by their names in a bench file.
var Methods = map[string]Method{
	"auto":                   Auto,
	"nelder-mead":            NelderMead,
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

// class orders outcomes before their numbers are looked at.
type class uint8

const (
	feasible   class = iota // every constraint is met with its reserve
	infeasible              // the solver answered, a constraint is violated
	untried                 // a requirement on inputs alone is missed: the violation is only what they decide
	unusable                // no values
)

// A Rank orders outcomes: feasible before infeasible, then the violation, then the objective, to be made least.
// K. Deb, Computer Methods in Applied Mechanics and Engineering 186 (2000).
type Rank struct {
	class     class
	violation float64
	objective float64
}

// Better is true if r comes before other.
func (r Rank) Better(other Rank) bool {
	if r.class != other.class {
		return r.class < other.class
	}
	if r.violation != other.violation {
		return r.violation < other.violation
	}
	return r.objective < other.objective
}

// Feasible is true where every constraint that is not soft is met with its reserve.
func (r Rank) Feasible() bool { return r.class == feasible }

// A Ranking compares the outcomes of one problem. Violations of different constraints are added up in units of the
// scale of each: the largest distance from its limit among the first outcomes that have the value.
type Ranking struct {
	problem Problem
	scale   []float64
}

// NewRanking returns the ranking of a problem; nothing is known of the scales yet.
func NewRanking(p Problem) *Ranking {
	return &Ranking{problem: p, scale: make([]float64, len(p.Constraints))}
}

// Learn takes the scales that are not known yet from a batch of outcomes. No rank given before depends on them.
func (r *Ranking) Learn(outcomes []core.Outcome) {
	for i, c := range r.problem.Constraints {
		if r.scale[i] != 0 {
			continue
		}
		for _, outcome := range outcomes {
			if outcome.Values == nil {
				continue
			}
			if margin := math.Abs(c.Limit.Margin(outcome.Values[c.Value])); !math.IsInf(margin, 0) && margin > r.scale[i] {
				r.scale[i] = margin // NaN is larger than nothing
			}
		}
	}
}

// Rank gives the place of an outcome in the order.
func (r *Ranking) Rank(outcome core.Outcome) Rank {
	if outcome.Values == nil {
		return Rank{class: unusable}
	}
	rank := Rank{class: feasible}
	if outcome.State == core.NotTried {
		rank.class = untried
	} else if o := r.problem.Objective; o != nil {
		rank.objective = outcome.Values[o.Value]
		if o.Maximize {
			rank.objective = -rank.objective
		}
	}
	for i, c := range r.problem.Constraints {
		violation := c.Limit.Violation(outcome.Values[c.Value])
		switch {
		case math.IsNaN(violation) || violation == 0:
		case c.Price > 0:
			rank.objective += c.Price * violation
		default:
			rank.class = max(rank.class, infeasible)
			rank.violation += violation / r.unit(i)
		}
	}
	return rank
}

func (r *Ranking) unit(i int) float64 {
	if r.scale[i] == 0 {
		return 1
	}
	return r.scale[i]
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
	return nil
}
