package optimize

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// The numbers of the method, as its authors give them where they do.
const (
	surestPair         = 0.9   // F and CR at the start; one remembered pair never leaves them
	memorySize         = 6     // successful (F, CR) pairs that are remembered
	greediness         = 0.11  // share of the population that counts as its best
	archiveShare       = 2.0   // replaced parents that are kept, in populations
	populationPatience = 3     // populations in a row that found nothing better, before it is called stuck
	leastPopulation    = 4     // the population shrinks linearly with the budget used, to this
	anyWord            = 0.1   // share of children that get any of the words of an unordered input
	collapsedBelow     = 1e-10 // a population is spent when no coordinate spreads further than this over the unit cube
	spentGenerations   = 60    // or when its best has not changed for so many generations
)

// population is how many members a search of d inputs starts with.
func population(d, budget int) int {
	return max(leastPopulation, min(12*d, 60, budget/8))
}

// DifferentialEvolution is success-history based differential evolution with a shrinking population. R. Tanabe and
// A. S. Fukunaga, IEEE Congress on Evolutionary Computation (2014), with the mutation and archive of J. Zhang and
// A. C. Sanderson, IEEE Trans. Evol. Comput. 13 (2009), and one remembered pair of large F and CR, which keeps the search
// moving along curved constraints (J. Brest, M. S. Maucec, B. Boskovic, IEEE Congress on Evolutionary Computation
// (2016)); constraints by budget.Rank. Each generation is one batch. A
// population that has collapsed is drawn anew around nothing but chance, while the budget lasts.
func DifferentialEvolution(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, populationPatience)
	l := s.landscape(p, o)
	r := plan.NewRand(o.Seed)
	start := s.startPoint
	for {
		err := evolve(ctx, l, r, start, s.total)
		if err != nil {
			return s.result(err)
		}
		if err := s.restarts(); err != nil {
			return s.result(err)
		}
		start = nil
		s.watch(fmt.Sprintf("the population has collapsed after %d evaluations: a new one is drawn", s.Used()))
	}
}

// evolution is one population on its way from the first draw to its collapse.
type evolution struct {
	*landscape
	rand     *rand.Rand
	members  []trial
	archive  []trial
	scales   [memorySize]float64 // memory of F
	rates    [memorySize]float64 // memory of CR
	position int
	first    int // members at the start
	began    int // evaluations used at the start
	horizon  int // at which it is to be settled
}

// evolve runs a population that settles until so many evaluations are used.
func evolve(ctx context.Context, s *landscape, r *rand.Rand, start []float64, horizon int) error {
	d := len(s.space)
	ev := &evolution{landscape: s, rand: r, began: s.Used(), horizon: horizon, first: max(leastPopulation, population(d, horizon-s.Used()))}
	for i := range memorySize {
		ev.scales[i], ev.rates[i] = surestPair, surestPair
	}
	points, err := plan.All(ctx, plan.LatinHypercube, r, ev.first, s.space.Levels())
	if err != nil {
		return err
	}
	for i := range points {
		points[i] = s.repaired(points[i])
	}
	if start != nil {
		points[0] = start
	}
	if ev.members, err = s.ask(ctx, points); err != nil {
		return err
	}
	unchanged, best := 0, s.Best().Rank
	for !ev.collapsed() && unchanged < spentGenerations && s.Used() < horizon {
		if err := ev.generation(ctx); err != nil {
			return err
		}
		unchanged++
		if s.Best().Rank.Better(best) {
			unchanged, best = 0, s.Best().Rank
		}
	}
	return nil
}

// generation proposes one child for each member, asks for all of them at once and keeps the better of each pair.
func (ev *evolution) generation(ctx context.Context) error {
	slices.SortStableFunc(ev.members, byRank)
	ev.shrink()
	n := len(ev.members)
	children, scales, rates := make([][]float64, n), make([]float64, n), make([]float64, n)
	for i := range children {
		scales[i], rates[i] = ev.draw()
		children[i] = ev.unseen(func() []float64 {
			return ev.kept(func() []float64 { return ev.child(i, scales[i], rates[i]) })
		})
	}
	trials, err := ev.ask(ctx, children)
	var goodScales, goodRates []float64
	for i, t := range trials {
		if ev.members[i].rank.Better(t.rank) {
			continue
		}
		if t.rank.Better(ev.members[i].rank) {
			goodScales, goodRates = append(goodScales, scales[i]), append(goodRates, rates[i])
			ev.retire(ev.members[i])
		}
		ev.members[i] = t
	}
	ev.remember(goodScales, goodRates)
	return err
}

// unseen draws until a design was not asked before, where all inputs are stepped; a design that was drawn in vain is known, and
// costs nothing.
func (ev *evolution) unseen(draw func() []float64) []float64 {
	point := draw()
	if len(ev.axes) > 0 {
		return point
	}
	for range keptDraws {
		if !ev.knows(point) {
			break
		}
		point = draw()
	}
	return point
}

// shrink drops the worst members: the population falls linearly with the budget. Members must be sorted.
func (ev *evolution) shrink() {
	done := float64(ev.Used()-ev.began) / float64(max(1, ev.horizon-ev.began))
	size := ev.first - int(math.Round(done*float64(ev.first-leastPopulation)))
	ev.members = ev.members[:min(len(ev.members), max(leastPopulation, size))]
	if most := int(archiveShare * float64(len(ev.members))); len(ev.archive) > most {
		ev.archive = ev.archive[:most]
	}
}

// draw gives a scale factor F, from a Cauchy distribution, and a crossover rate CR, from a normal one, about a
// remembered pair.
func (ev *evolution) draw() (scale, rate float64) {
	k := ev.rand.IntN(memorySize)
	rate = min(1, max(0, ev.rates[k]+0.1*ev.rand.NormFloat64()))
	for scale <= 0 {
		scale = ev.scales[k] + 0.1*math.Tan(math.Pi*(ev.rand.Float64()-0.5))
	}
	return min(1, scale), rate
}

// child is current-to-pbest/1 with binomial crossover; a coordinate that leaves the cube is put half way between the
// parent and the end it passed.
func (ev *evolution) child(i int, scale, rate float64) []float64 {
	n := len(ev.members)
	parent := ev.members[i].point
	best := ev.members[ev.rand.IntN(max(2, int(math.Round(greediness*float64(n)))))].point
	a := ev.other(i, -1, n)
	b := ev.other(i, a, n+len(ev.archive))
	first := ev.members[a].point
	second := parent
	if b < n {
		second = ev.members[b].point
	} else {
		second = ev.archive[b-n].point
	}
	child := slices.Clone(parent)
	always := ev.rand.IntN(len(parent))
	for j := range child {
		if j != always && ev.rand.Float64() >= rate {
			continue
		}
		if in := ev.space[j]; in.Traits != nil {
			child[j] = ev.row(in, parent[j], best[j], first[j], second[j], scale)
			continue
		}
		if ev.space[j].Unordered {
			child[j] = ev.word(parent[j], best[j], first[j], scale)
			continue
		}
		x := parent[j] + scale*(best[j]-parent[j]) + scale*(first[j]-second[j])
		switch {
		case x < 0:
			x = parent[j] / 2
		case x > 1:
			x = (1 + parent[j]) / 2
		}
		child[j] = x
	}
	return child
}

// row is the one of a catalog whose columns are nearest to where the mutation leads; now and then it is any.
func (ev *evolution) row(in space.Input, parent, best, first, second, scale float64) float64 {
	if ev.rand.Float64() < anyWord {
		return ev.rand.Float64()
	}
	traits := func(u float64) []float64 { return in.Traits[in.Index(in.Value(u))] }
	wanted := plus(traits(parent), minus(traits(best), traits(parent)), scale)
	wanted = plus(wanted, minus(traits(first), traits(second)), scale)
	nearest, least := 0, math.Inf(1)
	for i, row := range in.Traits {
		away := minus(row, wanted)
		if distance := dot(away, away); distance < least {
			nearest, least = i, distance
		}
	}
	return in.Unit(in.Values[nearest])
}

// word chooses among words: between them there is no step to take, so that a child has that of its parent, the more
// seldom the larger the scale is, that of the best or of another member, and now and then any at all.
func (ev *evolution) word(parent, best, other, scale float64) float64 {
	follow := (1 - anyWord) * scale / 2
	switch u := ev.rand.Float64(); {
	case u < follow:
		return best
	case u < 2*follow:
		return other
	case u < 2*follow+anyWord:
		return ev.rand.Float64()
	}
	return parent
}

// other draws an index below n that is neither i nor j.
func (ev *evolution) other(i, j, n int) int {
	for {
		if k := ev.rand.IntN(n); k != i && k != j {
			return k
		}
	}
}

func (ev *evolution) retire(t trial) {
	if most := int(archiveShare * float64(len(ev.members))); len(ev.archive) >= most {
		ev.archive[ev.rand.IntN(len(ev.archive))] = t
		return
	}
	ev.archive = append(ev.archive, t)
}

// remember stores the Lehmer means of the pairs that were successful.
func (ev *evolution) remember(scales, rates []float64) {
	if len(scales) == 0 {
		return
	}
	ev.scales[ev.position], ev.rates[ev.position] = lehmer(scales), lehmer(rates)
	ev.position = (ev.position + 1) % (memorySize - 1) // the last pair stays as it was
}

func lehmer(values []float64) float64 {
	sum, squares := 0.0, 0.0
	for _, v := range values {
		sum, squares = sum+v, squares+v*v
	}
	if sum == 0 {
		return 0
	}
	return squares / sum
}

// collapsed is true when all members stand on one spot.
func (ev *evolution) collapsed() bool {
	for j := range ev.members[0].point {
		low, high := math.Inf(1), math.Inf(-1)
		for _, m := range ev.members {
			low, high = min(low, m.point[j]), max(high, m.point[j])
		}
		if high-low > collapsedBelow {
			return false
		}
	}
	return true
}
