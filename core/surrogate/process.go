package surrogate

import (
	"math"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/lapack/lapack64"

	"ropebench/core"
)

// A Kernel says how the correlation of two values falls with the distance r of their inputs, in lengths.
type Kernel uint8

// The kernels (C. E. Rasmussen, C. K. I. Williams, Gaussian Processes for Machine Learning, 2006, chapter 4).
const (
	Matern52 Kernel = iota
	SquaredExponential
)

func (k Kernel) String() string {
	if k == Matern52 {
		return "Matern 5/2"
	}
	return "squared exponential"
}

// at is the correlation at the square of a distance, and -2 times its derivative by that square.
func (k Kernel) at(square float64) (correlation, slope float64) {
	if k == SquaredExponential {
		e := math.Exp(-square / 2)
		return e, e
	}
	r := math.Sqrt(5 * square)
	e := math.Exp(-r)
	return (1 + r + r*r/3) * e, 5.0 / 3 * (1 + r) * e
}

// A process is a Gaussian process with a kernel, a length for each input, noise and a trend: what its hyperparameters are fitted on.
// The variance and the trend follow from the others in closed form.
type process struct {
	kernel Kernel
	noisy  bool        // the noise is fitted; otherwise there is next to none
	x      core.Matrix // n rows, coordinates
	inputs []int       // of each coordinate: which length belongs to it
	d      int         // lengths
	y      []float64   // of mean 0 and deviation 1
	trend  core.Matrix // n rows, a column for each term

	// what the last likelihood was computed with: n by n, of which the upper triangles are used
	correlation, slopes, inverse blas64.Symmetric
	scaled                       core.Matrix // x in lengths
	product                      core.Matrix
}

// Bounds of hyperparameters. Lengths are in units of the range of an input, noise is its variance as a share of the variance of the process.
const (
	leastLength = 0.03
	mostLength  = 60.0
	leastNoise  = 1e-9
	mostNoise   = 20.0
)

func newProcess(kernel Kernel, noisy bool, x core.Matrix, inputs []int, d int, y []float64, trend core.Matrix) *process {
	n := len(y)
	square := func() blas64.Symmetric {
		return blas64.Symmetric{N: n, Stride: n, Uplo: blas.Upper, Data: make([]float64, n*n)}
	}
	return &process{kernel: kernel, noisy: noisy, x: x, inputs: inputs, d: d, y: y, trend: trend,
		correlation: square(), slopes: square(), inverse: square(), scaled: core.NewMatrix(n, x.Columns), product: core.NewMatrix(n, x.Columns)}
}

// hyper splits parameters into lengths and noise: all are logarithms.
func (p *process) hyper(parameters []float64) (lengths []float64, noise float64) {
	lengths = make([]float64, p.d)
	for k := range lengths {
		lengths[k] = math.Exp(parameters[k])
	}
	if !p.noisy {
		return lengths, leastNoise
	}
	return lengths, math.Exp(parameters[p.d])
}

// parameters is how many there are.
func (p *process) parameters() int {
	if p.noisy {
		return p.d + 1
	}
	return p.d
}

// bounds are those of the parameters.
func (p *process) bounds() (lower, upper []float64) {
	for range p.d {
		lower, upper = append(lower, math.Log(leastLength)), append(upper, math.Log(mostLength))
	}
	if p.noisy {
		lower, upper = append(lower, math.Log(leastNoise)), append(upper, math.Log(mostNoise))
	}
	return lower, upper
}

// correlate fills the correlations of all pairs of points, and their slopes.
func (p *process) correlate(lengths []float64, noise float64) {
	for i := range p.x.Rows {
		row, from := p.scaled.Row(i), p.x.Row(i)
		for f, k := range p.inputs {
			row[f] = from[f] / lengths[k]
		}
	}
	n := p.x.Rows
	for i := range n {
		a := p.scaled.Row(i)
		correlation, slopes := p.correlation.Data[i*n:(i+1)*n], p.slopes.Data[i*n:(i+1)*n]
		correlation[i], slopes[i] = 1+noise, 0
		for j := i + 1; j < n; j++ {
			b := p.scaled.Data[j*len(a) : (j+1)*len(a)]
			square := 0.0
			for f, u := range a {
				square += (u - b[f]) * (u - b[f])
			}
			correlation[j], slopes[j] = p.kernel.at(square)
		}
	}
}

// A solved process has what follows from its hyperparameters.
type solved struct {
	factor   blas64.Triangular // of the correlation
	beta     []float64         // of the trend
	gamma    []float64         // inverse of the correlation times what the trend leaves
	variance float64
	// whitened has the trend behind the factor, in columns; normal is the Cholesky factor of its square.
	whitened core.Matrix
	normal   blas64.Triangular
	logDet   float64
}

// solve factors the correlation as it is and finds trend and variance; false where it cannot be factored.
func (p *process) solve() (s solved, ok bool) {
	n, q := len(p.y), p.trend.Columns
	if s.factor, ok = lapack64.Potrf(p.correlation); !ok {
		return s, false
	}
	for i := range n {
		s.logDet += 2 * math.Log(s.factor.Data[i*n+i])
	}
	s.whitened = core.NewMatrix(n, q)
	copy(s.whitened.Data, p.trend.Data)
	white := blas64.General{Rows: n, Cols: q, Stride: q, Data: s.whitened.Data}
	blas64.Trsm(blas.Left, blas.Trans, 1, s.factor, white)
	y := append([]float64(nil), p.y...)
	vector := blas64.Vector{N: n, Inc: 1, Data: y}
	blas64.Trsv(blas.Trans, s.factor, vector)
	square := blas64.Symmetric{N: q, Stride: q, Uplo: blas.Upper, Data: make([]float64, q*q)}
	blas64.Syrk(blas.Trans, 1, white, 0, square)
	if s.normal, ok = lapack64.Potrf(square); !ok {
		return s, false
	}
	s.beta = make([]float64, q)
	beta := blas64.Vector{N: q, Inc: 1, Data: s.beta}
	blas64.Gemv(blas.Trans, 1, white, vector, 0, beta)
	blas64.Trsv(blas.Trans, s.normal, beta)
	blas64.Trsv(blas.NoTrans, s.normal, beta)
	blas64.Gemv(blas.NoTrans, -1, white, beta, 1, vector)
	s.variance = dot(y, y) / float64(n)
	blas64.Trsv(blas.NoTrans, s.factor, vector)
	s.gamma = y
	return s, s.variance > 0 && !math.IsInf(s.variance, 0)
}

// likelihood is the negative logarithm of the likelihood of parameters, up to a constant, with its gradient: trend and variance take
// their best values (J. Sacks, W. J. Welch, T. J. Mitchell, H. P. Wynn, Statistical Science 4 (1989)). +Inf where there is none.
func (p *process) likelihood(parameters, gradient []float64) float64 {
	lengths, noise := p.hyper(parameters)
	p.correlate(lengths, noise)
	s, ok := p.solve() // the factor takes the place of the correlation
	if !ok {
		return math.Inf(1)
	}
	n := len(p.y)
	value := (float64(n)*math.Log(s.variance) + s.logDet) / 2
	lapack64.Potri(s.factor)
	inverse, slopes := s.factor.Data, p.slopes.Data
	trace := 0.0
	sums := make([]float64, n) // of the rows of what follows
	for i := range n {
		gi := s.gamma[i] / s.variance
		trace += inverse[i*n+i] - gi*s.gamma[i]
		for j := i + 1; j < n; j++ {
			weight := (inverse[i*n+j] - gi*s.gamma[j]) * slopes[i*n+j]
			slopes[i*n+j] = weight
			sums[i] += weight
			sums[j] += weight
		}
	}
	// for each coordinate: the sum over pairs of weight times the square of their distance
	columns := p.x.Columns
	x := blas64.General{Rows: n, Cols: columns, Stride: columns, Data: p.scaled.Data}
	product := blas64.General{Rows: n, Cols: columns, Stride: columns, Data: p.product.Data}
	blas64.Symm(blas.Left, 1, p.slopes, x, 0, product)
	clear(gradient)
	for i := range n {
		for f, k := range p.inputs {
			u := p.scaled.Data[i*columns+f]
			gradient[k] += (sums[i]*u - p.product.Data[i*columns+f]) * u
		}
	}
	if p.noisy {
		gradient[p.d] = trace * noise / 2
	}
	return value
}
