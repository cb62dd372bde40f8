package sensitivity

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat"

	"ropebench/core"
	"ropebench/core/space"
)

// Correlations of an output with one input. An input that is a word has no order: its numbers are the square root of the share of
// the variance that its words explain, without a sign.
type Correlations struct {
	Linear, Rank Estimate
}

// normal95 holds 95 % of normal numbers, in deviations from their mean.
const normal95 = 1.959964

// Correlate gives the correlations of values with each input of designs. There must be at least four designs.
func Correlate(s space.Space, designs []core.Design, y []float64) []Correlations {
	all := make([]Correlations, len(s))
	ranksOfY := Ranks(y)
	for j, in := range s {
		x := make([]float64, len(designs))
		for i, design := range designs {
			x[i] = design[j]
		}
		if in.Unordered && in.Traits == nil {
			all[j] = Correlations{explained(x, y), explained(x, ranksOfY)}
			continue
		}
		for i := range x {
			x[i] = in.Share(x[i])
		}
		n := float64(len(y))
		all[j].Linear = fisher(correlation(x, y), 1/(n-3))
		rank := correlation(Ranks(x), ranksOfY)
		all[j].Rank = fisher(rank, (1+rank*rank/2)/(n-3)) // D. G. Bonett, T. A. Wright, Psychometrika 65 (2000)
	}
	return all
}

// correlation is 0 where one of the two does not move.
func correlation(x, y []float64) float64 {
	r := stat.Correlation(x, y, nil)
	if math.IsNaN(r) {
		return 0
	}
	return min(1, max(-1, r))
}

// fisher gives a correlation its limits (R. A. Fisher, Metron 1 (1921)).
func fisher(r, variance float64) Estimate {
	const whole = 1 - 1e-12
	z := math.Atanh(min(whole, max(-whole, r)))
	half := normal95 * math.Sqrt(variance)
	return Estimate{r, min(r, math.Tanh(z-half)), max(r, math.Tanh(z+half))}
}

// explained is the correlation ratio.
func explained(words, y []float64) Estimate {
	mean := stat.Mean(y, nil)
	sums, counts := map[float64]float64{}, map[float64]float64{}
	total, between := 0.0, 0.0
	for i, word := range words {
		sums[word] += y[i] - mean
		counts[word]++
		total += (y[i] - mean) * (y[i] - mean)
	}
	keys := make([]float64, 0, len(sums))
	for word := range sums {
		keys = append(keys, word)
	}
	slices.Sort(keys)
	for _, word := range keys {
		between += sums[word] * sums[word] / counts[word]
	}
	if total == 0 {
		return Estimate{}
	}
	e := fisher(math.Sqrt(min(1, between/total)), 1/float64(len(y)-3))
	e.From = max(0, e.From)
	return e
}

// Ranks are the places of numbers in their order, from 1; equal ones share the mean of theirs.
func Ranks(y []float64) []float64 {
	order := make([]int, len(y))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(y[a], y[b]) })
	ranks := make([]float64, len(y))
	for from := 0; from < len(order); {
		to := from
		for to < len(order) && y[order[to]] == y[order[from]] {
			to++
		}
		for _, i := range order[from:to] {
			ranks[i] = float64(from+to+1) / 2
		}
		from = to
	}
	return ranks
}

// Collinear lists pairs of inputs that move together in designs, so that what one does cannot be told from what the other does.
func Collinear(s space.Space, designs []core.Design) [][2]int {
	columns := make([][]float64, len(s))
	for j, in := range s {
		columns[j] = make([]float64, len(designs))
		for i, design := range designs {
			columns[j][i] = in.Share(design[j])
		}
	}
	var pairs [][2]int
	for a := range s {
		for b := a + 1; b < len(s); b++ {
			if math.Abs(correlation(columns[a], columns[b])) > together {
				pairs = append(pairs, [2]int{a, b})
			}
		}
	}
	return pairs
}

// together is the correlation from which on two inputs are taken to move together.
const together = 0.95

// A Regression explains an output by a sum of inputs, each times a coefficient.
type Regression struct {
	Coefficients []Estimate // of each input, in deviations of the output for one of the input; 0 for words
	R2           float64    // the share of the variance that it explains
}

// Regress fits the standardized regression by least squares; false where the inputs do not determine it.
func Regress(s space.Space, designs []core.Design, y []float64) (Regression, bool) {
	n := len(y)
	var columns []int
	var numbers [][]float64
	for j, in := range s {
		if in.Unordered && in.Traits == nil {
			continue
		}
		x := make([]float64, n)
		for i, design := range designs {
			x[i] = in.Share(design[j])
		}
		if standardize(x) {
			columns, numbers = append(columns, j), append(numbers, x)
		}
	}
	z := slices.Clone(y)
	found := Regression{Coefficients: make([]Estimate, len(s))}
	if !standardize(z) || n < len(columns)+3 || len(columns) == 0 {
		return found, false
	}
	design := mat.NewDense(n, len(columns), nil)
	for k, x := range numbers {
		design.SetCol(k, x)
	}
	var normal mat.SymDense
	normal.SymOuterK(1, design.T())
	var factor mat.Cholesky
	if !factor.Factorize(&normal) || factor.Cond() > 1e10 {
		return found, false
	}
	var right, solution mat.VecDense
	right.MulVec(design.T(), mat.NewVecDense(n, z))
	if err := factor.SolveVecTo(&solution, &right); err != nil {
		return found, false
	}
	var inverse mat.SymDense
	if err := factor.InverseTo(&inverse); err != nil {
		return found, false
	}
	var fitted mat.VecDense
	fitted.MulVec(design, &solution)
	left := 0.0
	for i, v := range z {
		left += (v - fitted.AtVec(i)) * (v - fitted.AtVec(i))
	}
	found.R2 = 1 - left/float64(n)
	for k, j := range columns {
		half := normal95 * math.Sqrt(left/float64(n-len(columns)-1)*inverse.At(k, k))
		v := solution.AtVec(k)
		found.Coefficients[j] = Estimate{v, v - half, v + half}
	}
	return found, true
}

// standardize gives numbers the mean 0 and the deviation 1; false where they do not move.
func standardize(x []float64) bool {
	mean := stat.Mean(x, nil)
	square := 0.0
	for i := range x {
		x[i] -= mean
		square += x[i] * x[i]
	}
	deviation := math.Sqrt(square / float64(len(x)))
	if !(deviation > 0) {
		return false
	}
	for i := range x {
		x[i] /= deviation
	}
	return true
}
