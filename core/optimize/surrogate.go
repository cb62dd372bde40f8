package optimize

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/curve"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
)

const (
	mostBelieved = 300  // evaluations from which beliefs are made: the latest, and the best of the others
	innerBudget  = 300  // predictions of each search on what is believed, and 40 for each input
	muchWorth    = 1e-2 // of the spread of the objective that a wish is believed to gain at least while the space is explored
	littleWorth  = 1e-4 // and after that
	exploring    = 0.8  // of the budget, after which only what is believed best is bettered
	besides      = 0.1  // of the unit cube, from the best design: another place
	apart        = 1e-4 // of the unit cube, from all that is known
	besideBest   = 0.2  // of the unit cube: how far around the best design beliefs are trusted at first
	leastTrust   = 0.01
	vainWishes   = 4   // in a row for what is doubted, and two for each input, after which the space is believed to be explored
	mostDoubt    = 3   // doublings of what is not known, before that
	leastDoubt   = 0.1 // of the deviation of what works and what does not, and the most, that it is believed with
	mostDoubted  = 1
	leastFitted  = 3    // designs with values from which beliefs are made
	closest      = 1e-6 // of how far a value was from its limit, from how far inside it is aimed at at least
)

// Surrogate is a search by Gaussian processes, for solvers of which few evaluations are to be had: one for the objective and one for each
// constraint that is not decided by inputs alone. From a few designs that fill the space it goes in turn to the best design by what is
// believed, near to the best one that is known or anywhere, and to that of the largest expected improvement times the probability of
// keeping all constraints (D. R. Jones, M. Schonlau and W. J. Welch, Journal of Global Optimization 13 (1998); M. Schonlau, W. J. Welch
// and D. R. Jones, IMS Lecture Notes 34 (1998)). Constraints are aimed at from inside by what their belief was wrong of late (S. Bagheri et
// al., Applied Soft Computing 61 (2017)). Designs that fail are kept away from by a belief of where the solver works.
func Surrogate(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	b := s.landscape(p, o).believer(p, o)
	err := b.search(ctx)
	if b.stream != nil {
		b.stream.Close()
	}
	if errors.Is(err, errNoBelief) {
		s.chose = "SQP and other starts, since no surface could be fitted to the values"
		err = b.looker(o).search(ctx, o.Effort.unseen(), manyBasins)
	}
	r, err := s.result(err)
	r.Knew, r.Coarse, r.Likely = len(o.Earlier), b.use(), b.likely(ctx)
	return r, err
}

// errNoBelief is the end of a search of which nothing can be believed.
var errNoBelief = errors.New("no surface can be fitted")

// A believer searches by what it believes.
type believer struct {
	*landscape
	problem  Problem
	rand     *rand.Rand
	encoding surrogate.Encoding
	asked    []int                     // columns of the objectives and of what constrains that inputs alone do not decide
	columns  []int                     // that are believed: these, and what they follow from
	lag      map[int]float64           // by column: by how much its formula has predicted worse than a belief of its own, as a logarithm
	width    int                       // of an outcome; 0: not known yet
	beliefs  map[int]*surrogate.Belief // of columns
	works    *surrogate.Belief         // 1 where the solver gives values, 0 where not; nil: it never failed
	known    []trial
	inside   []float64 // by how much each constraint is aimed at from inside
	trust    float64   // how far around the best design beliefs are trusted
	expected wished
	vain     int            // wishes in a row for what is doubted
	worth    float64        // of the spread: what is worth to be asked for
	doubt    float64        // deviations are taken so many times
	leftAt   map[string]int // designs from which a better one was looked for nearby in vain, by key: how often
	turn     int
	asks     core.Design // the second start, which is among the first designs; nil: there is none

	looking  sync.Mutex  // guards ahead, whose answers are good until the next call
	earlier  []Evaluated // that were known before
	atOnce   int
	checks   []Check        // of a stand-in
	stream   *budget.Stream // nil: one design is asked after the other
	pending  []hope
	unsteady bool    // the same design may give other values
	coarse   *coarse // nil: the solver has no coarse variant

	wanted   []int // vectors and curves of the solver from which something follows
	curvesOf func(number int) ([]curve.Curve, error)
	sampled  map[string][]curve.Curve // by the key of a design
	shapes   *shapes                  // nil: nothing is known of them
}

func (l *landscape) believer(p Problem, o Options) *believer {
	b := &believer{landscape: l, problem: p, rand: plan.NewRand(o.Seed), encoding: surrogate.Encode(p.Space), beliefs: map[int]*surrogate.Belief{}, leftAt: map[string]int{}, lag: map[int]float64{},
		inside: make([]float64, len(p.Constraints)), trust: besideBest, asks: o.Then, atOnce: o.AtOnce, earlier: o.Earlier, curvesOf: o.Curves, unsteady: o.Noisy, sampled: map[string][]curve.Curve{}}
	if o.Coarse != nil {
		b.coarse = &coarse{Evaluator: o.Coarse, known: map[string]int{}, beliefs: map[int]*surrogate.Belief{}, rests: map[int]*surrogate.Belief{}, lag: map[int]float64{}}
	}
	for _, f := range l.functions {
		for _, column := range l.columnsOf(f) {
			if !f.decided && !slices.Contains(b.asked, column) {
				b.believes(column)
			}
		}
	}
	for _, objective := range p.Objectives[min(1, len(p.Objectives)):] {
		if decided := p.Ahead != nil && p.Ahead.Decided()[objective.Value]; !decided && !slices.Contains(b.asked, objective.Value) {
			b.believes(objective.Value)
		}
	}
	slices.Sort(b.columns)
	slices.Sort(b.wanted)
	b.wanted = slices.Compact(b.wanted)
	return b
}

func (b *believer) search(ctx context.Context) error {
	if b.atOnce > 1 {
		b.stream, b.together = b.Stream(), b.atOnce
	}
	if err := b.begin(ctx); err != nil {
		return b.drained(ctx, err)
	}
	for {
		if err := b.believe(ctx); err != nil {
			return b.drained(ctx, err)
		}
		switch {
		case b.mayDescend() && b.Differentiates() && b.isExplored():
			if err := b.drained(ctx, nil); err != nil {
				return err
			}
			return b.descendFromBest(ctx)
		case b.mayModel() && float64(b.Used()) >= exploring*float64(b.total):
			return b.modelsAtLast(ctx, nil)
		}
		if err := b.paysNoMore(); err != nil {
			return b.drained(ctx, err)
		}
		point, why, err := b.look(ctx)
		switch {
		case err != nil:
		case point != nil:
			b.watch(fmt.Sprintf("%s, after %d evaluations%s", why, b.Used(), b.hoped(point)))
			err = b.put(ctx, point)
		case len(b.pending) > 0: // what is at work may teach something
			err = b.collect(ctx, 1)
		default:
			end := budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("converged: what is believed after %d evaluations expects nothing better anywhere", b.Used())}
			if b.mayModel() {
				return b.modelsAtLast(ctx, end)
			}
			return end
		}
		if err != nil {
			return b.drained(ctx, err)
		}
	}
}

// isExplored is true where nothing that is worth much was found for long, or the budget is nearly used up.
func (b *believer) isExplored() bool {
	best := b.best()
	return best != nil && best.rank.Kept() && (b.vain >= vainWishes+2*len(b.space) || float64(b.Used()) >= exploring*float64(b.total))
}

// descendFromBest ends with exact slopes.
func (b *believer) descendFromBest(ctx context.Context) error {
	end, err := b.descend(ctx, b.best().point, nil)
	if err != nil {
		return err
	}
	return end.reason()
}

// take asks for points and keeps what comes of them.
func (b *believer) take(ctx context.Context, points [][]float64) error {
	trials, err := b.ask(ctx, points)
	for _, t := range trials {
		expected := b.expected
		b.expected = wished{}
		b.learnFrom(t, expected)
	}
	return err
}

// best is the best of what is known; nil where nothing is usable.
func (b *believer) best() *trial {
	var best *trial
	for i := range b.known {
		if t := &b.known[i]; t.rank.Usable() && (best == nil || t.rank.Better(best.rank)) {
			best = t
		}
	}
	return best
}
