package budget

import (
	"context"
	"fmt"
	"math"

	"ropebench/core"
)

// Limits end a search. The zero values of Tolerance and Plateau do not.
type Limits struct {
	Evaluations int     // distinct designs to be asked at most
	Tolerance   float64 // an improvement counts if it is larger than this share of the objective
	Plateau     int     // end after so many evaluations without an improvement that counts
	Designs     float64 // how many there are; +Inf where an input is continuous
	Beyond      bool    // a design that meets everything is no end where nothing else was asked for
	Enough      float64 // of a sum of squares: a feasible design with no more than this ends it; 0: none does
	Keep        bool    // every answer is kept: see Answers
	// Inside is true for a design that may be asked; nil: every one that is finite.
	Inside func(core.Design) bool
}

// An Answer is a design with its outcome and the place of that in the order.
type Answer struct {
	Design  core.Design
	Outcome core.Outcome
	Rank    Rank
}

// Cause says what ended a search.
type Cause string

// The causes.
const (
	UsedUp    Cause = "budget"    // it was cut off
	Stuck     Cause = "plateau"   // nothing was gained any more
	Satisfied Cause = "met"       // a design meets every requirement, and nothing else was asked for
	Exhausted Cause = "exhausted" // every design is known
	Converged Cause = "converged" // no small change betters it
)

// Ended is the error that ends a search. What was answered with it is good.
type Ended struct {
	Cause  Cause
	Reason string
}

func (e Ended) Error() string { return e.Reason }

// maxRepeats is how many known designs a method may propose in a row before it is taken to have nothing left to ask.
const maxRepeats = 2000

// notableShare is the share of the objective by which an improvement is worth to be told.
const notableShare = 1e-3

// improving is the last share of a budget in which an improvement tells that more evaluations may bring more.
const improving = 0.2

// An Account is an evaluator for one method: it asks another one, counts, orders what comes back and keeps the best. It
// is for one goroutine at a time.
type Account struct {
	evaluator core.Evaluator
	goal      core.Goal
	order     *Order
	limits    Limits

	used       int // distinct designs asked
	repeats    int // designs asked in a row that were all known
	best       Answer
	told       *Order // by which it is told what misses least
	nearest    Answer // what misses least, by that
	easings    []Easing
	answers    []Answer // see Limits.Keep
	improvedAt int      // used, when the best last became better by more than the tolerance
	improved   Rank     // the best at that time
	notableAt  int      // used, when it last became better by a share that is worth to be told
	notable    Rank
}

// Open returns the account of a method on an evaluator.
func Open(e core.Evaluator, goal core.Goal, limits Limits) *Account {
	if limits.Designs == 0 {
		limits.Designs = math.Inf(1)
	}
	easings := make([]Easing, len(goal.Constraints))
	for i := range easings {
		easings[i].By = math.Inf(1)
	}
	return &Account{easings: easings, evaluator: e, goal: goal, order: NewOrder(goal), told: NewOrder(goal), nearest: Answer{Rank: worst}, limits: limits, best: Answer{Rank: worst}, improved: worst, notable: worst}
}

// Used is how many distinct designs were asked.
func (a *Account) Used() int { return a.used }

// Best is the best answer; its design is nil while there is none that can be compared.
func (a *Account) Best() Answer { return a.best }

// Nearest is the answer that misses least by its worst violation, as a share of its limit; the best where one meets everything.
func (a *Account) Nearest() Answer {
	if a.best.Rank.Kept() {
		return a.best
	}
	return a.nearest
}

// Answers are all that were given, where they are kept.
func (a *Account) Answers() []Answer { return a.answers }

// ImprovedAt is how many designs had been asked when the best last became better by more than the tolerance.
func (a *Account) ImprovedAt() int { return a.improvedAt }

// Learn takes the units of violations from outcomes that were not asked for.
func (a *Account) Learn(outcomes []core.Outcome) { a.order.Learn(outcomes) }

// Rank gives the place of an outcome that was not asked for, in the order of those that were.
func (a *Account) Rank(outcome core.Outcome) Rank { return a.order.Rank(outcome) }

// Evaluate implements core.Evaluator, for methods within methods: where the budget does not pay for all designs, none is
// asked.
func (a *Account) Evaluate(ctx context.Context, designs []core.Design) ([]core.Outcome, error) {
	if a.used+len(designs) > a.limits.Evaluations {
		return nil, a.usedUp()
	}
	answers, err := a.Ask(ctx, designs)
	outcomes := make([]core.Outcome, len(answers))
	for i, answer := range answers {
		outcomes[i] = answer.Outcome
	}
	return outcomes, err
}

// Ask evaluates designs, or the first of them that the budget still pays for. Its error is of type Ended when the search
// is to end; the answers that came with it are good.
func (a *Account) Ask(ctx context.Context, designs []core.Design) ([]Answer, error) {
	answers, _, err := a.ask(designs, func(designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
		outcomes, err := a.evaluator.Evaluate(ctx, designs)
		return outcomes, nil, err
	})
	return answers, err
}

// Within is the account for a method within a method: an evaluator that differentiates where the one behind it does.
func (a *Account) Within() core.Evaluator {
	if a.Differentiates() {
		return differentiating{a}
	}
	return a
}

type differentiating struct{ *Account }

// Differentiate implements core.Differentiator, as Evaluate of the account does.
func (d differentiating) Differentiate(ctx context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	if d.used+len(designs) > d.limits.Evaluations {
		return nil, nil, d.usedUp()
	}
	answers, derivatives, err := d.AskDerivatives(ctx, designs)
	outcomes := make([]core.Outcome, len(answers))
	for i, answer := range answers {
		outcomes[i] = answer.Outcome
	}
	return outcomes, derivatives, err
}

// Differentiates is true where AskDerivatives can be used.
func (a *Account) Differentiates() bool {
	_, differentiates := a.evaluator.(core.Differentiator)
	return differentiates
}

// AskDerivatives is Ask, with the derivatives of each answer, nil where there are none. The evaluator must differentiate.
func (a *Account) AskDerivatives(ctx context.Context, designs []core.Design) ([]Answer, []core.Derivatives, error) {
	return a.ask(designs, func(designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
		return a.evaluator.(core.Differentiator).Differentiate(ctx, designs)
	})
}

type asking func(designs []core.Design) ([]core.Outcome, []core.Derivatives, error)

// ask answers all designs, or the first of them that the budget pays for: known ones cost nothing, so that what is left after them pays for more.
func (a *Account) ask(designs []core.Design, evaluate asking) (answers []Answer, derivatives []core.Derivatives, err error) {
	for {
		part := designs[len(answers):]
		part = part[:min(len(part), max(0, a.limits.Evaluations-a.used))]
		if len(part) == 0 {
			return answers, derivatives, a.end()
		}
		outcomes, by, err := a.guarded(part, evaluate)
		if err != nil {
			return nil, nil, err
		}
		a.order.Learn(outcomes)
		for i, outcome := range outcomes {
			answer := Answer{Design: part[i], Outcome: outcome, Rank: a.order.Rank(outcome)}
			a.enter(answer)
			answers = append(answers, answer)
		}
		derivatives = append(derivatives, by...)
		if err := a.end(); err != nil {
			return answers, derivatives, err
		}
	}
}

// guarded asks those designs that can be asked: none whose inputs are not finite or lie outside of their ranges, whatever a method has
// made of what it was answered. Such a one fails, and costs nothing.
func (a *Account) guarded(designs []core.Design, evaluate asking) ([]core.Outcome, []core.Derivatives, error) {
	sound := make([]core.Design, 0, len(designs))
	for _, design := range designs {
		if a.mayAsk(design) {
			sound = append(sound, design)
		}
	}
	if len(sound) == len(designs) {
		return evaluate(designs)
	}
	outcomes, derivatives := make([]core.Outcome, len(designs)), make([]core.Derivatives, len(designs))
	var answered []core.Outcome
	var by []core.Derivatives
	if len(sound) > 0 {
		var err error
		if answered, by, err = evaluate(sound); err != nil {
			return nil, nil, err
		}
	}
	next := 0
	for i, design := range designs {
		if !a.mayAsk(design) {
			outcomes[i] = core.Outcome{State: core.Failed, Repeated: true}
			continue
		}
		outcomes[i] = answered[next]
		if by != nil {
			derivatives[i] = by[next]
		}
		next++
	}
	return outcomes, derivatives, nil
}

func (a *Account) mayAsk(design core.Design) bool {
	if a.limits.Inside != nil {
		return a.limits.Inside(design)
	}
	for _, value := range design {
		if math.IsNaN(value) || math.IsInf(value, 0) {
			return false
		}
	}
	return true
}

func (a *Account) enter(answer Answer) {
	if answer.Outcome.Repeated {
		a.repeats++
	} else {
		a.repeats = 0
		a.used++
	}
	if a.limits.Keep {
		a.answers = append(a.answers, answer)
	}
	if answer.Outcome.Values != nil && answer.Rank.Better(a.best.Rank) {
		a.best = answer
	}
	a.ease(answer.Outcome)
	a.told.Scale(answer.Outcome)
	if rank := a.told.Rank(answer.Outcome); answer.Outcome.Values != nil && rank.Better(a.nearest.Rank) {
		a.nearest = Answer{Design: answer.Design, Outcome: answer.Outcome, Rank: rank}
	}
	if a.best.Rank.Gain(a.improved) > a.limits.Tolerance {
		a.improved, a.improvedAt = a.best.Rank, a.used
	}
	if a.best.Rank.Gain(a.notable) > max(a.limits.Tolerance, notableShare) {
		a.notable, a.notableAt = a.best.Rank, a.used
	}
}

func (a *Account) end() error {
	switch {
	case a.used >= a.limits.Evaluations:
		return a.usedUp()
	case a.limits.Plateau > 0 && a.used-a.improvedAt >= a.limits.Plateau:
		return Ended{Stuck, fmt.Sprintf("the last %d evaluations brought no improvement of more than %g of the objective", a.limits.Plateau, a.limits.Tolerance)}
	case !a.limits.Beyond && !a.goal.Aims() && a.best.Rank.Feasible() && a.best.Rank.objective == 0:
		return Ended{Satisfied, "a design meets every requirement, and nothing else was asked for"}
	case len(a.goal.Objectives) == 0 && len(a.goal.Targets) > 0 && a.best.Rank.Feasible() && a.best.Rank.objective == 0:
		return Ended{Satisfied, "every target is reached exactly"}
	case a.limits.Enough > 0 && a.best.Rank.Kept() && a.best.Rank.objective <= a.limits.Enough:
		return Ended{Satisfied, "every target is reached"}
	case a.repeats >= maxRepeats, float64(a.used) >= a.limits.Designs:
		return Ended{Exhausted, "every design that can be proposed is known"}
	}
	return nil
}

func (a *Account) usedUp() Ended {
	reason := fmt.Sprintf("the budget of %d evaluations is used up", a.limits.Evaluations)
	if float64(a.used-a.notableAt) < improving*float64(a.used) && a.notableAt > 1 {
		reason += fmt.Sprintf("; the best was still improving after %d of them, more evaluations may bring more", a.notableAt)
	}
	return Ended{UsedUp, reason}
}
