package optimize

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/budget"
	"ropebench/core/plan"
)

const (
	sameSpot   = 0.01 // places closer than this in the unit cube are one, if their objectives are
	sameValue  = 1e-4 // share of the objective
	sameStart  = 0.1  // no search begins so close to where another began or ended, if it can be helped
	mostSearch = 200  // searches
)

// A basin is where local searches end.
type basin struct {
	ending
	searches int // that ended here
}

// basins are what local searches have found, the best first.
type basins struct {
	found    []basin
	searches int
	starts   [][]float64
	acts     []bool // of each input whether it has changed a value; nil: all count
}

// enter notes where a search ended, and is true where no other has ended there.
func (b *basins) enter(e ending) bool {
	if e.values == nil {
		return false
	}
	for i, known := range b.found {
		if !b.same(known.place, e.place) {
			continue
		}
		b.found[i].searches++
		if e.rank.Better(known.rank) {
			level := known.level && !e.torn && !e.blocked
			b.found[i].ending = e
			b.found[i].level = e.level || level // a search that joins another one ends before it proves anything
		}
		b.sort()
		return false
	}
	b.found = append(b.found, basin{e, 1})
	b.sort()
	return true
}

func (b *basins) sort() {
	slices.SortStableFunc(b.found, func(a, b basin) int { return byRank(a.trial, b.trial) })
}

// same is true for places that are one but for how far a search went, and for inputs that have changed nothing so far.
func (b *basins) same(one, other place) bool {
	near := b.apart(one.point, other.point)
	if near < sameSpot/10 {
		return true
	}
	return near < sameSpot && one.rank.Feasible() == other.rank.Feasible() && math.Abs(one.rank.Gain(other.rank))+math.Abs(other.rank.Gain(one.rank)) < sameValue
}

// apart is the largest distance of two points along an input that has changed a value.
func (b *basins) apart(one, other []float64) float64 {
	most := 0.0
	for j := range one {
		if b.acts == nil || b.acts[j] {
			most = math.Max(most, math.Abs(one[j]-other[j]))
		}
	}
	return most
}

// others lists the places that were found, without that of the best design, which stands at a point.
func (b *basins) others(best budget.Answer, point []float64, l *landscape) []Place {
	var others []Place
	for _, found := range b.found {
		if found.outcome.State != core.OK || b.apart(found.point, point) < sameSpot {
			continue
		}
		others = append(others, Place{Design: found.design, Number: found.outcome.Number, Objective: l.objective(found.values), Paid: l.goal.Paid(found.outcome.Values), Feasible: found.rank.Kept(), Searches: found.searches})
	}
	return others
}

// endingAt is that of the search that ended at a design; nil where none did. Where the design misses something, it is the best of those
// that did as well: what stands in the way is seen from there too.
func (b *basins) endingAt(best budget.Answer) *ending {
	if best.Design != nil && !best.Rank.Kept() && len(b.found) > 0 {
		return &b.found[0].ending
	}
	for _, found := range b.found {
		if slices.Equal(found.design, best.Design) {
			return &found.ending
		}
	}
	return nil
}

// unseen is how many more basins there are as far as is believed: the expectation of C. G. E. Boender and A. H. G. Rinnooy Kan,
// Mathematical Programming 37 (1987), for searches that began at random.
func (b *basins) unseen() float64 {
	n, w := float64(b.searches), float64(len(b.found))
	if n <= w+2 {
		return math.Inf(1)
	}
	return w*(n-1)/(n-w-2) - w
}

// A looker searches from one point after the other.
type looker struct {
	*landscape
	*basins
	rand   *rand.Rand
	plan   *pool
	then   []float64 // the second start; nil: there is none, or it was taken
	effort Effort

	torn  bool // a search has ended where values jump or have edges, and was the last by slopes
	tears int  // searches for what is feasible that have ended so
}

// A pool are points that were asked and not searched from.
type pool struct {
	trials []trial
}

// MultiStart searches by SQP from the start, and then from the best of some points that fill the space, again and again, until it
// believes to have seen every place where such a search can end. Points near to others that were searched from, or to where such
// searches ended, are passed over (A. H. G. Rinnooy Kan and G. T. Timmer, Mathematical Programming 39 (1987)).
func MultiStart(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	if unsuited := Unsuited("multi-start", p.Space); unsuited != "" {
		return Result{}, errors.New(unsuited)
	}
	k := l.looker(o)
	return s.result(k.search(ctx, o.Effort.unseen(), mostSearch))
}

// FromStart searches from the start, or the middle, alone: by SQP over the continuous inputs, and from neighbour to neighbour of the others.
func FromStart(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	s := newSearch(p, e, o, watch, 0)
	k := s.landscape(p, o).looker(o)
	err := k.from(ctx, k.begin())
	if err == nil {
		end := ending{}
		if len(k.found) > 0 {
			end = k.found[0].ending
		}
		if err = end.reason(); len(k.axes) == 0 && end.level {
			err = budget.Ended{Cause: budget.Converged, Reason: k.unbettered(end)}
		}
	}
	return s.result(err)
}

// unbettered says how a search ended at a place that no small change betters: where every input is stepped or a list, that is one to a neighbor.
func (l *landscape) unbettered(end ending) string {
	change := "no small change betters it"
	if len(l.axes) == 0 {
		change = "no neighbor that differs in one input betters it"
	}
	return fmt.Sprintf("converged after %s: %s", countOf(end.iterations, "step"), change)
}

func (l *landscape) looker(o Options) *looker {
	l.byModels = true
	l.ends = &basins{acts: l.acts}
	k := &looker{landscape: l, basins: l.ends, rand: plan.NewRand(o.Seed), plan: &pool{}, effort: o.Effort}
	if o.Then != nil {
		k.then = l.repaired(l.space.Point(o.Then))
	}
	return k
}

// search looks until no more than so many basins are believed unseen, or so many searches were made. Its error is of type
// budget.Ended and says which.
func (k *looker) search(ctx context.Context, unseen float64, most int) error {
	if k.searches == 0 {
		if err := k.from(ctx, k.begin()); err != nil {
			return err
		}
		if k.leavesTears && k.torn && k.then == nil {
			return nil
		}
	}
	for k.searches < most {
		if len(k.found) > 0 && k.found[0].rank.Kept() && (k.unseen() <= unseen || k.found[0].searches >= k.effort.hits()) {
			return k.satisfied()
		}
		start, err := k.next(ctx)
		if err != nil {
			return err
		}
		if err := k.from(ctx, start); err != nil {
			return err
		}
		if k.leavesTears && k.torn && k.then == nil {
			return nil
		}
	}
	return nil
}

func (k *looker) satisfied() error {
	best := k.found[0]
	if !best.level {
		reason := fmt.Sprintf("stopped: %d of %d searches from different starts ended at this design, but %s", best.searches, k.searches, best.obstacle())
		return budget.Ended{Cause: budget.Stuck, Reason: reason}
	}
	reason := fmt.Sprintf("converged: of %d searches from different starts, %d ended at this design", k.searches, best.searches)
	if others := len(k.found) - 1; others > 0 {
		reason += fmt.Sprintf(", the others at %d that are no better", others)
	}
	if k.searches == 1 {
		reason = fmt.Sprintf("%s; other starts were not tried", k.unbettered(best.ending))
	}
	return budget.Ended{Cause: budget.Converged, Reason: reason}
}

// begin is the start that was given, or the middle.
func (k *landscape) begin() []float64 {
	if k.startPoint != nil {
		return k.startPoint
	}
	return slices.Repeat([]float64{0.5}, len(k.space))
}

// from searches from a point.
func (k *looker) from(ctx context.Context, start []float64) error {
	k.searches++
	k.starts = append(k.starts, start)
	joins := func(p place) bool {
		return slices.ContainsFunc(k.found, func(b basin) bool { return k.same(b.place, p) && !p.rank.Better(b.rank) })
	}
	var end ending
	var err error
	if k.searches > 1 && k.looksForFeasible() && (k.searches%objectiveEvery != 0 || k.objectives() == 0) {
		if end, err = k.feasibly(ctx, start); err != nil || !end.rank.Kept() {
			k.enter(end)
			k.torn = k.torn || k.leavesTears && k.tears >= mostTears
			k.watch(fmt.Sprintf("%d searches, none has ended at a design that meets every requirement, after %d evaluations", k.searches, k.Used()))
			return err
		}
		start = end.point
	}
	if len(k.axes) > 0 && !k.Differentiates() && k.coarse() {
		end, err = k.descendByModels(ctx, k.rand, start, joins)
	} else if end, err = k.descend(ctx, start, joins); err == nil && len(k.axes) > 0 && !k.Differentiates() && k.coarse() {
		end, err = k.descendByModels(ctx, k.rand, start, joins)
	}
	if err == nil && end.torn && !end.rank.Kept() && k.objectives() == 0 {
		k.tears++
	}
	if err == nil && end.torn && k.leavesTears && end.rank.Kept() {
		k.torn = true
	} else if err == nil && (end.rank.Kept() || !k.leavesTears) {
		end, err = k.acrossTears(ctx, end)
	}
	if err == nil && (end.rank.Kept() || !end.torn) {
		end, err = k.climb(ctx, end)
	}
	isNew := k.enter(end)
	if err != nil {
		return err
	}
	if isNew && k.searches > 1 && k.same(k.found[0].place, end.place) {
		k.watch(fmt.Sprintf("search %d found a better place after %d evaluations", k.searches, k.Used()))
	} else {
		k.watch(fmt.Sprintf("%d searches, %d places where they end, after %d evaluations", k.searches, len(k.found), k.Used()))
	}
	return nil
}

const (
	objectiveEvery = 8   // while nothing feasible is known, every so many searches look at the objective, too
	mostTears      = 2   // searches for what is feasible that end where values jump, after which samples look for it
	abandonedNear  = 0.1 // a search for what is feasible gives up so near to where another one has ended in vain
)

// looksForFeasible is true while nothing feasible is known, where every input is continuous: steps are compared with their neighbors by what they miss.
func (k *looker) looksForFeasible() bool {
	return !k.Best().Rank.Kept() && len(k.axes) == len(k.space) && len(k.constraints()) > 0
}

// feasibly searches from a point for a design that meets every requirement, whatever its objective: it ends at the first one, or where another search has
// ended in vain.
func (k *looker) feasibly(ctx context.Context, start []float64) (ending, error) {
	blind := *k.landscape
	blind.goal = core.Goal{Constraints: k.goal.Constraints}
	blind.functions, blind.digits, blind.leavesTears, blind.unproved = k.constraints(), nil, false, true
	end, err := blind.descend(ctx, start, func(p place) bool {
		return p.rank.Kept() || slices.ContainsFunc(k.found, func(b basin) bool {
			return !b.rank.Kept() && distance(b.point, p.point) < abandonedNear && !p.rank.Better(b.rank)
		})
	})
	if end.values == nil {
		return ending{place: end.place}, err
	}
	if end.torn && !end.rank.Kept() {
		k.tears++
	}
	return ending{place: k.placed(end.trial), iterations: end.iterations}, err // what was learned on the way knows no objective
}

// drawsForKept is how many points are drawn at most for each that keeps what inputs alone decide.
const drawsForKept = 5

// next gives the second start, and later asks for more points and gives the best one that is not near to another search.
func (k *looker) next(ctx context.Context) ([]float64, error) {
	if start := k.then; start != nil {
		k.then = nil
		return start, nil
	}
	if k.looksForFeasible() && k.searches%objectiveEvery != 0 {
		return k.farthest(), nil
	}
	count := 3 + len(k.axes)/2
	var points [][]float64
	for try := 0; len(points) < count && (try < drawsForKept*count || len(points) == 0); try++ {
		point := k.repaired(plan.Draw(k.rand, 1, len(k.space))[0])
		if k.missedBy(point) == 0 || try >= drawsForKept*count {
			points = append(points, point)
		}
	}
	trials, err := k.ask(ctx, points)
	if err != nil {
		return nil, err
	}
	k.plan.trials = append(k.plan.trials, trials...)
	slices.SortStableFunc(k.plan.trials, byRank)
	best := slices.IndexFunc(k.plan.trials, func(t trial) bool { return t.rank.Usable() && k.far(t.point) })
	if best < 0 {
		best = 0
	}
	start := k.plan.trials[best].point
	k.plan.trials = slices.Delete(k.plan.trials, best, best+1)
	return start, nil
}

// drawsForFar is how many points are drawn of which the farthest from all searches is taken.
const drawsForFar = 50

// farthest is a point far from where searches began and ended: while nothing feasible is known, what is near to the best of what misses says little.
func (k *looker) farthest() []float64 {
	var best []float64
	most := -1.0
	for range drawsForFar {
		point := k.repaired(plan.Draw(k.rand, 1, len(k.space))[0])
		least := math.Inf(1)
		for _, start := range k.starts {
			least = math.Min(least, distance(start, point))
		}
		for _, b := range k.found {
			least = math.Min(least, distance(b.point, point))
		}
		if least > most {
			best, most = point, least
		}
	}
	return best
}

const (
	parents     = 8    // places, the best, that are recombined
	crossShare  = 0.5  // of starts that mix two places; the others change one
	changed     = 0.15 // standard deviation of a coordinate that is changed, in the unit cube
	mostChanges = 100  // of a start that stands where a place was found
)

// mixed is a start between places where searches ended: coordinates of two of the best, or those of one of them with some changed.
func (k *looker) mixed() []float64 {
	among := min(parents, len(k.found))
	if among == 0 {
		return k.repaired(plan.Draw(k.rand, 1, len(k.space))[0])
	}
	one := k.found[min(k.rand.IntN(among), k.rand.IntN(among))].point
	start := slices.Clone(one)
	if among > 1 && k.rand.Float64() < crossShare {
		other := k.found[k.rand.IntN(among)].point
		for j := range start {
			if k.rand.IntN(2) == 0 {
				start[j] = other[j]
			}
		}
	}
	for range mostChanges { // the places that were found may leave no room for another
		if !slices.ContainsFunc(k.found, func(b basin) bool { return distance(b.point, start) < sameSpot }) {
			break
		}
		j := k.rand.IntN(len(start))
		start[j] = reflected(start[j] + changed*k.rand.NormFloat64())
		if k.space[j].Unordered {
			start[j] = k.rand.Float64()
		}
	}
	start = k.snapped(start)
	return k.repaired(start)
}

// far is true for a point that is not near to where a search began or ended.
func (k *looker) far(point []float64) bool {
	for _, start := range k.starts {
		if distance(start, point) < sameStart {
			return false
		}
	}
	return !slices.ContainsFunc(k.found, func(b basin) bool { return distance(b.point, point) < sameStart })
}
