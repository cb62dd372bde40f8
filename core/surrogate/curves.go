package surrogate

import (
	"context"
	"errors"
	"math"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/curve"
)

// Curves predicts a curve: its ends along x, and the shares of a few shapes in it, each by a surface of its own. The shapes are those into which
// the curves of the points are decomposed by singular values (L. Sirovich, Quarterly of Applied Mathematics 45 (1987)).
type Curves struct {
	Q2     float64 // the share of the variance of the curves that cross-validation predicts
	Shapes int
	from   ending
	to     ending
	mean   []float64
	shapes [][]float64 // as many as surfaces
	parts  []*Surrogate
	off    float64 // see Deviation
}

// An ending is where curves begin or end: a number, or a surface.
type ending struct {
	always  float64
	surface *Surrogate
}

// without is what the other points predict for the i-th.
func (e ending) without(i int) float64 {
	if e.surface == nil {
		return e.always
	}
	return e.surface.Validated[i]
}

func (e ending) at(design core.Design) float64 {
	if e.surface == nil {
		return e.always
	}
	return e.surface.Mean(design)
}

// Decomposition of curves.
const (
	samplesOfCurve = 201
	mostShapes     = 6
	keptVariance   = 0.999 // of the curves, by the shapes that are predicted
)

// FitCurves fits to the curves of designs, whose lengths and steps may differ. Designs without a curve are left out before.
func FitCurves(ctx context.Context, e Encoding, designs []core.Design, curves []curve.Curve, o Options) (*Curves, error) {
	n := min(len(designs), MostPoints)
	all := mat.NewDense(n, samplesOfCurve, nil)
	from, to := make([]float64, n), make([]float64, n)
	c := &Curves{mean: make([]float64, samplesOfCurve)}
	for i := range n {
		along, err := ascending(curves[i])
		if err != nil {
			return nil, err
		}
		from[i], to[i] = along.X[0], along.X[len(along.X)-1]
		for k := range samplesOfCurve {
			v, err := along.At(between(from[i], to[i], k))
			if err != nil {
				return nil, err
			}
			all.Set(i, k, v)
			c.mean[k] += v / float64(n)
		}
	}
	for i := range n {
		for k, m := range c.mean {
			all.Set(i, k, all.At(i, k)-m)
		}
	}
	var err error
	if c.from, err = fitEnding(ctx, e, designs, from, o); err != nil {
		return nil, err
	}
	if c.to, err = fitEnding(ctx, e, designs, to, o); err != nil {
		return nil, err
	}
	if err := c.decompose(ctx, e, designs, all, o); err != nil {
		return nil, err
	}
	c.off = c.validate(all, from, to)
	return c, nil
}

// validate is by how much curves are off that are predicted by the others: at every sample of every curve, with the ends as they are predicted, and with the
// shapes that were left out.
func (c *Curves) validate(all *mat.Dense, from, to []float64) float64 {
	var sizes []float64
	sum := 0.0
	for i := range from {
		predicted := append([]float64(nil), c.mean...)
		for k, shape := range c.shapes {
			for at, v := range shape {
				predicted[at] += c.parts[k].Validated[i] * v
			}
		}
		begin, end := c.from.without(i), c.to.without(i)
		for k := range samplesOfCurve {
			x := between(from[i], to[i], k)
			size := math.Abs(all.At(i, k) + c.mean[k] - interpolated(predicted, begin, end, x))
			sizes = append(sizes, size)
			sum += size * size
		}
	}
	root := math.Sqrt(sum / float64(len(sizes)))
	return max(root, quantileOf(sizes, held)/heldBy)
}

// interpolated is the value at x of samples that stand evenly from begin to end; that of the nearest end beyond them.
func interpolated(samples []float64, begin, end, x float64) float64 {
	place := float64(len(samples)-1) * min(1, max(0, (x-begin)/(end-begin)))
	if math.IsNaN(place) {
		return samples[0]
	}
	at := min(len(samples)-2, int(place))
	return samples[at] + (place-float64(at))*(samples[at+1]-samples[at])
}

// errNotAscending is the answer to a curve that goes back and forth.
var errNotAscending = errors.New("a curve is predicted where its x ascends from one sample to the next, and here it does not")

// ascending is a curve with its x, or that of a vector over the numbers of its values.
func ascending(c curve.Curve) (curve.Curve, error) {
	if c.X == nil {
		for i := range c.Y {
			c.X = append(c.X, float64(i))
		}
	}
	for i := range c.X {
		if i > 0 && c.X[i] <= c.X[i-1] {
			return c, errNotAscending
		}
	}
	return c, nil
}

// between is the k-th sample on the way.
func between(from, to float64, k int) float64 {
	if k == samplesOfCurve-1 {
		return to
	}
	return from + (to-from)*float64(k)/(samplesOfCurve-1)
}

func fitEnding(ctx context.Context, e Encoding, designs []core.Design, values []float64, o Options) (ending, error) {
	s, err := Fit(ctx, e, designs, values, o)
	if errors.Is(err, ErrConstant) {
		return ending{always: values[0]}, nil
	}
	return ending{surface: s}, err
}

// decompose finds the shapes, and fits the share of each.
func (c *Curves) decompose(ctx context.Context, e Encoding, designs []core.Design, all *mat.Dense, o Options) error {
	var svd mat.SVD
	if !svd.Factorize(all, mat.SVDThin) {
		return errNoFit
	}
	var u, v mat.Dense
	svd.UTo(&u)
	svd.VTo(&v)
	values := svd.Values(nil)
	total := 0.0
	for _, value := range values {
		total += value * value
	}
	if total == 0 {
		c.Q2 = 1
		return nil
	}
	kept := 0.0
	for k, value := range values {
		if k == mostShapes || kept >= keptVariance*total || value <= 1e-12*values[0] {
			break
		}
		kept += value * value
		shares := mat.Col(nil, k, &u)
		s, err := Fit(ctx, e, designs, shares, o)
		if errors.Is(err, ErrConstant) {
			continue
		}
		if err != nil {
			return err
		}
		shape := mat.Col(nil, k, &v)
		for i := range shape {
			shape[i] *= value
		}
		c.shapes, c.parts = append(c.shapes, shape), append(c.parts, s)
		c.Q2 += value * value / total * min(1, s.Q2)
	}
	c.Shapes = len(c.shapes)
	return nil
}

// Predict predicts the curve of a design.
func (c *Curves) Predict(design core.Design) curve.Curve {
	from, to := c.from.at(design), c.to.at(design)
	predicted := curve.Curve{X: make([]float64, samplesOfCurve), Y: append([]float64(nil), c.mean...)}
	for k := range predicted.X {
		predicted.X[k] = between(from, to, k)
	}
	for k, shape := range c.shapes {
		share := c.parts[k].Mean(design)
		for i, v := range shape {
			predicted.Y[i] += share * v
		}
	}
	return predicted
}

// Deviation is the standard deviation of predictions, the same for all designs and samples, in the unit of the curve: that of what the other curves leave of
// each, or as much as two of them need to hold 95 % of that.
func (c *Curves) Deviation() float64 { return c.off }
