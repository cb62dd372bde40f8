package optimize

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"

	"ropebench/core"
	"ropebench/core/budget"
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
	r.Knew = len(o.Earlier)
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

	looking sync.Mutex  // guards ahead, whose answers are good until the next call
	earlier []Evaluated // that were known before
	atOnce  int
	checks  []Check        // of a stand-in
	stream  *budget.Stream // nil: one design is asked after the other
	pending []hope
}

// A hope is a design that the solver works at, with what it was asked for.
type hope struct {
	point    []float64
	design   core.Design
	expected wished
}

func (l *landscape) believer(p Problem, o Options) *believer {
	b := &believer{landscape: l, problem: p, rand: plan.NewRand(o.Seed), encoding: surrogate.Encode(p.Space), beliefs: map[int]*surrogate.Belief{}, leftAt: map[string]int{}, lag: map[int]float64{},
		inside: make([]float64, len(p.Constraints)), trust: besideBest, asks: o.Then, atOnce: o.AtOnce, earlier: o.Earlier}
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
	return b
}

func (b *believer) search(ctx context.Context) error {
	if b.atOnce > 1 {
		b.stream = b.Stream()
	}
	if err := b.begin(ctx); err != nil {
		return b.drained(ctx, err)
	}
	for {
		if err := b.believe(ctx); err != nil {
			return b.drained(ctx, err)
		}
		if len(b.problem.Objectives) < 2 && b.isExplored() && b.Differentiates() && len(b.axes) > 0 {
			if err := b.drained(ctx, nil); err != nil {
				return err
			}
			return b.descendFromBest(ctx)
		}
		point, why, err := b.wish(ctx)
		switch {
		case err != nil:
		case point != nil:
			b.watch(fmt.Sprintf("%s, after %d evaluations%s", why, b.Used(), b.hoped(point)))
			err = b.put(ctx, point)
		case len(b.pending) > 0: // what is at work may teach something
			err = b.collect(ctx, 1)
		default:
			return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("converged: what is believed after %d evaluations expects nothing better anywhere", b.Used())}
		}
		if err != nil {
			return b.drained(ctx, err)
		}
	}
}

const notableGain = 0.01 // of the objective, of which it is said how likely it is

// hoped says what is believed of a design that is asked for, and how likely it is to better the best by a hundredth; "" where nothing is.
func (b *believer) hoped(point []float64) string {
	best := b.best()
	if len(b.problem.Objectives) != 1 || best == nil {
		return ""
	}
	o, design := b.problem.Objectives[0], b.design(point)
	belief := b.of(o.Value)
	if belief == nil {
		return ""
	}
	lower, median, upper := belief.Between(design)
	says := fmt.Sprintf(": %.4g is believed, between %.4g and %.4g", median, lower, upper)
	if !best.rank.Kept() {
		return says
	}
	gain := notableGain * math.Abs(best.outcome.Values[o.Value])
	to := belief.Scaled(best.outcome.Values[o.Value] - gain)
	mean, deviation := belief.Believed(design)
	if o.Maximize {
		to, mean = -belief.Scaled(best.outcome.Values[o.Value]+gain), -mean
	}
	b.doubt = 1
	chance, possible := b.possible(point, design)
	if !possible {
		return says
	}
	chance = math.Exp(chance) / b.working(design) * normal((to-mean)/math.Max(deviation, math.SmallestNonzeroFloat64))
	return says + fmt.Sprintf("; it betters the best by 1 %% with a chance of %.0f %%", 100*chance)
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

// begin takes in what is known, and asks for the best of that, for the start and for designs that fill the space.
func (b *believer) begin(ctx context.Context) error {
	points := b.takeIn()
	if b.startPoint != nil {
		points = append(points, b.repaired(b.startPoint))
	}
	if b.asks != nil {
		points = append(points, b.repaired(b.space.Point(b.asks)))
	}
	n := min(3*len(b.space)+4, max(3, b.total/3))
	filling, err := plan.All(ctx, plan.MaximinLatinHypercube, b.rand, n, b.space.Levels())
	if err != nil {
		return err
	}
	for i := range filling {
		filling[i] = b.repaired(filling[i])
	}
	// where much is known, those of them that stand farthest from it
	nearest := func(point []float64) float64 {
		least := math.Inf(1)
		for _, t := range b.known {
			least = min(least, distance(t.point, point))
		}
		return least
	}
	slices.SortStableFunc(filling, func(p, q []float64) int { return cmp.Compare(nearest(q), nearest(p)) })
	return b.fill(ctx, append(points, filling[:max(min(n, leastFilling), n-len(b.known))]...))
}

// leastFilling are designs that fill the space, however much is known of it.
const leastFilling = 2

// takeIn enters what is known before, and gives the points of the best of it, or of its front: they are asked again, so that the search has them
// for its own.
func (b *believer) takeIn() [][]float64 {
	outcomes := make([]core.Outcome, len(b.earlier))
	for i, e := range b.earlier {
		outcomes[i] = e.Outcome
	}
	b.Learn(outcomes)
	for _, e := range b.earlier {
		b.width = max(b.width, len(e.Outcome.Values))
		b.known = append(b.known, trial{point: b.space.Point(e.Design), design: e.Design, rank: b.Rank(e.Outcome), outcome: e.Outcome})
	}
	best := b.best()
	if best == nil {
		return nil
	}
	again := []trial{*best}
	if front := b.alongFront(); len(b.problem.Objectives) > 1 && len(front) > 0 {
		again = front[:min(len(front), max(1, b.total/askedAgain))]
	}
	var points [][]float64
	for _, t := range again {
		b.given = append(b.given, t)
		points = append(points, t.point)
	}
	return points
}

// askedAgain is of how many evaluations of a budget one is spent at most on what is known already: it costs no solver call.
const askedAgain = 4

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

// fill asks for the first points, and waits for all but the last that are at work.
func (b *believer) fill(ctx context.Context, points [][]float64) error {
	if b.stream == nil {
		return b.take(ctx, points)
	}
	for _, point := range points {
		if err := b.submit(ctx, point); err != nil {
			return err
		}
	}
	if enough := b.stream.Open() - b.atOnce + 1; enough > 0 {
		return b.collect(ctx, enough)
	}
	return nil
}

// put asks for a point, and waits where as many as may be are at work.
func (b *believer) put(ctx context.Context, point []float64) error {
	if b.stream == nil {
		return b.take(ctx, [][]float64{point})
	}
	if err := b.submit(ctx, point); err != nil || b.stream.Open() < b.atOnce {
		return err
	}
	return b.collect(ctx, 1)
}

func (b *believer) submit(ctx context.Context, point []float64) error {
	design := b.design(point)
	if err := b.stream.Submit(ctx, design); err != nil {
		return err
	}
	b.pending = append(b.pending, hope{point: point, design: design, expected: b.expected})
	b.expected = wished{}
	return nil
}

// collect waits for the next n that come out.
func (b *believer) collect(ctx context.Context, n int) error {
	answers, err := b.stream.Next(ctx, n)
	for _, answer := range answers {
		if i := slices.IndexFunc(b.pending, func(h hope) bool { return slices.Equal(h.design, answer.Design) }); i >= 0 {
			h := b.pending[i]
			b.pending = slices.Delete(b.pending, i, i+1)
			b.learnFrom(b.trials([][]float64{h.point}, []budget.Answer{answer})[0], h.expected)
		}
	}
	return err
}

// drained waits for all that is at work where a search ends: what was begun is not lost. The end itself may be another one then.
func (b *believer) drained(ctx context.Context, end error) error {
	var ended budget.Ended
	if end != nil && !errors.As(end, &ended) && !errors.Is(end, errNoBelief) {
		return end
	}
	for b.stream != nil && b.stream.Open() > 0 {
		err := b.collect(ctx, b.stream.Open())
		switch {
		case err == nil:
		case errors.As(err, &ended):
			end = ended
		default:
			return err
		}
	}
	return end
}

// believe makes beliefs of all that is known.
func (b *believer) believe(ctx context.Context) error {
	var designs []core.Design
	var rows [][]float64
	known := b.telling()
	works := make([]float64, len(known))
	var all []core.Design
	for i, t := range known {
		all = append(all, t.design)
		if t.rank.Usable() {
			works[i] = 1
			designs, rows = append(designs, t.design), append(rows, t.outcome.Values)
		}
	}
	if len(designs) < len(all) {
		fitted, err := surrogate.Believe(ctx, b.rand, b.encoding, all, works, 0.5, false, b.works)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err == nil {
			b.works = fitted
		}
	}
	if len(designs) < leastFitted {
		return nil
	}
	fitted := make([]*surrogate.Belief, len(b.columns))
	group, within := errgroup.WithContext(ctx)
	for k, column := range b.columns {
		r := plan.NewRand(b.rand.Uint64()) // each has its own, so that it does not matter which is done first
		y := make([]float64, len(rows))
		for i, row := range rows {
			y[i] = row[column]
		}
		group.Go(func() (err error) {
			fitted[k], err = b.fit(within, r, designs, y, column)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for k, column := range b.columns {
		b.beliefs[column] = fitted[k]
	}
	b.suppose()
	return nil
}

// fit makes the belief of a column: one that goes through the values where it can be.
func (b *believer) fit(ctx context.Context, r *rand.Rand, designs []core.Design, y []float64, column int) (*surrogate.Belief, error) {
	fitted, err := surrogate.Believe(ctx, r, b.encoding, designs, y, b.limitOf(column), b.noisy(y), b.beliefs[column])
	if err != nil && ctx.Err() == nil {
		fitted, err = surrogate.Believe(ctx, r, b.encoding, designs, y, b.limitOf(column), true, nil)
	}
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, errNoBelief
	}
	return fitted, nil
}

// telling are the trials from which beliefs are made.
func (b *believer) telling() []trial {
	if len(b.known) <= mostBelieved {
		return b.known
	}
	latest := b.known[len(b.known)-mostBelieved/2:]
	others := slices.SortedStableFunc(slices.Values(b.known[:len(b.known)-len(latest)]), byRank)
	return slices.Concat(others[:mostBelieved-len(latest)], latest)
}

// suppose takes what is at work for known as it is believed to come out, so that it is not asked for again.
func (b *believer) suppose() {
	designs := make([]core.Design, len(b.pending))
	for i, h := range b.pending {
		designs[i] = h.design
	}
	for column, belief := range b.beliefs {
		b.beliefs[column] = belief.Supposing(designs)
	}
}

// limitOf is where a column is resolved best: at its limit; NaN where it has none.
func (b *believer) limitOf(column int) float64 {
	for _, c := range b.problem.Constraints {
		if c.Value != column {
			continue
		}
		switch {
		case math.IsInf(c.Limit.Lower, 0):
			return c.Limit.Upper
		case math.IsInf(c.Limit.Upper, 0):
			return c.Limit.Lower
		}
		return (c.Limit.Lower + c.Limit.Upper) / 2
	}
	return math.NaN()
}

// noisy is true where values have so few digits that no surface need go through them.
func (b *believer) noisy(y []float64) bool {
	var d digits
	for _, v := range y {
		d.see(0, v)
	}
	return d.known(0) && d[0].most <= fewDigits
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

// wish chooses the next point, and says why; nil where nothing is to be gained.
func (b *believer) wish(ctx context.Context) ([]float64, string, error) {
	best := b.best()
	if best == nil || len(b.beliefs) < len(b.columns) {
		return b.unlike(), "explores: nothing usable is known yet", nil
	}
	b.turn++
	if best.rank.Kept() && len(b.problem.Objectives) > 1 {
		return b.wishForFront(ctx)
	}
	if best.rank.Kept() {
		b.worth = muchWorth
		if point, why, err := b.inTurn(ctx, *best); err != nil || point != nil {
			return point, why, err
		}
		if !b.isExplored() {
			b.vain++
			return b.doubted(ctx, *best)
		}
	}
	b.worth = littleWorth
	for {
		if point, why, err := b.inTurn(ctx, *best); err != nil || point != nil {
			return point, why, err
		}
		if !b.aimCloser() {
			break
		}
	}
	if b.vain++; b.vain > 2*(vainWishes+2*len(b.space)) {
		return nil, "", nil
	}
	return b.doubted(ctx, *best)
}

// inTurn asks three ways for a point, beginning with another one each time.
func (b *believer) inTurn(ctx context.Context, best trial) ([]float64, string, error) {
	order := []func(context.Context, trial) ([]float64, string, error){b.goForBest, b.expect, b.goNearBest}
	for k := range order {
		if point, why, err := order[(b.turn+k)%len(order)](ctx, best); err != nil || point != nil {
			return point, why, err
		}
	}
	return nil, "", nil
}

// doubted is a point where what is believed to be of no use may be wrong: in turn a better one at another place, another place where a search
// on beliefs ends, and where more is expected if less were known.
func (b *believer) doubted(ctx context.Context, best trial) ([]float64, string, error) {
	const why = "explores what is doubted"
	if point, err := b.betterElsewhere(ctx, best); err != nil || point != nil {
		b.vain-- // there is hope
		return point, "improves another place", err
	}
	if b.vain%2 == 1 {
		if point, err := b.elsewhere(ctx, best); err != nil || point != nil {
			return point, why, err
		}
	}
	point, _, err := b.expectAtLeast(ctx, best, math.Pow(2, float64(b.vain/2%(mostDoubt+1))), math.Inf(-1))
	if point == nil && err == nil {
		point = b.unlike()
	}
	return point, why, err
}

// aimCloser lets limits be aimed at more closely where what is believed has nothing better to offer otherwise; false where they are.
func (b *believer) aimCloser() bool {
	closer := false
	for i, c := range b.problem.Constraints {
		if b.inside[i] > closest*b.unit(c) {
			closer = true
			b.inside[i] /= 4
		} else {
			b.inside[i] = 0
		}
	}
	return closer
}

// unit is how far from its limit the value of a constraint was at most.
func (b *believer) unit(c core.Constraint) float64 {
	most := 0.0
	for _, t := range b.known {
		if t.rank.Usable() {
			most = max(most, math.Abs(c.Limit.Margin(t.outcome.Values[c.Value])))
		}
	}
	return most
}

// unlike is the point of some that is farthest from all that is known, and where the solver is believed to work; nil where none is new.
func (b *believer) unlike() []float64 {
	var best []float64
	most := -1.0
	for range 50 * len(b.space) {
		point := b.drawn()
		least := math.Inf(1)
		for _, t := range b.known {
			least = min(least, distance(t.point, point))
		}
		for _, h := range b.pending {
			least = min(least, distance(h.point, point))
		}
		if least *= b.working(b.design(point)); least > most && b.isNew(point) {
			best, most = point, least
		}
	}
	return best
}

// drawn is a point anywhere that keeps what inputs alone decide.
func (b *believer) drawn() []float64 {
	return b.kept(func() []float64 { return plan.Draw(b.rand, 1, len(b.space))[0] })
}

// working is the probability that the solver gives values: as it is believed, and less where a design that failed stands nearer than one that
// did not. Where it fails is mostly a region, with an edge that no smooth surface has.
func (b *believer) working(design core.Design) float64 {
	if b.works == nil {
		return 1
	}
	mean, deviation := b.works.Believed(design)
	spread := b.works.Spread()
	believed := normal((mean - b.works.Scaled(0.5)) / min(max(deviation, leastDoubt*spread), mostDoubted*spread))
	point := b.space.Point(design)
	failed, worked := math.Inf(1), math.Inf(1)
	for _, t := range b.known {
		if away := distance(t.point, point); t.rank.Usable() {
			worked = min(worked, away)
		} else {
			failed = min(failed, away)
		}
	}
	if failed >= worked {
		return believed
	}
	return believed * 2 * failed / (failed + worked)
}

// demanded is the probability of working that a design must have, at least so much: the more, the more often designs failed of late that were
// believed to work.
func (b *believer) demanded(least float64) float64 {
	latest := b.known[max(0, len(b.known)-rememberedWorks):]
	failed := 0
	for _, t := range latest {
		if !t.rank.Usable() {
			failed++
		}
	}
	return least + (mostDemanded-least)*float64(failed)/rememberedWorks
}

const (
	rememberedWorks = 10 // of the latest designs
	mostDemanded    = 0.9
)

// normal is the distribution function of the normal distribution.
func normal(x float64) float64 { return math.Erfc(-x/math.Sqrt2) / 2 }

// isNew is true for a point that is not next to one that is known or at work.
func (b *believer) isNew(point []float64) bool {
	design := b.design(point)
	same := func(p []float64, d core.Design) bool { return distance(p, point) < apart || slices.Equal(d, design) }
	return !slices.ContainsFunc(b.known, func(t trial) bool { return same(t.point, t.design) }) &&
		!slices.ContainsFunc(b.pending, func(h hope) bool { return same(h.point, h.design) })
}
