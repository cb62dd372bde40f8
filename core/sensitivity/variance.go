// Package sensitivity finds which inputs matter for an output, and how sure that is.
package sensitivity

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/plan"
	"ropebench/core/space"
)

// An Estimate is a number with limits that hold it with a chance of 95 %.
type Estimate struct {
	Value, From, To float64
}

// A VariancePlan asks for base points in pairs A and B, and for each input of them for A with that input of B (A. Saltelli et al., Comput. Phys.
// Commun. 181 (2010)). The pairs are those of a Sobol' sequence, in at least eight scramblings that are independent of each other; where
// there are too many inputs for that, they are random.
type VariancePlan struct {
	space space.Space
	seed  uint64
	parts []int // base points of each scrambling; one: the plan is random
}

// scramblings is how many independent sequences there are, so that their spread tells how sure the indices are.
const scramblings = 8

// NewVariancePlan plans so many base points: numbers of inputs plus 2 evaluations for each.
func NewVariancePlan(s space.Space, seed uint64, base int) VariancePlan {
	p := VariancePlan{space: s, seed: seed, parts: []int{base}}
	if 2*len(s) <= plan.MaxSobolInputs && base >= 2*scramblings {
		p.parts = make([]int, scramblings)
		for k := range p.parts {
			p.parts[k] = base / scramblings
			if k < base%scramblings {
				p.parts[k]++
			}
		}
	}
	return p
}

// Block is how many designs belong to a base point: A, B, and A with each input of B.
func (p VariancePlan) Block() int { return len(p.space) + 2 }

// Base is how many base points there are.
func (p VariancePlan) Base() int {
	sum := 0
	for _, n := range p.parts {
		sum += n
	}
	return sum
}

// Points returns a function that gives the designs of one base point after the other.
func (p VariancePlan) Points(ctx context.Context) (next func() ([]core.Design, error), err error) {
	d := len(p.space)
	var levels []int
	for _, n := range p.space.Levels() {
		levels = append(levels, n, n)
	}
	part, left := -1, 0
	var point func() ([]float64, error)
	begin := func() error {
		for left == 0 {
			part++
			left = p.parts[part]
			of := plan.Sobol
			if len(p.parts) == 1 {
				of = plan.Random
			}
			var err error
			if point, err = of(ctx, plan.NewRand(p.seed+uint64(part)<<32), []int{left}, levels); err != nil {
				return err
			}
		}
		return nil
	}
	return func() ([]core.Design, error) {
		if err := begin(); err != nil {
			return nil, err
		}
		left--
		u, err := point()
		if err != nil {
			return nil, err
		}
		a, b := make([]float64, d), make([]float64, d)
		for j := range d {
			a[j], b[j] = u[2*j], u[2*j+1] // neighbours in the sequence are spread best together
		}
		block := []core.Design{p.space.Design(a), p.space.Design(b)}
		for j := range d {
			mixed := slices.Clone(block[0])
			mixed[j] = block[1][j]
			block = append(block, mixed)
		}
		return block, nil
	}, nil
}

// Indices are shares of the variance of an output: of each input alone, and of each input with all in which it takes part.
type Indices struct {
	First, Total []Estimate
	Mean         float64
	Variance     float64
	Used         int // base points with values everywhere
}

// ErrNoVariance is the answer where an output has one value everywhere, or hardly any value.
var ErrNoVariance = errors.New("the output has no variance over the points that have values")

// Indices estimates the indices from the values of the plan: a row for each base point, in the order of Points, NaN where there is none. A base
// point counts where all its values are there. The estimators are those of M. J. W. Jansen, Comput. Phys. Commun. 117 (1999).
func (p VariancePlan) Indices(values core.Matrix) (Indices, error) {
	d := len(p.space)
	var parts []sums
	all := newSums(d)
	var rows [][]float64
	from, origin := 0, math.NaN()
	for _, n := range p.parts {
		part := newSums(d)
		for i := from; i < min(from+n, values.Rows); i++ {
			if row := values.Row(i); !slices.ContainsFunc(row, math.IsNaN) {
				if math.IsNaN(origin) {
					origin = row[0]
				}
				row = shifted(row, origin)
				part.add(row)
				rows = append(rows, row)
			}
		}
		all.join(part)
		parts = append(parts, part)
		from += n
	}
	found := all.indices()
	found.Used = all.n
	found.Mean += origin
	if all.n < 2 || !(found.Variance > 0) {
		return found, ErrNoVariance
	}
	if len(parts) > 1 {
		found.spread(parts, quantileOfStudent)
	} else {
		found.spread(resampled(plan.NewRand(p.seed), rows, d), 0)
	}
	return found, nil
}

// shifted takes a value off a row, so that a variance that is small beside the values is not lost.
func shifted(row []float64, origin float64) []float64 {
	from := make([]float64, len(row))
	for k, v := range row {
		from[k] = v - origin
	}
	return from
}

// quantileOfStudent holds 95 % of a mean of eight numbers, in deviations of that mean.
const quantileOfStudent = 2.365

// resamples is how often random points are drawn anew for limits.
const resamples = 200

// resampled are the sums over base points that are drawn with repetition.
func resampled(r *rand.Rand, rows [][]float64, d int) []sums {
	all := make([]sums, resamples)
	for b := range all {
		all[b] = newSums(d)
		for range rows {
			all[b].add(rows[r.IntN(len(rows))])
		}
	}
	return all
}

// sums are what indices are made of.
type sums struct {
	n          int
	a, b       moments   // of the values at A, and at B
	across     float64   // squares of the distances between A and B
	mixed      []moments // of those at A with each input of B
	own, other []float64 // squares of the distances of these from those at A, and from those at B
}

// moments are sums of numbers and of their squares.
type moments struct{ sum, squares float64 }

func (m *moments) add(v float64) {
	m.sum += v
	m.squares += v * v
}

func (m *moments) join(o moments) {
	m.sum += o.sum
	m.squares += o.squares
}

// variance is that of the numbers of two samples of n together.
func variance(n int, one, other moments) float64 {
	count := float64(2 * n)
	mean := (one.sum + other.sum) / count
	return (one.squares+other.squares)/count - mean*mean
}

func newSums(d int) sums {
	return sums{mixed: make([]moments, d), own: make([]float64, d), other: make([]float64, d)}
}

// add takes the values of one base point: at A, at B, and at A with each input of B.
func (s *sums) add(row []float64) {
	a, b := row[0], row[1]
	s.n++
	s.a.add(a)
	s.b.add(b)
	s.across += (a - b) * (a - b)
	for j, mixed := range row[2:] {
		s.mixed[j].add(mixed)
		s.own[j] += (a - mixed) * (a - mixed)
		s.other[j] += (b - mixed) * (b - mixed)
	}
}

func (s *sums) join(o sums) {
	s.n += o.n
	s.a.join(o.a)
	s.b.join(o.b)
	s.across += o.across
	for j := range s.own {
		s.mixed[j].join(o.mixed[j])
		s.own[j] += o.own[j]
		s.other[j] += o.other[j]
	}
}

// indices divides each distance by the variance of the very values that it is between: what the two have in common of chance falls out (A. Janon et
// al., ESAIM: Probability and Statistics 18 (2014)). A and B have nothing in common; what they seem to have is chance, and the values with one input of
// B seem to have as much of it as they share with A: that is taken off the index of the input alone.
func (s sums) indices() Indices {
	n := float64(2 * s.n)
	found := Indices{Mean: (s.a.sum + s.b.sum) / n, Variance: variance(s.n, s.a, s.b)}
	chance := 1 - share(s.across/n, found.Variance)
	for j := range s.own {
		total := share(s.own[j]/n, variance(s.n, s.a, s.mixed[j]))
		first := 1 - share(s.other[j]/n, variance(s.n, s.b, s.mixed[j])) - (1-total)*chance
		found.First, found.Total = append(found.First, Estimate{Value: first}), append(found.Total, Estimate{Value: total})
	}
	return found
}

// share is 0 where there is no variance to have a share of.
func share(part, whole float64) float64 {
	if !(whole > 0) {
		return 0
	}
	return part / whole
}

// spread gives the indices the limits that follow from those of parts: with a quantile, of their mean, otherwise the middle 95 % of them.
func (f *Indices) spread(parts []sums, quantile float64) {
	each := make([]Indices, 0, len(parts))
	for _, part := range parts {
		if part.n >= 2 {
			each = append(each, part.indices())
		}
	}
	limit := func(e *Estimate, of func(Indices) float64) {
		numbers := make([]float64, len(each))
		for k, i := range each {
			numbers[k] = of(i)
		}
		e.limits(numbers, quantile)
	}
	for j := range f.First {
		limit(&f.First[j], func(i Indices) float64 { return i.First[j].Value })
		limit(&f.Total[j], func(i Indices) float64 { return i.Total[j].Value })
	}
}

func (e *Estimate) limits(numbers []float64, quantile float64) {
	n := len(numbers)
	if n < 2 {
		e.From, e.To = math.Inf(-1), math.Inf(1)
		return
	}
	if quantile == 0 {
		slices.Sort(numbers)
		e.From, e.To = numbers[n/40], numbers[n-1-n/40]
		return
	}
	mean, square := 0.0, 0.0
	for _, v := range numbers {
		mean += v / float64(n)
	}
	for _, v := range numbers {
		square += (v - mean) * (v - mean)
	}
	half := quantile * math.Sqrt(square/float64(n-1)/float64(n))
	e.From, e.To = e.Value-half, e.Value+half
}
