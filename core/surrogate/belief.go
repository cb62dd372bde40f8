package surrogate

import (
	"cmp"
	"context"
	"math"
	"math/rand/v2"
	"slices"

	"ropebench/core"
	"ropebench/core/space"
)

// A Belief is a Gaussian process that grows with a search: what is believed of one output after so many evaluations. Skewed outputs are
// believed on a bent scale.
type Belief struct {
	encoding Encoding
	form     gaussianMethod
	bend     bend
	g        *Gaussian // nil: the output has one value everywhere
	constant float64
	chosenAt int // points from which form and bend were chosen
	fittedAt int // points to which hyperparameters were fitted last
	x        core.Matrix
	z        []float64 // bent values at x
}

// A bend is a monotone scale: asinh((y - centre) / unit), or y itself where the unit is 0.
type bend struct{ centre, unit float64 }

func (b bend) to(y float64) float64 {
	if b.unit == 0 {
		return y
	}
	return math.Asinh((y - b.centre) / b.unit)
}

func (b bend) from(z float64) float64 {
	if b.unit == 0 {
		return z
	}
	return b.centre + b.unit*math.Sinh(z)
}

// slope is that of from.
func (b bend) slope(z float64) float64 {
	if b.unit == 0 {
		return 1
	}
	return b.unit * math.Cosh(z)
}

const (
	chosenAgain    = 1.4  // times as many points, after which form and scale are chosen again
	pointsOfForms  = 70   // on which forms are compared
	priorOfLengths = 0.7  // deviation of their logarithms
	fittedAgain    = 1.03 // times as many points, after which hyperparameters are fitted again
	stepsOfGrowth  = 3    // likelihoods when they are
)

// Believe fits a belief to an output at designs; before is that of fewer of them, nil where there is none. About marks a value where the
// scale is best resolved, such as a limit; NaN: the median. With noise, points are not gone through.
func Believe(ctx context.Context, r *rand.Rand, e Encoding, designs []core.Design, y []float64, about float64, noisy bool, before *Belief) (*Belief, error) {
	if slices.Max(y) == slices.Min(y) {
		return &Belief{encoding: e, constant: y[0]}, nil
	}
	x := e.Coordinates(designs)
	if before != nil && before.g != nil && float64(len(y)) < chosenAgain*float64(before.chosenAt) {
		b := *before
		z := b.bent(y)
		steps := 0
		if float64(len(y)) >= fittedAgain*float64(before.fittedAt) {
			steps, b.fittedAt = stepsOfGrowth, len(y)
		}
		var err error
		if b.g, err = b.form.again(before.g, steps, x, z); err == nil {
			b.x, b.z = x, z
			return &b, nil
		}
	}
	b, err := choose(ctx, r, e, x, y, about, noisy)
	if err == nil {
		b.x, b.z = x, b.bent(y)
	}
	return b, err
}

// Supposing is the belief after designs that are at work have come out as it is believed that they will: its means stay, and it is surer about
// them (D. Ginsbourger, R. Le Riche and L. Carraro, in: Computational Intelligence in Expensive Optimization Problems, 2010). It is the
// belief itself where that cannot be computed.
func (b *Belief) Supposing(designs []core.Design) *Belief {
	if b.g == nil || len(designs) == 0 {
		return b
	}
	more := b.encoding.Coordinates(designs)
	x := core.NewMatrix(b.x.Rows+more.Rows, b.x.Columns)
	copy(x.Data, b.x.Data)
	copy(x.Data[b.x.Rows*b.x.Columns:], more.Data)
	z := slices.Clone(b.z)
	for i := range more.Rows {
		z = append(z, b.g.Mean(more.Row(i)))
	}
	g, err := b.form.extended(b.g, x, z)
	if err != nil {
		return b
	}
	surer := *b
	surer.g = g
	return &surer
}

func (b *Belief) bent(y []float64) []float64 {
	z := make([]float64, len(y))
	for i, v := range y {
		z[i] = b.bend.to(v)
	}
	return z
}

// choose compares kernels, trends and scales by their likelihood, and takes the best that can be fitted to all points.
func choose(ctx context.Context, r *rand.Rand, e Encoding, x core.Matrix, y []float64, about float64, noisy bool) (*Belief, error) {
	d := len(e.space)
	part, ys := x, y
	if len(y) > pointsOfForms {
		rows := r.Perm(len(y))[:pointsOfForms]
		slices.Sort(rows)
		part, ys = rowsOf(x, y, rows)
	}
	var all []contender
	for _, scale := range []bend{{}, bendOf(y, about)} {
		for _, kernel := range []Kernel{Matern52, SquaredExponential} {
			for _, linear := range []bool{false, true} {
				if linear && len(y) < 2*(d+1) {
					continue
				}
				b := &Belief{encoding: e, form: gaussianMethod{kernel: kernel, noisy: noisy, linear: linear, prior: priorOfLengths}, bend: scale, chosenAt: len(y), fittedAt: len(y)}
				z := b.bent(ys)
				g, err := b.form.fit(ctx, r, part, e.Inputs, d, z)
				if ctx.Err() != nil {
					return nil, ctx.Err()
				}
				if err != nil {
					continue
				}
				surprise := g.surprise + float64(len(z))*math.Log(g.unit)
				for _, v := range z {
					surprise += math.Log(scale.slope(v))
				}
				b.g = g
				all = append(all, contender{b, surprise})
			}
		}
	}
	slices.SortStableFunc(all, func(a, b contender) int { return cmp.Compare(a.surprise, b.surprise) })
	for _, f := range all {
		if len(y) == part.Rows {
			return f.Belief, nil
		}
		// points that stand close may be too much for one form, and not for another
		g, err := f.form.again(f.g, fewLastSteps, x, f.bent(y))
		if err == nil {
			f.g = g
			return f.Belief, nil
		}
	}
	return nil, errNoFit
}

// A contender is a belief with how much it is surprised by the values.
type contender struct {
	*Belief
	surprise float64
}

// bendOf is the scale that resolves the values about one, by the median of their distances from it.
func bendOf(y []float64, about float64) bend {
	sorted := slices.Sorted(slices.Values(y))
	if math.IsNaN(about) {
		about = sorted[len(sorted)/2]
	}
	distances := make([]float64, len(y))
	for i, v := range y {
		distances[i] = math.Abs(v - about)
	}
	slices.Sort(distances)
	return bend{centre: about, unit: math.Max(distances[len(distances)/2], 1e-3*distances[len(distances)-1])}
}

// Mean is the median of what is believed of a design, in the unit of the output.
func (b *Belief) Mean(design core.Design) float64 {
	if b.g == nil {
		return b.constant
	}
	return b.bend.from(b.g.Mean(b.at(design)))
}

// Between is where the output of a design is believed to lie with a probability of two thirds, in its unit: its median, and one deviation below
// and above.
func (b *Belief) Between(design core.Design) (lower, median, upper float64) {
	if b.g == nil {
		return b.constant, b.constant, b.constant
	}
	mean, deviation := b.Believed(design)
	return b.bend.from(mean - deviation), b.bend.from(mean), b.bend.from(mean + deviation)
}

// Believed is the mean and the deviation of what is believed of a design, on the scale of the belief: see Scaled.
func (b *Belief) Believed(design core.Design) (mean, deviation float64) {
	if b.g == nil {
		return b.constant, 0
	}
	return b.g.Predict(b.at(design))
}

// Scaled brings a value onto the scale of the belief; infinities stay.
func (b *Belief) Scaled(value float64) float64 {
	if math.IsInf(value, 0) {
		return value
	}
	return b.bend.to(value)
}

// Spread is the deviation of the values that are known, on the scale of the belief.
func (b *Belief) Spread() float64 {
	if b.g == nil {
		return 0
	}
	return b.g.unit
}

// Slopes gives the median at a design, and fills its derivatives by the inputs, 0 for those that are stepped or lists.
func (b *Belief) Slopes(design core.Design, into []float64) float64 {
	clear(into)
	if b.g == nil {
		return b.constant
	}
	at := b.at(design)
	by := make([]float64, len(at))
	z := b.g.slopes(at, by)
	for f, k := range b.encoding.Inputs {
		if in := b.encoding.space[k]; in.Levels() == 0 {
			into[k] = b.bend.slope(z) * by[f] * shareSlope(in, design[k])
		}
	}
	return b.bend.from(z)
}

// shareSlope is the derivative of the share of the range at a value.
func shareSlope(in space.Input, value float64) float64 {
	if in.Log {
		return 1 / (value * math.Log(in.Upper/in.Lower))
	}
	return 1 / (in.Upper - in.Lower)
}

func (b *Belief) at(design core.Design) []float64 {
	all := make([]float64, len(b.encoding.Inputs))
	b.encoding.fill(design, all)
	return all
}
