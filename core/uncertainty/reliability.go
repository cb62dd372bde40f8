package uncertainty

import (
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat/distuv"
)

// A Reliability says how rarely a requirement is missed.
type Reliability struct {
	Points []DesignPoint // the most probable failure points that were found, the most probable first
	Miss   Estimate      // probability of a miss
	Misses int           // among the draws that it was told by
	Draws  int
	// Constant is true where every draw had the same margin, Says says why no failure point was found.
	Constant bool
	Says     string
}

// LimitStates give the margins of several limit states at points of independent standard normal numbers: a row for each point, NaN where a margin cannot be told.
type LimitStates func(ctx context.Context, points [][]float64) ([][]float64, error)

const (
	looked       = 0.25 // of the evaluations, for the first draws of wider scatter
	descended    = 0.35 // and for descents to failure points
	mostPoints   = 8    // of one limit state
	explained    = 0.85 // of the distance of a failure point, beyond which in its direction a miss is one about that point
	leastOfDraws = 20
)

// wider are the standard deviations of the draws that look away from the failure points that are known; the first is that of the scatter.
var wider = []float64{1, 1.5, 2, 2.5}

// A searching finds the failure points of several limit states, and counts misses about them.
type searching struct {
	n      int
	rand   *rand.Rand
	margin LimitStates
	groups [][]int // limit states of each requirement: it is missed where one of them is
	points [][]DesignPoint
	why    []string // of each limit state: why no point was found
	left   int      // evaluations
	seen   [][]float64
	values [][]float64
}

// Reliabilities tells how rarely requirements are missed, each of which is missed where one of its limit states is below 0, by at most so many evaluations of n
// standard normal numbers, from which all limit states are told. Draws of wider scatter look for misses; from the median, and from misses that no known point explains, the iteration of FirstOrder leads to
// failure points, which are several where a limit is curved or has two sides; misses are then counted by importance sampling from a mixture about all of them and of wider
// scatter, weighted by the density of the whole mixture (A. Owen and Y. Zhou, Journal of the American Statistical Association 95 (2000)). Its limits are those of M. P. Fay and
// E. J. Feuer, Statistics in Medicine 16 (1997), for a weighted count. An error is that of the limit states.
func Reliabilities(ctx context.Context, r *rand.Rand, n int, margin LimitStates, groups [][]int, most int) ([]Reliability, error) {
	states := 0
	for _, g := range groups {
		states += len(g)
	}
	s := &searching{n: n, rand: r, margin: margin, groups: groups, points: make([][]DesignPoint, states), why: make([]string, states), left: most}
	if err := s.look(ctx, min(max(leastOfDraws, int(looked*float64(most))), most/2)); err != nil {
		return nil, err
	}
	until := s.left - int(descended*float64(most))
	for state := range states {
		// what is found early leaves more to the others
		if err := s.descend(ctx, state, s.left-(s.left-until)/(states-state)); err != nil {
			return nil, err
		}
	}
	return s.count(ctx)
}

// look draws with wider and wider scatter.
func (s *searching) look(ctx context.Context, count int) error {
	points := make([][]float64, count)
	for i := range points {
		points[i] = s.draw(nil, wider[i%len(wider)])
	}
	values, err := s.ask(ctx, points)
	s.seen, s.values = points, values
	return err
}

func (s *searching) ask(ctx context.Context, points [][]float64) ([][]float64, error) {
	s.left -= len(points)
	return s.margin(ctx, points)
}

func (s *searching) draw(about []float64, deviation float64) []float64 {
	point := make([]float64, s.n)
	for k := range point {
		point[k] = deviation * s.rand.NormFloat64()
		if about != nil {
			point[k] += about[k]
		}
	}
	return point
}

// descend finds failure points of a limit state, until no more than so many evaluations are left.
func (s *searching) descend(ctx context.Context, state, until int) error {
	margin := func(ctx context.Context, points [][]float64) ([]float64, error) {
		rows, err := s.ask(ctx, points)
		column := make([]float64, len(rows))
		for i, row := range rows {
			column[i] = row[state]
		}
		return column, err
	}
	step := 2*s.n + 2 + mostHalving // of FirstOrder, at most
	starts := [][]float64{make([]float64, s.n)}
	for tries := 0; len(starts) > 0 && len(s.points[state]) < mostPoints && tries < 2*mostPoints && s.left-until > step; tries++ {
		start := starts[0]
		starts = starts[1:]
		d, err := FirstOrder(ctx, s.n, margin, s.left-until-step, start)
		if err != nil {
			return err
		}
		switch {
		case d.Found && !slices.ContainsFunc(s.points[state], func(known DesignPoint) bool { return floats.Distance(known.At, d.At, 2) < 0.1 }):
			s.points[state] = append(s.points[state], d)
			opposite := slices.Clone(d.At)
			floats.Scale(-1, opposite)
			starts = append(starts, opposite)
		case !d.Found && s.why[state] == "":
			s.why[state] = d.Says
		}
		if len(starts) == 0 {
			starts = s.unexplained(state, tries)
		}
	}
	slices.SortStableFunc(s.points[state], func(a, b DesignPoint) int { return compareFloat(a.Index, b.Index) })
	return nil
}

func compareFloat(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// unexplained is the miss nearest to the median that lies behind no known failure point; where nothing misses, the draw with the least margin, once.
func (s *searching) unexplained(state, tries int) [][]float64 {
	best, least := -1, math.Inf(1)
	for i, point := range s.seen {
		margin := s.values[i][state]
		size := floats.Norm(point, 2)
		switch {
		case math.IsNaN(margin):
			continue
		case margin >= 0 && (tries > 0 || len(s.points[state]) > 0):
			continue
		case margin >= 0:
			size = 1e3 + margin // behind every miss
		case slices.ContainsFunc(s.points[state], func(d DesignPoint) bool { return d.explains(point) }):
			continue
		}
		if size < least {
			best, least = i, size
		}
	}
	if best < 0 {
		return nil
	}
	start := slices.Clone(s.seen[best])
	s.seen, s.values = slices.Delete(s.seen, best, best+1), slices.Delete(s.values, best, best+1)
	return [][]float64{start}
}

// explains is true for a point that lies beyond the plane through the failure point.
func (d DesignPoint) explains(point []float64) bool {
	distance := floats.Norm(d.At, 2)
	if distance < atOrigin || d.Index < 0 {
		return true
	}
	return floats.Dot(d.At, point) >= explained*distance*distance
}

// A mixture is what is drawn from: about points, and wider scatter about the median.
type mixture struct {
	n          int
	about      [][]float64
	share      float64 // of each of the points
	deviations []float64
	shares     []float64
}

func (s *searching) mixture() mixture {
	m := mixture{n: s.n, deviations: wider, shares: []float64{0.55, 0.15, 0.15, 0.15}}
	for _, all := range s.points {
		for _, d := range all {
			if d.Index > 0 {
				m.about = append(m.about, d.At)
			}
		}
	}
	if len(m.about) > 0 {
		m.shares = []float64{0.2, 0.1, 0.1, 0.1}
		m.share = 0.5 / float64(len(m.about))
	}
	return m
}

// weight is the density of the scatter by that of the mixture.
func (m mixture) weight(point []float64) float64 {
	square := floats.Dot(point, point)
	sum := 0.0 // of densities, each over that of the scatter
	for i, deviation := range m.deviations {
		sum += m.shares[i] * math.Exp(square/2*(1-1/(deviation*deviation))-float64(m.n)*math.Log(deviation))
	}
	for _, at := range m.about {
		away := floats.Distance(point, at, 2)
		sum += m.share * math.Exp((square-away*away)/2)
	}
	return 1 / sum
}

// count tells the probabilities by draws from the mixture, of each part in proportion.
func (s *searching) count(ctx context.Context) ([]Reliability, error) {
	m := s.mixture()
	count := s.left
	var points [][]float64
	carried := 0.0
	part := func(share float64, draw func() []float64) {
		carried += share * float64(count)
		for float64(len(points)) < carried-0.5 {
			points = append(points, draw())
		}
	}
	for i, deviation := range m.deviations {
		part(m.shares[i], func() []float64 { return s.draw(nil, deviation) })
	}
	for _, at := range m.about {
		part(m.share, func() []float64 { return s.draw(at, 1) })
	}
	values, err := s.ask(ctx, points)
	if err != nil {
		return nil, err
	}
	weights := make([]float64, len(points))
	for i, point := range points {
		weights[i] = m.weight(point) / float64(len(points))
	}
	all := make([]Reliability, len(s.groups))
	for g, states := range s.groups {
		all[g] = s.told(states, values, weights)
	}
	return all, nil
}

// told is what the draws tell of one requirement: of misses, or where these are most, of what is met.
func (s *searching) told(states []int, values [][]float64, weights []float64) Reliability {
	r := Reliability{Draws: len(weights), Constant: true}
	for _, state := range states {
		r.Points = append(r.Points, s.points[state]...)
		if r.Says == "" {
			r.Says = s.why[state]
		}
	}
	slices.SortStableFunc(r.Points, func(a, b DesignPoint) int { return compareFloat(a.Index, b.Index) })
	missed := make([]bool, len(weights))
	total := 0.0
	for i, row := range values {
		for _, state := range states {
			missed[i] = missed[i] || !(row[state] >= 0)
			r.Constant = r.Constant && row[state] == values[0][state]
		}
		if missed[i] {
			r.Misses++
			total += weights[i]
		}
	}
	if total <= 0.5 {
		r.Miss = weightedCount(weights, missed, true)
		return r
	}
	met := weightedCount(weights, missed, false)
	r.Miss = Estimate{Value: 1 - met.Value, From: 1 - met.To, To: 1 - met.From}
	return r
}

// weightedCount is a probability by weighted draws, of which some count, with its limits. The weight that an event would have that was not seen is the largest of those that count; where
// none does, the largest of all.
func weightedCount(weights []float64, which []bool, counts bool) Estimate {
	sum, square, most, mostOfAll := 0.0, 0.0, 0.0, 0.0
	for i, w := range weights {
		mostOfAll = max(mostOfAll, w)
		if which[i] == counts {
			sum, square, most = sum+w, square+w*w, max(most, w)
		}
	}
	if sum == 0 {
		most = mostOfAll
	}
	const tail = (1 - Confidence) / 2
	e := Estimate{Value: min(1, sum)}
	if sum > 0 {
		e.From = square / (2 * sum) * distuv.ChiSquared{K: 2 * sum * sum / square}.Quantile(tail)
	}
	above, spread := sum+most, square+most*most
	e.To = min(1, spread/(2*above)*distuv.ChiSquared{K: 2 * above * above / spread}.Quantile(1-tail))
	return e
}
