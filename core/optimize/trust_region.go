package optimize

import (
	"cmp"
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/plan"
)

const (
	modelRadius  = 0.1  // of the first trust region
	modelReach   = 2.0  // radii within which points count for a model
	finestRadius = 1e-7 // at which a search is done where values are exact
	coarsest     = 1e-9 // relative noise from which on differences of neighbours say little
	modelShrink  = 0.5
	noiseFloor   = 1e-13 // of a model: what its equations are regularized by
)

// TrustRegion searches without derivatives: it fits quadratic models of least curvature to the objective and to every constraint
// that only the solver decides, trusts them in a region, and steps to the least point of the model there (M. J. D. Powell, Acta
// Numerica 7 (1998) and Mathematical Programming 100 (2004)). Values of few digits are smoothed over, and the region grows no
// smaller than they can tell.
func TrustRegion(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(p, o)
	if unsuited := Unsuited("trust-region", p.Space); unsuited != "" {
		return Result{}, errors.New(unsuited)
	}
	k := &looker{landscape: l, rand: plan.NewRand(o.Seed)}
	end, err := l.descendByModels(ctx, k.rand, l.begin(), nil)
	if err == nil {
		end, err = k.acrossTears(ctx, end)
	}
	l.ends = &basins{searches: 1}
	l.ends.enter(end)
	if err == nil {
		err = end.reason()
	}
	return s.result(err)
}

// A modelled search is one on its way.
type modelled struct {
	descent
	rand    *rand.Rand
	seen    []place
	bends   [][][]float64 // second derivatives of the functions, as far as they are known
	blurred bool          // the last models say no more than the rounding of values
}

// A quadraticModel is a function about a place, in steps of the radius.
type quadraticModel struct {
	slopes []float64
	bend   [][]float64
}

// descendByModels searches from a point until the region is as small as values can tell, or until joins is true of a place.
func (l *landscape) descendByModels(ctx context.Context, r *rand.Rand, start []float64, joins func(place) bool) (ending, error) {
	first, err := l.place(ctx, l.repaired(start))
	if err != nil || first.values == nil {
		return ending{place: first}, err
	}
	return l.modelled(r, modelRadius).run(ctx, first, joins)
}

func (l *landscape) modelled(r *rand.Rand, radius float64) *modelled {
	m := &modelled{descent: *l.descent(radius), rand: r}
	for range l.functions {
		m.bends = append(m.bends, square(len(l.axes)))
	}
	return m
}

// run searches from a place. What was seen before serves the first models, where enough of it is near.
func (m *modelled) run(ctx context.Context, first place, joins func(place) bool) (ending, error) {
	m.here, m.seen = first, append(m.seen, first)
	m.first = m.objective(first.values)
	if len(m.near()) <= len(m.axes)+1 {
		if err := m.surround(ctx, 2); err != nil {
			return m.ending(0, false), err
		}
	}
	for iteration := 1; ; iteration++ {
		m.fit()
		m.notesMoves()
		m.last = m.propose()
		small := m.finest()
		if m.last.length < 0.01*m.radius || m.last.predicted <= m.worthwhile() {
			if small {
				if goesOn, err := m.proves(ctx); err != nil || !goesOn {
					return m.ending(iteration, err == nil), err
				}
				m.seen = append(m.seen, m.here)
				continue
			}
			if err := m.refine(ctx); err != nil {
				return m.ending(iteration, false), err
			}
			continue
		}
		next, err := m.place(ctx, m.last.point)
		if next.values != nil {
			m.seen = append(m.seen, next)
		}
		accepted := next.values != nil && m.compare(next)
		if accepted {
			m.here = next
		}
		if err != nil {
			return m.ending(iteration, false), err
		}
		if accepted {
			if joins != nil && joins(m.here) {
				return m.ending(iteration, false), nil
			}
			continue
		}
		if small {
			if goesOn, err := m.proves(ctx); err != nil || !goesOn {
				return m.ending(iteration, err == nil), err
			}
			m.seen = append(m.seen, m.here)
			continue
		}
		if err := m.refine(ctx); err != nil {
			return m.ending(iteration, false), err
		}
	}
}

// worthwhile is the least fall of the objective that values can tell.
func (d *descent) worthwhile() float64 {
	least := d.tolerance * d.scale()
	if d.objectives() == 1 && !d.functions[0].decided {
		least = math.Max(least, d.digits.noise(0)*math.Abs(d.here.values[0])/2)
	}
	return least
}

// told is by how many times the rounding of values what they differ by must exceed it, for a smaller region to tell more.
const told = 8

// finest is true where a smaller region would tell no more: it is as small as numbers allow, or the values in it are all but one.
func (m *modelled) finest() bool { return m.radius <= finestRadius || m.blurred }

// blurs is true where the values of a function near the place differ by little more than their rounding.
func (m *modelled) blurs(f int, spread float64) bool {
	return spread < told*m.digits.noise(f)*math.Abs(m.here.values[f])
}

// compare sets the radius by what a step brought, and is true where it was good.
func (m *modelled) compare(next place) bool {
	aims := m.aims(m.last.multipliers)
	fell := m.merit(m.here, aims) - m.merit(next, aims)
	ratio := fell / math.Max(m.last.predicted, math.SmallestNonzeroFloat64)
	if ratio > goodRatio && m.last.length > 0.9*m.radius {
		m.radius = math.Min(firstRadius, 2*m.radius)
	}
	return ratio >= 0.05
}

// near lists what was seen within reach of the place, the nearest first, no more than a full quadratic model has coefficients, and some.
func (m *modelled) near() []place {
	n := len(m.axes)
	var near []place
	for _, p := range m.seen {
		if distance(p.point, m.here.point) <= modelReach*m.radius {
			near = append(near, p)
		}
	}
	slices.SortStableFunc(near, func(a, b place) int {
		return cmp.Compare(distance(a.point, m.here.point), distance(b.point, m.here.point))
	})
	return near[:min(len(near), (n+1)*(n+2)/2+n)]
}

// refine betters the model where it has few points, and shrinks the region where it has enough.
func (m *modelled) refine(ctx context.Context) error {
	if len(m.near()) > 2*len(m.axes) && !m.finest() {
		m.radius = math.Max(finestRadius, m.radius*modelShrink)
	}
	if len(m.near()) > 2*len(m.axes) {
		return nil
	}
	return m.surround(ctx, 1)
}

// surround asks for points about the place, one or both ways along directions that are turned at random after the first time.
func (m *modelled) surround(ctx context.Context, ways int) error {
	n := len(m.axes)
	centre := m.along(m.here.point)
	directions := turned(m.rand, slices.Repeat([]float64{0.5}, n), 0.25)
	var points [][]float64
	for a := range n {
		direction := minus(directions[a+1], directions[0])
		if len(m.seen) == 1 {
			direction = make([]float64, n)
			direction[a] = 0.25
		}
		for way := range ways {
			to := plus(centre, direction, m.radius/0.25)
			if way == 1 {
				to = plus(centre, direction, -m.radius/0.25)
			}
			for b := range to {
				if to[b] < 0 || to[b] > 1 {
					to[b] = inside(2*centre[b] - to[b])
				}
			}
			points = append(points, m.repaired(m.moved(m.here.point, to)))
		}
	}
	trials, err := m.ask(ctx, points)
	best := m.here
	aims := m.plainAims()
	for _, t := range trials {
		p := m.placed(t)
		if p.values == nil {
			continue
		}
		m.seen = append(m.seen, p)
		if p.rank.Better(best.rank) && m.here.rank.Kept() == p.rank.Kept() || m.merit(p, aims) < m.merit(best, aims) && !best.rank.Kept() {
			best = p
		}
	}
	m.here = best
	return err
}

// plainAims are the limits with their reserves.
func (d *descent) plainAims() [][2]float64 {
	aims := make([][2]float64, len(d.constraints()))
	for i, f := range d.constraints() {
		aims[i][0], aims[i][1] = f.aim(0)
	}
	return aims
}

// fit makes the models: of all quadratic functions that come as near to the values as their noise asks, that whose curvature changes
// least.
func (m *modelled) fit() {
	near := m.near()
	n, k := len(m.axes), len(near)
	centre := m.along(m.here.point)
	steps := make([][]float64, k)
	for i, p := range near {
		steps[i] = minus(m.along(p.point), centre)
		for a := range steps[i] {
			steps[i][a] /= m.radius
		}
	}
	_, m.here.slopes = m.look(m.here.point, true)
	asked := m.asked()
	m.bend = square(n)
	if len(asked) == 0 {
		return
	}
	m.blurred = true
	for _, f := range asked {
		values, spread := make([]float64, k), 0.0
		for i, p := range near {
			values[i] = p.values[f] - m.here.values[f]
			spread = math.Max(spread, math.Abs(values[i]))
		}
		if f < m.objectives() || m.objectives() == 0 || m.functions[0].decided {
			m.blurred = m.blurred && m.blurs(f, spread)
		}
		bend := m.bends[f]
		for i, p := range near {
			away := minus(m.along(p.point), centre)
			values[i] -= dot(away, times(bend, away)) / 2
		}
		noise := noiseFloor
		if spread > 0 {
			noise += math.Pow(m.digits.noise(f)*math.Abs(m.here.values[f])/spread, 2)
		}
		model := leastCurvature(steps, values, noise)
		for a := range n {
			for b := range n {
				bend[a][b] += model.bend[a][b] / (m.radius * m.radius)
			}
		}
		slopes := make([]float64, n)
		for a := range slopes {
			slopes[a] = model.slopes[a] / m.radius
		}
		m.here.slopes[f] = slopes
		m.notesActs(m.here.slopes[f : f+1])
		weight := 1.0
		if f >= m.objectives() {
			if m.last.multipliers == nil {
				continue
			}
			weight = -m.last.multipliers[f-m.objectives()]
		}
		for a := range n {
			for b := range n {
				m.bend[a][b] += weight * bend[a][b]
			}
		}
	}
	if !m.mixed {
		m.bend = convex(m.bend)
	}
	for a := range m.bend {
		m.bend[a][a] += 1e-9
	}
}

// leastCurvature fits a quadratic function whose matrix of second derivatives is least in the Frobenius norm: of a change, where the
// values are what another one leaves.
func leastCurvature(steps [][]float64, values []float64, noise float64) quadraticModel {
	k, n := len(steps), len(steps[0])
	size := k + n + 1
	system, right := mat.NewDense(size, size, nil), mat.NewVecDense(size, nil)
	for i := range k {
		for j := range k {
			product := dot(steps[i], steps[j])
			system.Set(i, j, product*product/2)
		}
		system.Set(i, i, system.At(i, i)+noise)
		system.Set(i, k, 1)
		system.Set(k, i, 1)
		for a := range n {
			system.Set(i, k+1+a, steps[i][a])
			system.Set(k+1+a, i, steps[i][a])
		}
		right.SetVec(i, values[i])
	}
	for a := k; a < size; a++ {
		system.Set(a, a, -1e-14)
	}
	model := quadraticModel{slopes: make([]float64, n), bend: square(n)}
	var solved mat.VecDense
	if err := solved.SolveVec(system, right); err != nil {
		if _, poor := err.(mat.Condition); !poor {
			return model
		}
	}
	for a := range n {
		model.slopes[a] = solved.AtVec(k + 1 + a)
	}
	for i := range k {
		for a := range n {
			for b := range n {
				model.bend[a][b] += solved.AtVec(i) * steps[i][a] * steps[i][b]
			}
		}
	}
	return model
}

// coarse is true where values have so few digits that neighbours do not tell slopes.
func (l *landscape) coarse() bool {
	return slices.ContainsFunc(l.asked(), func(k int) bool { return l.digits.noise(k) > coarsest })
}
