package surrogate

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"

	"ropebench/core"
)

// A Gaussian is a fitted Gaussian process: a prediction with its uncertainty (J. Sacks et al., Statistical Science 4 (1989)).
type Gaussian struct {
	Kernel     Kernel
	Lengths    []float64 // of each input that it has, in units of its range
	Noise      float64   // variance of what a repeated evaluation would change
	parameters []float64
	inputs     []int // of each coordinate: which length
	linear     bool  // the trend is linear in the coordinates
	mean, unit float64
	weights    []float64 // of coordinates in lengths
	surprise   float64   // the negative logarithm of the likelihood of the standardized values
	scaled     core.Matrix
	solved
}

// A gaussianMethod fits Gaussian processes of one form.
type gaussianMethod struct {
	kernel Kernel
	noisy  bool
	linear bool
	prior  float64 // deviation of the logarithms of lengths that is believed before anything is known; 0: nothing is believed
}

// posterior is the likelihood of a process, with what is believed before.
func (m gaussianMethod) posterior(p *process) func(parameters, gradient []float64) float64 {
	if m.prior == 0 {
		return p.likelihood
	}
	middle := middleLength(p.d)
	return func(parameters, gradient []float64) float64 {
		value := p.likelihood(parameters, gradient)
		for k, theta := range parameters[:p.d] {
			away := (theta - middle) / m.prior
			value += away * away / 2
			gradient[k] += away / m.prior
		}
		return value
	}
}

// middleLength is the logarithm of a length at which inputs matter somewhat.
func middleLength(d int) float64 { return math.Log(0.5 * math.Sqrt(float64(d))) }

// Effort of the search for hyperparameters.
const (
	startsOfLengths = 6   // from which a search begins
	firstSteps      = 12  // likelihoods for each of them
	lastSteps       = 60  // for the best of them
	fewLastSteps    = 25  // where there are more than screened points: what the last steps gain becomes smaller
	screened        = 150 // points on which starts are compared
	gainOfSteps     = 1e-3
	refitted        = 8 // likelihoods when a part of the points is left out
)

// trendOf has the columns of a trend: 1, and the coordinates where it is linear.
func trendOf(x core.Matrix, linear bool) core.Matrix {
	q := 1
	if linear {
		q += x.Columns
	}
	trend := core.NewMatrix(x.Rows, q)
	for i := range x.Rows {
		row := trend.Row(i)
		row[0] = 1
		if linear {
			copy(row[1:], x.Row(i))
		}
	}
	return trend
}

// standardized gives numbers with mean 0 and deviation 1, and both of them.
func standardized(y []float64) (z []float64, mean, unit float64) {
	for _, v := range y {
		mean += v / float64(len(y))
	}
	for _, v := range y {
		unit += (v - mean) * (v - mean) / float64(len(y))
	}
	unit = math.Sqrt(unit)
	if unit == 0 {
		unit = 1
	}
	z = make([]float64, len(y))
	for i, v := range y {
		z[i] = (v - mean) / unit
	}
	return z, mean, unit
}

// errNoFit is the answer of a method that cannot be fitted to some points.
var errNoFit = errors.New("the points do not determine the surface")

// fit finds the hyperparameters of a process by maximum likelihood from several starts: on a part of the points where there are many, and
// then from the best of these on all.
func (m gaussianMethod) fit(ctx context.Context, r *rand.Rand, x core.Matrix, inputs []int, d int, y []float64) (*Gaussian, error) {
	z, mean, unit := standardized(y)
	p := newProcess(m.kernel, m.noisy, x, inputs, d, z, trendOf(x, m.linear))
	part := p
	if n := x.Rows; n > screened {
		rows := r.Perm(n)[:screened]
		slices.Sort(rows)
		xs, ys := rowsOf(x, y, rows)
		zs, _, _ := standardized(ys)
		part = newProcess(m.kernel, m.noisy, xs, inputs, d, zs, trendOf(xs, m.linear))
	}
	search := quasiNewton{evaluations: firstSteps, tolerance: gainOfSteps}
	search.lower, search.upper = p.bounds()
	best, least := []float64(nil), math.Inf(1)
	for _, start := range m.starts(r, d) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if at, value := search.minimize(start, m.posterior(part)); value < least {
			best, least = at, value
		}
	}
	if best == nil {
		return nil, errNoFit
	}
	search.evaluations = lastSteps
	if x.Rows > screened {
		search.evaluations = fewLastSteps
	}
	best, least = search.minimize(best, m.posterior(p))
	g, err := m.at(p, best, mean, unit)
	if err == nil {
		g.surprise = least
	}
	return g, err
}

// starts are hyperparameters to begin from: lengths that are all alike, and others about them.
func (m gaussianMethod) starts(r *rand.Rand, d int) [][]float64 {
	middle := middleLength(d)
	var starts [][]float64
	for k := range startsOfLengths {
		start := make([]float64, d, d+1)
		for j := range start {
			start[j] = middle
			if k > 1 {
				start[j] += 1.2 * (2*r.Float64() - 0.7)
			}
		}
		if m.noisy {
			start = append(start, math.Log([]float64{1e-6, 0.1}[k%2]))
		}
		starts = append(starts, start)
	}
	return starts
}

// again fits to other points of the same kind, from the hyperparameters of a fit.
func (m gaussianMethod) again(g *Gaussian, steps int, x core.Matrix, y []float64) (*Gaussian, error) {
	z, mean, unit := standardized(y)
	p := newProcess(m.kernel, m.noisy, x, g.inputs, len(g.Lengths), z, trendOf(x, m.linear))
	parameters := g.parameters
	if steps > 0 {
		search := quasiNewton{evaluations: steps, tolerance: gainOfSteps}
		search.lower, search.upper = p.bounds()
		parameters, _ = search.minimize(parameters, m.posterior(p))
	}
	return m.at(p, parameters, mean, unit)
}

// extended is a fit with more points, and nothing else changed.
func (m gaussianMethod) extended(g *Gaussian, x core.Matrix, y []float64) (*Gaussian, error) {
	z := make([]float64, len(y))
	for i, v := range y {
		z[i] = (v - g.mean) / g.unit
	}
	wider, err := m.at(newProcess(m.kernel, m.noisy, x, g.inputs, len(g.Lengths), z, trendOf(x, m.linear)), g.parameters, g.mean, g.unit)
	if err == nil {
		wider.variance = g.variance
	}
	return wider, err
}

// at is the process with its hyperparameters, ready to predict.
func (m gaussianMethod) at(p *process, parameters []float64, mean, unit float64) (*Gaussian, error) {
	lengths, noise := p.hyper(parameters)
	p.correlate(lengths, noise)
	s, ok := p.solve()
	if !ok {
		return nil, errNoFit
	}
	g := &Gaussian{Kernel: m.kernel, Lengths: lengths, parameters: parameters, inputs: p.inputs, linear: m.linear, mean: mean, unit: unit, solved: s, scaled: p.scaled}
	if noise > 2*leastNoise {
		g.Noise = noise * s.variance * unit * unit
	}
	g.weights = make([]float64, len(p.inputs))
	for f, k := range p.inputs {
		g.weights[f] = 1 / lengths[k]
	}
	return g, nil
}

// correlations fills k with those of a point, in coordinates of the process, and returns the scaled point.
func (g *Gaussian) correlations(x, scaled, k []float64) {
	for f, u := range x {
		scaled[f] = u * g.weights[f]
	}
	width := len(scaled)
	for i := range k {
		row := g.scaled.Data[i*width : (i+1)*width]
		square := 0.0
		for f, u := range scaled {
			square += (u - row[f]) * (u - row[f])
		}
		k[i], _ = g.Kernel.at(square)
	}
}

// trendAt fills the terms of the trend.
func (g *Gaussian) trendAt(x, terms []float64) {
	terms[0] = 1
	if g.linear {
		copy(terms[1:], x)
	}
}

// fewCoordinates are as many as most models have.
const fewCoordinates = 16

// Mean predicts the value at coordinates.
func (g *Gaussian) Mean(x []float64) float64 { return g.slopes(x, nil) }

// slopes gives the mean at coordinates, and fills its derivatives by them where they are wanted.
func (g *Gaussian) slopes(x, by []float64) float64 {
	width := len(g.weights)
	scaled := make([]float64, 0, fewCoordinates) // on the stack, where there are not more
	for f, weight := range g.weights {
		scaled = append(scaled, x[f]*weight)
	}
	sum := g.beta[0]
	clear(by)
	if g.linear {
		sum += dot(g.beta[1:], x)
		copy(by, g.beta[1:])
	}
	for i, weight := range g.gamma {
		row := g.scaled.Data[i*width : (i+1)*width]
		square := 0.0
		for f, u := range scaled {
			square += (u - row[f]) * (u - row[f])
		}
		correlation, slope := g.Kernel.at(square)
		sum += weight * correlation
		for f := range by {
			by[f] -= weight * slope * (scaled[f] - row[f]) * g.weights[f]
		}
	}
	for f := range by {
		by[f] *= g.unit
	}
	return g.mean + g.unit*sum
}

// Predict predicts the value at coordinates and its standard deviation, without that of noise.
func (g *Gaussian) Predict(x []float64) (mean, deviation float64) {
	n := len(g.gamma)
	k, scaled, terms := make([]float64, n), make([]float64, len(g.weights)), make([]float64, len(g.beta))
	g.correlations(x, scaled, k)
	g.trendAt(x, terms)
	mean = g.mean + g.unit*(dot(terms, g.beta)+dot(k, g.gamma))
	vector := blas64.Vector{N: n, Inc: 1, Data: k}
	blas64.Trsv(blas.Trans, g.factor, vector)
	square := 1 - dot(k, k)
	q := g.whitened.Columns
	blas64.Gemv(blas.Trans, -1, blas64.General{Rows: n, Cols: q, Stride: q, Data: g.whitened.Data}, vector, 1, blas64.Vector{N: q, Inc: 1, Data: terms})
	blas64.Trsv(blas.Trans, g.normal, blas64.Vector{N: q, Inc: 1, Data: terms})
	square += dot(terms, terms)
	return mean, g.unit * math.Sqrt(max(0, square*g.variance))
}

// rowsOf takes some points out.
func rowsOf(x core.Matrix, y []float64, rows []int) (core.Matrix, []float64) {
	xs, ys := core.NewMatrix(len(rows), x.Columns), make([]float64, len(rows))
	for to, from := range rows {
		copy(xs.Row(to), x.Row(from))
		if y != nil {
			ys[to] = y[from]
		}
	}
	return xs, ys
}
