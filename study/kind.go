// Package study turns a study of a bench into calls of core methods over an evaluator, and leads the life of a run.
package study

import (
	"context"
	"fmt"
	"slices"

	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/optimize"
	"ropebench/dispatch"
	"ropebench/model"
	"ropebench/result"
)

// A kind is one kind of study: what it needs, how it runs, what it returns. Each stands in a file of its own.
type kind struct {
	name string
	// unnamed is true for what no bench file names: a design has every input then, varied or not.
	unnamed bool
	// repeats is true where a design that is asked again is evaluated again, and earlier runs are not asked about it.
	repeats bool
	// continues is true where a finished run can have more points.
	continues bool
	// prepare fills in defaults, applies what overrides the study, and refuses what would only fail later.
	prepare func(a *Asked) error
	// budget is how many evaluations the question takes at most; 0: no bound.
	budget func(a *Asked) int
	// concurrent is true where several searches ask at once.
	concurrent bool
	// moves are inputs that designs have besides those that the study varies; nil: none.
	moves func(a *Asked) []string
	// inner is the study that is made again and again; nil: the study itself.
	inner func(b *bench.Bench, s bench.Study) (bench.Study, error)
	// draws is true where designs differ in what scatters: what fails among them is a part of the answer, and lies at no place of the space.
	draws bool
	// all is true where every design is evaluated, also one that misses a requirement on inputs alone: verdicts hang on all draws and
	// neighbours, and each requirement is judged by its formula.
	all bool
	// best is which evaluation is shown as the best design.
	best choice
	// run asks the evaluator, enters what it finds, and returns why it ended, in words.
	run func(ctx context.Context, s *session) (reason string, err error)
}

// A choice says which evaluation stands for a run.
type choice uint8

const (
	noBest           choice = iota
	bestOfAll               // the first in the order
	chosen                  // the one that the kind chooses itself
	worstOfCandidate        // the last in the order of its repeats: before them is the nominal design, for comparison, and behind them are neighbours
)

// kinds are all that can be run.
var kinds = []kind{tryKind, verifyKind, sampleKind, sensitivityKind, optimizeKind, seekKind, calibrateKind, sweepKind, uncertaintyKind}

func kindOf(name string) (kind, bool) {
	i := slices.IndexFunc(kinds, func(k kind) bool { return k.name == name })
	if i < 0 {
		return kind{}, false
	}
	return kinds[i], true
}

// A session is one execution of a question: what a kind has at hand.
type session struct {
	*Asked
	evaluator core.Evaluator
	aside     core.Evaluator                   // answers designs that are not written down, at no cost: of formulas; nil: there is none
	coarse    core.Evaluator                   // the coarse variant of the solver; nil: there is none
	note      func(text string)                // what the method does now
	enter     func(change func(*result.Parts)) // adds to the result
	// earlier gives the evaluations of other runs that a search may know.
	earlier func() ([]optimize.Evaluated, error)
	// provenance says where evaluations come from.
	provenance func(ctx context.Context) (*result.Provenance, error)
	// recorded are the values that the run of a candidate has recorded for it, by name, and whether the bench is as it was; nil where there are none.
	recorded func() (values map[string]float64, sameRevision bool, err error)
	// record reads an evaluation, with its curves.
	record func(number int) (dispatch.Record, error)
	// choose makes an evaluation the best design: its number, its whole design and values, and the objective where the study has one.
	choose func(number int, design core.Design, values []float64, objective *float64)
}

// Asked is a question compiled: the study with what overrides it, the model that it runs on, and its problem.
type Asked struct {
	Study    bench.Study
	Outer    bench.Settings // of the study that makes this one again and again; those of the study itself for others
	Question Question
	Model    *model.Model
	Problem  model.Problem
	kind     kind
	varies   []string
	// overScatter is true for a search whose designs are judged over draws.
	overScatter bool
	bench       *bench.Bench // with what the question frees
}

// Ask compiles a question on a bench. The error says what the question asks that cannot be done.
func Ask(b *bench.Bench, q Question) (*Asked, error) {
	if q.Evaluations < 0 || q.Evaluations > bench.MaxEvaluations {
		return nil, fmt.Errorf("a run has between 1 and %d evaluations, not %d", bench.MaxEvaluations, q.Evaluations)
	}
	if q.Repeats < 0 || q.Repeats > bench.MaxRepeats {
		return nil, fmt.Errorf("a design is evaluated between 1 and %d times, not %d", bench.MaxRepeats, q.Repeats)
	}
	a := &Asked{Question: q}
	var known bool
	if a.kind, known = kindOf(q.Kind); known && a.kind.unnamed {
		a.Study = bench.Study{Name: q.Study, Kind: q.Kind, Common: bench.Common{Seed: q.Seed}, Settings: nothing{}}
	} else {
		found, ok := b.Study(q.Study)
		if !ok {
			return nil, fmt.Errorf("the bench has no study %s; it has %s", q.Study, studyNames(b))
		}
		if later := found.Later(); later != "" {
			return nil, fmt.Errorf("study %s: %s", q.Study, later)
		}
		if a.kind, known = kindOf(found.Kind); !known {
			return nil, fmt.Errorf("study %s: a study of kind %s cannot be run", q.Study, found.Kind)
		}
		a.Study, a.Outer = found, found.Settings
		a.Study.Seed = q.Seed
		if a.kind.inner != nil {
			var err error
			if a.Study, err = a.kind.inner(b, a.Study); err != nil {
				return nil, err
			}
		}
	}
	if q.Until != nil {
		a.Study.Budget.Until = *q.Until
	}
	if q.Evaluations > 0 {
		a.Study.Budget.Evaluations = q.Evaluations
	}
	if err := a.compile(b); err != nil {
		return nil, err
	}
	return a, a.kind.prepare(a)
}

// nothing are the settings of what no bench file names.
type nothing struct{}

func (nothing) Keys() []bench.Key { return nil }
func (nothing) Words() string     { return "" }
func (nothing) Later() string     { return "" }

// compile makes the model and the problem.
func (a *Asked) compile(b *bench.Bench) error {
	hold, err := a.held(b)
	if err != nil {
		return err
	}
	if b, err = a.freed(b, hold); err != nil {
		return err
	}
	a.Study.Hold, a.bench = hold, b
	if a.overScatter = !a.kind.unnamed && a.isRobust(b); a.overScatter {
		a.kind = robustKind
	}
	scope := model.Scope{Hold: hold}
	var taken model.Asked // what is over scatter
	for _, goal := range a.Study.Goals() {
		without, err := goal.Formula.WithoutScatter()
		if err != nil {
			return err
		}
		if goal.Formula.Statistics == nil {
			scope.Asked = append(scope.Asked, goal.Formula)
		} else {
			taken = append(append(taken, model.TakenOf(goal.Formula)...), without)
		}
	}
	for _, target := range a.Study.Targets() {
		scope.Asked = append(scope.Asked, target.Of)
	}
	if scope.Matched, err = matched(a.Study.Settings); err != nil {
		return err
	}
	scope.Matched = append(scope.Matched, taken...)
	if !a.kind.all && !a.overScatter {
		for _, q := range b.MetBy(a.Study) {
			scope.Must = append(scope.Must, q.ID)
		}
	}
	if a.kind.unnamed {
		scope.Moves = b.InputNames()
	} else {
		for _, in := range b.VariedBy(a.Study) {
			a.varies = append(a.varies, in.Name)
		}
		scope.Moves = slices.Clone(a.varies)
		if a.kind.moves != nil {
			for _, name := range a.kind.moves(a) {
				if !slices.Contains(scope.Moves, name) {
					scope.Moves = append(scope.Moves, name)
				}
			}
		}
	}
	if a.Model, err = model.New(b, scope); err != nil {
		return err
	}
	if !a.kind.unnamed {
		a.Problem = a.Model.Problem(a.Study, a.varies, a.Model.Design(nil))
		if a.overScatter {
			a.Problem.Objectives = nil // no evaluation has them: they are over draws
		}
	} else {
		a.Problem.Goal = a.Model.Goal()
	}
	return nil
}

// held are the inputs that stay, with their values: those of the study, and those of the question over them.
func (a *Asked) held(b *bench.Bench) (map[string]bench.Value, error) {
	hold := map[string]bench.Value{}
	for _, values := range []map[string]bench.Value{a.Study.Hold, a.Question.Hold} {
		for name, value := range values {
			hold[name] = value
		}
	}
	start, _ := a.Study.StartsFrom()
	for _, values := range []map[string]bench.Value{hold, start.Values, a.Question.Start, a.Question.Design} {
		if err := known(b, values); err != nil {
			return nil, err
		}
	}
	return hold, nil
}

// Budget is how many evaluations the question takes at most; 0: no bound but time.
func (a *Asked) Budget() int { return a.kind.budget(a) }
