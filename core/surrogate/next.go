package surrogate

import (
	"context"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"

	"ropebench/core"
	"ropebench/core/plan"
)

// A Wish says what is to be known better: a surface, and where its values matter most.
type Wish struct {
	Surface *Surrogate
	Limits  []float64 // values near to which it matters more
}

// How points are chosen.
const (
	candidatesNext = 500
	referencesNext = 400
	nearLimit      = 0.05 // deviations of the output within which a value is near to a limit, beside those of the prediction
	worthOfLimit   = 3.0  // how much more it matters there
)

// Next chooses n points of the unit cube with the levels of the space: one after the other that which leaves the least variance of
// prediction over the space, summed over the wishes in units of the variance of each output (J. Sacks et al., Statistical Science 4 (1989)); near to
// limits it counts more (V. Picheny et al., J. Mech. Des. 132 (2010)).
func Next(ctx context.Context, r *rand.Rand, wishes []Wish, n int) ([]core.Design, error) {
	e := wishes[0].Surface.encoding
	candidates, err := drawn(ctx, r, e, max(candidatesNext, 2*n))
	if err != nil {
		return nil, err
	}
	references, err := drawn(ctx, r, e, referencesNext)
	if err != nil {
		return nil, err
	}
	var all []*uncertainty
	for _, w := range wishes {
		for _, g := range w.Surface.guides {
			all = append(all, w.uncertainty(g, candidates, references))
		}
	}
	taken := make([]bool, len(candidates))
	chosen := make([]core.Design, 0, n)
	for range n {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		best, most := -1, -1.0
		for c := range candidates {
			if taken[c] {
				continue
			}
			gain := 0.0
			for _, u := range all {
				gain += u.gain(c)
			}
			if gain > most {
				best, most = c, gain
			}
		}
		taken[best] = true
		chosen = append(chosen, candidates[best])
		for _, u := range all {
			u.take(best)
		}
	}
	return chosen, nil
}

func drawn(ctx context.Context, r *rand.Rand, e Encoding, n int) ([]core.Design, error) {
	points, err := plan.All(ctx, plan.Sobol, r, n, e.space.Levels())
	if err != nil {
		points, err = plan.All(ctx, plan.LatinHypercube, r, n, e.space.Levels())
	}
	designs := make([]core.Design, len(points))
	for i, point := range points {
		designs[i] = e.space.Design(point)
	}
	return designs, err
}

// An uncertainty has the covariances of what a process does not know, between references and candidates.
type uncertainty struct {
	g         *Gaussian
	x         core.Matrix // candidates, in lengths
	known     blas64.General
	shared    core.Matrix // a row for each candidate, a column for each reference
	variances []float64   // of candidates
	noise     float64
	weights   []float64 // of references
	given     [][]float64
}

func (w Wish) uncertainty(g *Gaussian, candidates, references []core.Design) *uncertainty {
	u := &uncertainty{g: g, noise: g.Noise/(g.unit*g.unit*g.variance) + 1e-9}
	var whiteReferences blas64.General
	var xr core.Matrix
	u.x, u.known = w.whiten(g, candidates)
	xr, whiteReferences = w.whiten(g, references)
	u.shared = core.NewMatrix(len(candidates), len(references))
	shared := blas64.General{Rows: len(candidates), Cols: len(references), Stride: len(references), Data: u.shared.Data}
	u.variances = make([]float64, len(candidates))
	for c := range candidates {
		row := u.shared.Row(c)
		for k := range references {
			row[k], _ = g.Kernel.at(squareOf(u.x.Row(c), xr.Row(k)))
		}
		u.variances[c] = 1
		for i := range u.known.Rows {
			v := u.known.Data[i*u.known.Stride+c]
			u.variances[c] -= v * v
		}
	}
	blas64.Gemm(blas.Trans, blas.NoTrans, -1, u.known, whiteReferences, 1, shared)
	u.weights = w.worth(g, references)
	return u
}

// whiten gives designs in lengths, and the correlations of each with the points behind the factor, in columns.
func (w Wish) whiten(g *Gaussian, designs []core.Design) (x core.Matrix, white blas64.General) {
	n := len(g.gamma)
	x = core.NewMatrix(len(designs), len(g.weights))
	white = blas64.General{Rows: n, Cols: len(designs), Stride: len(designs), Data: make([]float64, n*len(designs))}
	k := make([]float64, n)
	for c, design := range designs {
		g.correlations(w.Surface.at(design), x.Row(c), k)
		for i, v := range k {
			white.Data[i*white.Stride+c] = v
		}
	}
	blas64.Trsm(blas.Left, blas.Trans, 1, g.factor, white)
	return x, white
}

// worth is how much the variance at designs matters: a share of the variance of the output, more where it is near to a limit.
func (w Wish) worth(g *Gaussian, designs []core.Design) []float64 {
	share := g.variance // of the standardized output
	weights := make([]float64, len(designs))
	for k, design := range designs {
		weights[k] = share
		mean, deviation := g.Predict(w.Surface.at(design))
		for _, limit := range w.Limits {
			z := (mean - limit) / math.Hypot(deviation, nearLimit*g.unit)
			weights[k] += share * worthOfLimit * math.Exp(-z*z/2)
		}
	}
	return weights
}

// gain is by how much an evaluation of a candidate would lower the variance at the references.
func (u *uncertainty) gain(c int) float64 {
	if u.variances[c] <= 0 {
		return 0
	}
	sum := 0.0
	for k, v := range u.shared.Row(c) {
		sum += u.weights[k] * v * v
	}
	return sum / (u.variances[c] + u.noise)
}

// take lets a candidate be known.
func (u *uncertainty) take(best int) {
	own := math.Sqrt(max(u.variances[best], 0) + u.noise)
	with := make([]float64, u.x.Rows) // its covariance with each candidate, in units of own
	stride := u.known.Stride
	for c := range with {
		with[c], _ = u.g.Kernel.at(squareOf(u.x.Row(c), u.x.Row(best)))
	}
	for i := range u.known.Rows {
		row := u.known.Data[i*stride : (i+1)*stride]
		for c := range with {
			with[c] -= row[c] * row[best]
		}
	}
	for _, before := range u.given {
		for c := range with {
			with[c] -= before[c] * before[best]
		}
	}
	references := append([]float64(nil), u.shared.Row(best)...)
	for c := range with {
		with[c] /= own
		u.variances[c] -= with[c] * with[c]
		row := u.shared.Row(c)
		for k, v := range references {
			row[k] -= with[c] * v / own
		}
	}
	u.given = append(u.given, with)
}
