package optimize

import (
	"context"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/pareto"
	"ropebench/core/plan"
)

const (
	leastCrowd   = 12 // designs of a generation: all that were asked are kept beside, so that it need not hold the whole front
	mostCrowd    = 24
	crossedShare = 0.9 // of pairs that are crossed
	crossSpread  = 2.0 // distribution index: how near children stand to their parents
	mutateSpread = 10.0
)

// NSGA2 is the non-dominated sorting genetic algorithm with constraint domination (K. Deb, A. Pratap, S. Agarwal and T. Meyarivan, IEEE
// Transactions on Evolutionary Computation 6 (2002)), for several objectives: simulated binary crossover and polynomial mutation (K. Deb and
// R. B. Agrawal, Complex Systems 9 (1995)) in the unit cube. What inputs alone decide is kept before a design is asked.
func NSGA2(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	var first [][]float64
	if l.startPoint != nil {
		first = [][]float64{l.startPoint}
	}
	return s.result(l.breedFront(ctx, plan.NewRand(o.Seed), first))
}

// breedFront makes one generation after the other until the account ends it. The first one has the points that are given.
func (l *landscape) breedFront(ctx context.Context, r *rand.Rand, first [][]float64) error {
	size := max(len(first), min(mostCrowd, max(leastCrowd, int(math.Sqrt(float64(l.total))))))
	size += size % 2
	points, err := plan.All(ctx, plan.LatinHypercube, r, size, l.space.Levels())
	if err != nil {
		return err
	}
	copy(points, first)
	for i := range points {
		points[i] = l.repaired(points[i])
	}
	crowd, err := l.ask(ctx, points)
	for generation := 1; err == nil; generation++ {
		standing := l.standings(crowd)
		l.watch(fmt.Sprintf("generation %d: %d of %d designs are on the front, after %d evaluations", generation, onFront(crowd, standing), len(crowd), l.Used()))
		var children [][]float64
		for len(children) < size {
			a, b := l.crossed(r, crowd[won(r, standing)].point, crowd[won(r, standing)].point)
			children = append(children, l.mutated(r, a), l.mutated(r, b))
		}
		var born []trial
		born, err = l.ask(ctx, children)
		crowd = l.fittest(append(crowd, born...), size)
	}
	return err
}

// A standing is the place of a trial in its crowd.
type standing struct {
	layer    int
	crowding float64
}

func (s standing) before(other standing) bool {
	return s.layer < other.layer || s.layer == other.layer && s.crowding > other.crowding
}

// standings sorts a crowd into layers: those that keep every constraint by dominance, and behind them those that do not by how much they miss.
func (l *landscape) standings(crowd []trial) []standing {
	standings := make([]standing, len(crowd))
	var kept [][]float64
	var indices, others []int
	for i, t := range crowd {
		if t.rank.Kept() {
			kept, indices = append(kept, l.objectivesOf(t)), append(indices, i)
		} else {
			others = append(others, i)
		}
	}
	layers, behind := pareto.Layers(kept), 0
	members := map[int][]int{}
	for k, layer := range layers {
		standings[indices[k]].layer = layer
		members[layer] = append(members[layer], k)
		behind = max(behind, layer+1)
	}
	for _, layer := range slices.Sorted(maps.Keys(members)) {
		var points [][]float64
		for _, k := range members[layer] {
			points = append(points, kept[k])
		}
		for at, crowding := range pareto.Crowding(points) {
			standings[indices[members[layer][at]]].crowding = crowding
		}
	}
	slices.SortStableFunc(others, func(i, j int) int { return byRank(crowd[i], crowd[j]) })
	for at, i := range others {
		standings[i].layer = behind + at
	}
	return standings
}

// objectivesOf are the numbers to be made least.
func (l *landscape) objectivesOf(t trial) []float64 {
	values := make([]float64, len(l.goal.Objectives))
	for k, o := range l.goal.Objectives {
		values[k] = o.Least(t.outcome.Values)
	}
	if len(values) == 0 {
		values = []float64{l.goal.Least(t.outcome.Values)}
	}
	return values
}

// won draws two members of a crowd and gives the better one.
func won(r *rand.Rand, standings []standing) int {
	i, j := r.IntN(len(standings)), r.IntN(len(standings))
	if standings[j].before(standings[i]) {
		return j
	}
	return i
}

// fittest keeps the best of a crowd.
func (l *landscape) fittest(crowd []trial, size int) []trial {
	standings := l.standings(crowd)
	order := make([]int, len(crowd))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		switch {
		case standings[i].before(standings[j]):
			return -1
		case standings[j].before(standings[i]):
			return 1
		}
		return 0
	})
	var best []trial
	for _, i := range order[:min(size, len(order))] {
		best = append(best, crowd[i])
	}
	return best
}

func onFront(crowd []trial, standings []standing) int {
	n := 0
	for i, s := range standings {
		if s.layer == 0 && crowd[i].rank.Kept() {
			n++
		}
	}
	return n
}

// crossed makes two children about two parents.
func (l *landscape) crossed(r *rand.Rand, a, b []float64) ([]float64, []float64) {
	a, b = slices.Clone(a), slices.Clone(b)
	if r.Float64() > crossedShare {
		return a, b
	}
	for j := range a {
		if r.Float64() > 0.5 {
			continue
		}
		if l.space[j].Unordered {
			a[j], b[j] = b[j], a[j]
			continue
		}
		u := r.Float64()
		spread := math.Pow(2*u, 1/(crossSpread+1))
		if u > 0.5 {
			spread = math.Pow(1/(2*(1-u)), 1/(crossSpread+1))
		}
		middle, half := (a[j]+b[j])/2, spread*(b[j]-a[j])/2
		a[j], b[j] = inside(middle-half), inside(middle+half)
	}
	return a, b
}

// mutated moves one coordinate of a child on average, and keeps what inputs alone decide.
func (l *landscape) mutated(r *rand.Rand, point []float64) []float64 {
	for j := range point {
		if r.Float64() > 1/float64(len(point)) {
			continue
		}
		if l.space[j].Unordered {
			point[j] = r.Float64()
			continue
		}
		u, step := r.Float64(), 0.0
		if u < 0.5 {
			step = math.Pow(2*u, 1/(mutateSpread+1)) - 1
		} else {
			step = 1 - math.Pow(2*(1-u), 1/(mutateSpread+1))
		}
		if levels := l.space[j].Levels(); levels > 0 && math.Abs(step) < 1/float64(levels) {
			step = math.Copysign(1/float64(levels), step)
		}
		point[j] = inside(point[j] + step)
	}
	return l.repaired(point)
}
