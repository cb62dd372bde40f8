package uncertainty

import (
	"context"
	"math"
	"math/rand/v2"

	"gonum.org/v1/gonum/floats"
	"gonum.org/v1/gonum/stat/distuv"
)

// Importance is the probability of a miss by n draws, two or more, of standard normal numbers about a design point, each with the weight that takes
// that back (M. Shinozuka, Journal of Structural Engineering 109 (1983); R. E. Melchers, Structural Safety 6 (1989)). A draw that cannot be told
// counts as a miss. What is counted is what lies beyond the limit as seen from the median: where that misses, what is met. The limits follow from
// the spread of the weights.
func Importance(ctx context.Context, r *rand.Rand, d DesignPoint, margin LimitState, n int) (Estimate, error) {
	about := d.At
	points, weights := make([][]float64, n), make([]float64, n)
	for i := range points {
		points[i] = make([]float64, len(about))
		for k := range about {
			points[i][k] = about[k] + r.NormFloat64()
		}
		away := floats.Distance(points[i], about, 2)
		weights[i] = math.Exp((away*away - floats.Dot(points[i], points[i])) / 2)
	}
	margins, err := margin(ctx, points)
	if err != nil {
		return Estimate{}, err
	}
	mean, square := 0.0, 0.0
	for i, m := range margins {
		if beyond := !(m >= 0) == (d.Index >= 0); beyond {
			mean += weights[i] / float64(n)
			square += weights[i] * weights[i] / float64(n)
		}
	}
	half := distuv.UnitNormal.Quantile(1-(1-Confidence)/2) * math.Sqrt(math.Max(0, square-mean*mean)/float64(n-1))
	e := Estimate{Value: math.Min(1, mean), From: math.Max(0, mean-half), To: math.Min(1, mean+half)}
	if d.Index < 0 {
		e = Estimate{Value: 1 - e.Value, From: 1 - e.To, To: 1 - e.From}
	}
	return e, nil
}
