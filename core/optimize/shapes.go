package optimize

import (
	"context"
	"math"
	"slices"
	"sync"

	"golang.org/x/sync/errgroup"
	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/plan"
	"ropebench/core/surrogate"
)

const (
	mostShapes   = 10     // into which vectors and curves are decomposed
	keptOfShapes = 0.9999 // of their variance
	shapedAgain  = 1.5    // times as many evaluations, after which they are decomposed again
)

// Shapes are what the vectors and curves of a solver are made of: a mean and shares of a few shapes, by singular values of all samples (L.
// Sirovich, Quarterly of Applied Mathematics 45 (1987)). The shares are what is believed of them.
type shapes struct {
	strands []strand
	shown   []curve.Curve // of the first evaluation: the x of those that keep theirs
	mean    []float64     // of every sample
	modes   [][]float64   // shapes, each of length 1 where every strand has its unit
	made    int           // evaluations of which they were made
	beliefs []*surrogate.Belief
	memory  sync.Map // of believedShares by the key of a design, while the beliefs are the same
}

// A strand is one side of a vector or curve in the row of samples.
type strand struct {
	curve, from, length int
	x                   bool    // it has the x, which differ from one evaluation to another
	unit                float64 // the spread of its samples
}

func (s strand) of(c curve.Curve) []float64 {
	if s.x {
		return c.X
	}
	return c.Y
}

// newShapes decomposes vectors and curves, of which some are wanted, of evaluations; nil where their lengths differ from one to another, or
// nothing else does.
func newShapes(wanted []int, all [][]curve.Curve) *shapes {
	s := &shapes{shown: all[0], made: len(all)}
	width := 0
	add := func(one strand) {
		one.from = width
		width += one.length
		s.strands = append(s.strands, one)
	}
	for _, i := range wanted {
		first := all[0][i]
		add(strand{curve: i, length: len(first.Y)})
		if slices.ContainsFunc(all, func(curves []curve.Curve) bool { return !slices.Equal(curves[i].X, first.X) }) {
			add(strand{curve: i, length: len(first.X), x: true})
		}
	}
	s.mean = make([]float64, width)
	var rows [][]float64
	for _, curves := range all {
		row := s.samples(curves)
		if row == nil {
			return nil
		}
		for k, v := range row {
			s.mean[k] += v / float64(len(all))
		}
		rows = append(rows, row)
	}
	for i := range s.strands {
		s.strands[i].unit = s.spreadOf(s.strands[i], rows)
	}
	if s.decompose(rows); len(s.modes) == 0 {
		return nil
	}
	s.beliefs = make([]*surrogate.Belief, len(s.modes))
	return s
}

// ready is true where something is believed of the shares.
func (s *shapes) ready() bool { return s != nil && s.beliefs[0] != nil }

// samples are the strands of vectors and curves in one row; nil where one has another length.
func (s *shapes) samples(curves []curve.Curve) []float64 {
	var row []float64
	for _, one := range s.strands {
		side := one.of(curves[one.curve])
		if len(side) != one.length {
			return nil
		}
		row = append(row, side...)
	}
	return row
}

// spreadOf is how far samples are from their means, as the root of the mean square; 1 where they are not.
func (s *shapes) spreadOf(one strand, rows [][]float64) float64 {
	square := 0.0
	for _, row := range rows {
		for k := one.from; k < one.from+one.length; k++ {
			square += (row[k] - s.mean[k]) * (row[k] - s.mean[k])
		}
	}
	if square == 0 {
		return 1
	}
	return math.Sqrt(square / float64(len(rows)*one.length))
}

// decompose finds the modes, from the products of all pairs of rows: there are fewer rows than samples.
func (s *shapes) decompose(rows [][]float64) {
	n := len(rows)
	products := mat.NewSymDense(n, nil)
	scaled := make([][]float64, n)
	for i, row := range rows {
		scaled[i] = s.scaled(row)
		for j := range i + 1 {
			products.SetSym(i, j, dot(scaled[i], scaled[j]))
		}
	}
	var eigen mat.EigenSym
	if !eigen.Factorize(products, true) {
		return
	}
	var vectors mat.Dense
	eigen.VectorsTo(&vectors)
	values := eigen.Values(nil) // ascending
	total, kept := mat.Trace(products), 0.0
	for k := n - 1; k >= 0 && len(s.modes) < mostShapes && kept < keptOfShapes*total; k-- {
		mode := make([]float64, len(s.mean))
		for i, row := range scaled {
			weight := vectors.At(i, k) / math.Sqrt(values[k])
			for at, v := range row {
				mode[at] += weight * v
			}
		}
		s.modes, kept = append(s.modes, mode), kept+values[k]
	}
}

// scaled is a row of samples from its mean, each strand in its unit.
func (s *shapes) scaled(row []float64) []float64 {
	scaled := make([]float64, len(row))
	for _, one := range s.strands {
		for k := one.from; k < one.from+one.length; k++ {
			scaled[k] = (row[k] - s.mean[k]) / one.unit
		}
	}
	return scaled
}

// shares of the shapes in vectors and curves; nil where these have other lengths.
func (s *shapes) shares(curves []curve.Curve) []float64 {
	row := s.samples(curves)
	if row == nil {
		return nil
	}
	scaled := s.scaled(row)
	shares := make([]float64, len(s.modes))
	for m, mode := range s.modes {
		shares[m] = dot(mode, scaled)
	}
	return shares
}

// curves puts those that are needed together from shares, each in its place.
func (s *shapes) curves(shares []float64, needed []int) []curve.Curve {
	all := slices.Clone(s.shown)
	for _, one := range s.strands {
		if !slices.Contains(needed, one.curve) {
			continue
		}
		side := slices.Clone(s.mean[one.from : one.from+one.length])
		for m, share := range shares {
			for k := range side {
				side[k] += share * one.unit * s.modes[m][one.from+k]
			}
		}
		if one.x {
			all[one.curve].X = side
		} else {
			all[one.curve].Y = side
		}
	}
	return all
}

// believedShares are those that are believed of a design, with one deviation of each.
type believedShares struct{ shares, deviations []float64 }

// believed gives the shares that are believed of a design: several formulas ask for the same.
func (s *shapes) believed(design core.Design) (shares, deviations []float64) {
	asked := key(design)
	if found, known := s.memory.Load(asked); known {
		b := found.(believedShares)
		return slices.Clone(b.shares), b.deviations
	}
	shares, deviations = make([]float64, len(s.beliefs)), make([]float64, len(s.beliefs))
	for m, belief := range s.beliefs {
		low, median, high := belief.Between(design)
		shares[m], deviations[m] = median, (high-low)/2
	}
	s.memory.Store(asked, believedShares{slices.Clone(shares), deviations})
	return shares, deviations
}

// believeShapes makes beliefs of the vectors and curves from which formulas follow.
func (b *believer) believeShapes(ctx context.Context) error {
	if len(b.wanted) == 0 {
		return nil
	}
	designs, all, err := b.curvesOfKnown()
	if err != nil || len(all) < leastFitted {
		return err
	}
	if b.shapes == nil || float64(len(all)) >= shapedAgain*float64(b.shapes.made) {
		b.shapes = newShapes(b.wanted, all)
	}
	if b.shapes == nil {
		return nil
	}
	rows := core.NewMatrix(len(b.shapes.modes), len(designs))
	n := 0
	for i, curves := range all {
		shares := b.shapes.shares(curves)
		if shares == nil {
			continue
		}
		for m, share := range shares {
			rows.Row(m)[n] = share
		}
		designs[n] = designs[i]
		n++
	}
	b.shapes.memory.Clear()
	noisy := b.noisy(all[0][b.wanted[0]].Y)
	group, within := errgroup.WithContext(ctx)
	for m := range b.shapes.modes {
		r := plan.NewRand(b.rand.Uint64()) // each has its own, so that it does not matter which is done first
		group.Go(func() error {
			fitted, err := surrogate.Believe(within, r, b.encoding, designs[:n], rows.Row(m)[:n], math.NaN(), noisy, b.shapes.beliefs[m])
			if err == nil {
				b.shapes.beliefs[m] = fitted
			}
			return ctx.Err()
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if slices.Contains(b.shapes.beliefs, nil) { // one cannot be fitted: nothing follows
		b.shapes = nil
	}
	return nil
}

// curvesOfKnown are the vectors and curves of the trials that have all that are wanted.
func (b *believer) curvesOfKnown() (designs []core.Design, all [][]curve.Curve, err error) {
	most := slices.Max(b.wanted)
	for _, t := range b.telling() {
		if !t.rank.Usable() {
			continue
		}
		curves, known := b.sampled[key(t.design)]
		if !known && t.outcome.Number > 0 {
			if curves, err = b.curvesOf(t.outcome.Number); err != nil {
				return nil, nil, err
			}
			b.sampled[key(t.design)] = curves
		}
		if len(curves) > most {
			designs, all = append(designs, t.design), append(all, curves)
		}
	}
	return designs, all, nil
}
