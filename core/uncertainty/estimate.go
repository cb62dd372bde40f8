package uncertainty

import (
	"math"
	"sort"

	"gonum.org/v1/gonum/stat/distuv"
)

// Confidence is that of every limit: so often it holds.
const Confidence = 0.95

// An Estimate is a number with its limits of confidence; NaN for one that the draws are too few to tell.
type Estimate struct{ Value, From, To float64 }

// Probability is the share of met among n draws, with the limits of E. B. Wilson, Journal of the American Statistical Association 22 (1927). n is
// above 0.
func Probability(met, n int) Estimate {
	z := distuv.UnitNormal.Quantile(1 - (1-Confidence)/2)
	p, count := float64(met)/float64(n), float64(n)
	middle := (p + z*z/(2*count)) / (1 + z*z/count)
	half := z / (1 + z*z/count) * math.Sqrt(p*(1-p)/count+z*z/(4*count*count))
	e := Estimate{Value: p, From: max(0, middle-half), To: min(1, middle+half)}
	if met == 0 {
		e.From = 0 // and no rounding
	}
	if met == n {
		e.To = 1
	}
	return e
}

// Mean is that of independent values, two or more, with limits by Student's distribution, corrected for the skewness of the values (P. Hall, Journal of the
// Royal Statistical Society B 54 (1992)): without that the limits of skewed values hold too rarely, and on one side.
func Mean(values []float64) Estimate {
	n := float64(len(values))
	mean := 0.0
	for _, v := range values {
		mean += v / n
	}
	deviation := Deviation(values)
	quantile := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n - 1}.Quantile(1-(1-Confidence)/2) / math.Sqrt(n)
	skewness := skewnessOf(values, mean, deviation)
	straight := func(y float64) float64 { // the inverse of Hall's cubic
		if math.Abs(skewness) < leastSkewness {
			return y
		}
		return 3 / skewness * (math.Cbrt(1+skewness*(y-skewness/(6*n))) - 1)
	}
	return Estimate{Value: mean, From: mean - deviation*straight(quantile), To: mean - deviation*straight(-quantile)}
}

// leastSkewness is below which values are not skewed.
const leastSkewness = 1e-6

// skewnessOf is the third standardized moment; 0 of values that are all the same.
func skewnessOf(values []float64, mean, deviation float64) float64 {
	if deviation == 0 {
		return 0
	}
	sum := 0.0
	for _, v := range values {
		sum += math.Pow((v-mean)/deviation, 3)
	}
	return sum / float64(len(values))
}

// Deviation is the standard deviation of values, two or more.
func Deviation(values []float64) float64 {
	n := float64(len(values))
	mean, square := 0.0, 0.0
	for _, v := range values {
		mean += v / n
	}
	for _, v := range values {
		square += (v - mean) * (v - mean)
	}
	return math.Sqrt(square / (n - 1))
}

// Quantile is the value that is not exceeded with a probability p, of independent values in ascending order, two or more. Its limits are two of
// the values, whatever the distribution (W. J. Conover, Practical Nonparametric Statistics, 3rd ed., 1999, section 3.2).
func Quantile(ascending []float64, p float64) Estimate {
	n := len(ascending)
	e := Estimate{Value: empirical(ascending).Quantile(p), From: math.NaN(), To: math.NaN()}
	below := distuv.Binomial{N: float64(n), P: p} // how many values are below the quantile
	tail := (1 - Confidence) / 2
	// the r-th value is above the quantile with the probability that fewer than r are below it
	if r := sort.Search(n, func(r int) bool { return below.CDF(float64(r)) > tail }); r >= 1 {
		e.From = ascending[r-1]
	}
	if r := sort.Search(n, func(r int) bool { return below.CDF(float64(r)) >= 1-tail }); r < n {
		e.To = ascending[r]
	}
	return e
}
