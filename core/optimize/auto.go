package optimize

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
)

// manyBasins is how many searches of a multi-start end it where it finds ever new places.
const manyBasins = 30

// Auto chooses and combines. Where few evaluations are to be had it is a search by surrogates. Continuous inputs are searched by SQP from the start and then from others; where these end at ever
// new places, from between the best of them and by samples that settle (CMA-ES), which is what it begins with where values are noisy, jump or have edges.
// Where all inputs are stepped or lists and some have many values, such searches go along these from one of their values to another; where none has, it is
// differential evolution.
func Auto(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, populationPatience)
	l := s.landscape(p, o)
	if o.Check && l.Differentiates() && len(l.asked()) > 0 {
		if err := l.begun(ctx); err != nil {
			return s.result(err)
		}
	}
	if few := l.few(p, o); few != "" {
		r, err := Surrogate(ctx, p, e, o, watch)
		r.Chose = cmp.Or(r.Chose, few)
		return r, err
	}
	if len(p.Objectives) > 1 {
		return s.result(l.trade(ctx, p, o))
	}
	s.chose = l.choice(o)
	if len(l.axes) == 0 {
		k := l.looker(o)
		if len(s.long()) > 0 && !o.Noisy {
			err := k.search(ctx, o.Effort.unseen(), manyBasins)
			if err == nil {
				err = k.mix(ctx)
			}
			return s.result(err)
		}
		err := k.breed(ctx, s.startPoint)
		s.ends = nil // they all began at the best design
		return s.result(err)
	}
	if len(p.Space) == 1 && !l.Differentiates() {
		return s.result(l.alongLine(ctx))
	}
	k := l.looker(o)
	if o.Noisy && !l.Differentiates() {
		s.chose = "samples that settle (CMA-ES), since the solver is noisy and differences of its values are no slopes"
		k.unproved = true
		return s.result(k.settleAgain(ctx))
	}
	k.leavesTears = o.Effort != Quick && len(k.axes) == len(k.space)
	if l.rough() {
		if err := k.settle(ctx); err != nil {
			return s.result(err)
		}
	}
	err := k.search(ctx, o.Effort.unseen(), manyBasins)
	var ended budget.Ended
	if err != nil && (!errors.As(err, &ended) || ended.Cause == budget.UsedUp || ended.Cause == budget.Converged) {
		return s.result(err)
	}
	if k.torn {
		s.chose += "; values jump or have edges where that ended, so that samples that settle (CMA-ES) went on from there"
		return s.result(k.settleAgain(ctx))
	}
	return s.result(k.mix(ctx))
}

// settleAgain lets samples settle again and again, from the best design and in turn from anywhere, ever more of them: where values jump or have edges
// slopes lead nowhere. From where they settle SQP tries once.
func (k *looker) settleAgain(ctx context.Context) error {
	size := 4 + int(3*math.Log(float64(len(k.space))))
	for round := 0; ; round++ {
		mean := k.begin()
		if round > 0 {
			mean = plan.Draw(k.rand, 1, len(k.space))[0]
		}
		if best := k.Best(); round%2 == 0 && best.Design != nil {
			mean = k.space.Point(best.Design)
		}
		k.watch(fmt.Sprintf("%d samples settle, after %d evaluations", size, k.Used()))
		d := newDistribution(k.landscape, k.rand, mean, size)
		for !d.spent() {
			if err := d.generation(ctx); err != nil {
				return err
			}
		}
		if best := k.Best(); best.Design != nil && k.torn {
			end, err := k.descend(ctx, k.space.Point(best.Design), nil)
			k.enter(end)
			if err != nil {
				return err
			}
		}
		if err := k.restarts(); err != nil {
			return err
		}
		size *= growPopulation
	}
}

// few says why a search by surrogates is chosen; "" where it is not.
func (l *landscape) few(p Problem, o Options) string {
	if !o.Few || len(p.Objectives) > mostTraded || l.ofTargets() || l.Differentiates() && len(p.Objectives) < 2 {
		return ""
	}
	return "surrogates (Gaussian processes), since few evaluations are to be had"
}

// fillShare is the share of a budget in which the front of a smooth problem is filled by SQP, before a population looks for what is better.
const fillShare = 0.3

// mostFilled is how many objectives a front has at most that is filled from hole to hole: of more, holes are too many.
const mostFilled = 3

// trade searches for a front: by SQP first where that knows where to go, and then by a population that begins with it.
func (l *landscape) trade(ctx context.Context, p Problem, o Options) error {
	var first [][]float64
	if l.startPoint != nil {
		first = [][]float64{l.startPoint}
	}
	l.chose = "NSGA-II, since several objectives are asked for"
	if l.Differentiates() && len(l.axes) == len(l.space) && len(p.Objectives) <= mostFilled {
		l.chose = "SQP from hole to hole of the front (epsilon constraints) with exact derivatives, and then NSGA-II from there, which looks at the whole space"
		f := l.filling(p, o, max(1, int(fillShare*float64(o.Budget))))
		var ended budget.Ended
		if err := f.fill(ctx); err != nil && (!errors.As(err, &ended) || ended.Cause == budget.UsedUp && l.Used() >= o.Budget) {
			return err
		}
		for _, t := range spread(f.members, f.points) {
			first = append(first, t.point)
		}
	}
	return l.breedFront(ctx, plan.NewRand(o.Seed), first)
}

// choice says in a sentence what auto does, and why.
func (l *landscape) choice(o Options) string {
	derivatives := "differences of neighbours, since derivatives are not known"
	if l.Differentiates() {
		derivatives = "exact derivatives"
	}
	further := "then from other starts, until no better place is believed to be left"
	if math.IsInf(o.Effort.unseen(), 1) {
		further = "and no other start, since a quick search was asked for"
	}
	switch stepped := len(l.space) - len(l.axes); {
	case len(l.axes) == 0 && len(l.long()) > 0 && !o.Noisy:
		return fmt.Sprintf("steps along %s of many values with slopes between neighbors, rounded to them, and comparisons with all neighbors, since every input is stepped or a list, %s", countOf(len(l.long()), "input"), further)
	case len(l.axes) == 0:
		return "differential evolution and comparisons with all neighbours, since every input is stepped or a list"
	case len(l.space) == 1 && !l.Differentiates():
		return "a search along the line, since one input moves and derivatives are not known"
	case l.rough():
		return fmt.Sprintf("samples that settle (CMA-ES), since %s %s stepped or lists, and neither derivatives nor limits are known without the solver, then SQP with differences and neighbours, %s", countOf(stepped, "input"), isOrAre(stepped), further)
	case stepped > 0:
		return fmt.Sprintf(l.local()+" over the continuous inputs with %s, and neighbours of the %s that %s stepped or lists, from the start, %s", derivatives, countOf(stepped, "input"), isOrAre(stepped), further)
	}
	return fmt.Sprintf(l.local()+" from the start with %s, since all inputs are continuous, %s", derivatives, further)
}

// local names the local search.
func (l *landscape) local() string {
	if l.ofTargets() {
		return "Levenberg-Marquardt"
	}
	return "SQP"
}

func countOf(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func isOrAre(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

// breedShare is the share of what is left that a population has to settle in.
const breedShare = 0.6

// breed is differential evolution, whose best is then compared with its neighbours, again and again with what is left.
func (k *looker) breed(ctx context.Context, start []float64) error {
	var compared core.Design // with its neighbours
	for {
		horizon := k.Used() + max(1, int(breedShare*float64(k.total-k.Used())))
		if err := evolve(ctx, k.landscape, k.rand, start, horizon); err != nil {
			return err
		}
		start = nil
		if best := k.Best(); best.Design != nil {
			if start = k.space.Point(best.Design); !slices.Equal(best.Design, compared) {
				if err := k.from(ctx, start); err != nil {
					return err
				}
				compared = k.Best().Design
			}
			start = k.space.Point(k.Best().Design)
		}
		if err := k.restarts(); err != nil {
			return err
		}
	}
}

// manyForAnInput is how many evaluations for each input pay for many searches one after the other.
const manyForAnInput = 200

// rough is true for a problem of which little is known ahead and little can be asked: some inputs are stepped, derivatives are not
// known, and the solver alone decides constraints. Searches from one point are soon caught there.
func (l *landscape) rough() bool {
	return len(l.axes) < len(l.space) && l.total < manyForAnInput*len(l.space) && !l.Differentiates() && slices.ContainsFunc(l.constraints(), func(f function) bool { return !f.decided })
}

// settleShare is the share of a budget that samples have to settle in before searches go on from where they did.
const settleShare = 0.6

// settle lets samples of a distribution look at the whole space, and searches from the best of them.
func (k *looker) settle(ctx context.Context) error {
	if _, err := k.ask(ctx, [][]float64{k.repaired(k.begin())}); err != nil {
		return err
	}
	d := newDistribution(k.landscape, k.rand, k.begin(), 4+int(3*math.Log(float64(len(k.space)))))
	d.beginWarm()
	for !d.settled() && float64(k.Used()) < settleShare*float64(k.total) {
		if err := d.generation(ctx); err != nil {
			k.remember(d)
			return err
		}
	}
	k.remember(d)
	if best := k.Best(); best.Design != nil {
		return k.from(ctx, k.space.Point(best.Design))
	}
	return nil
}

const (
	mixing = 40 // searches in a row from between the places found, after which a population looks at the whole space
)

// mix searches from between the places that were found, and by distributions of samples over the whole space, in turn.
func (k *looker) mix(ctx context.Context) error {
	size := 4 + int(3*math.Log(float64(len(k.space))))
	for {
		for inVain := 0; inVain < mixing; inVain++ {
			before := k.Best().Rank
			if err := k.from(ctx, k.mixed()); err != nil {
				return err
			}
			if k.Best().Rank.Gain(before) > sameValue {
				inVain = 0
			}
		}
		size *= growPopulation
		k.watch(fmt.Sprintf("%d searches ended at %d places: %d samples look at the whole space", k.searches, len(k.found), size))
		d := newDistribution(k.landscape, k.rand, plan.Draw(k.rand, 1, len(k.space))[0], size)
		for !d.settled() {
			if err := d.generation(ctx); err != nil {
				return err
			}
		}
		if err := k.from(ctx, d.mean); err != nil {
			return err
		}
		if err := k.restarts(); err != nil {
			return err
		}
	}
}
