package optimize

import (
	"context"
	"math"
	"slices"
	"strconv"
	"strings"

	"gonum.org/v1/gonum/mat"
)

// digits counts of each function its values, and the most significant digits that one had: solvers print few.
type digits []struct{ values, most int }

const allDigits = 15 // a value with so many is as precise as numbers are

func (d *digits) see(function int, value float64) {
	for len(*d) <= function {
		*d = append(*d, struct{ values, most int }{})
	}
	mantissa, _, _ := strings.Cut(strconv.FormatFloat(math.Abs(value), 'e', -1, 64), "e")
	seen := &(*d)[function]
	seen.values++
	seen.most = max(seen.most, len(strings.Replace(mantissa, ".", "", 1)))
}

// known is true where a function has had values enough for their digits to be told.
func (d digits) known(function int) bool {
	return function < len(d) && (d[function].values >= leastSeen || d[function].most >= allDigits-2)
}

// noise is the relative error of a function's values that its digits leave. A few values may have few digits by chance.
func (d digits) noise(function int) float64 {
	if function >= len(d) || d[function].values < leastSeen || d[function].most >= allDigits-2 {
		return 1e-15
	}
	return 0.5 * math.Pow(10, 1-float64(d[function].most))
}

const (
	leastSeen  = 6    // values from which the digits of a function are told
	finestStep = 1e-7 // of a difference, in the unit cube
	widestStep = 0.05
	growStep   = 30            // by which a step grows that changed nothing
	firstStep  = math.Pi / 3e4 // while it is not known how many digits values have: round steps would make them look few
	fewDigits  = 7             // a function with no more may not tell a step that others do
)

// step is how far apart the points of a forward difference stand: where rounding and curvature do the same harm (P. E. Gill,
// W. Murray, M. A. Saunders and M. H. Wright, SIAM J. Sci. Stat. Comput. 4 (1983)), for a curvature of the order of the value.
func (l *landscape) step(functions []int) float64 {
	worst := 0.0
	for _, k := range functions {
		if !l.digits.known(k) {
			return firstStep
		}
		worst = math.Max(worst, l.digits.noise(k))
	}
	return math.Min(widestStep, math.Max(finestStep, 2*math.Sqrt(worst)))
}

// differences gives a place the slopes of functions from neighbours, which are asked for as one batch.
func (l *landscape) differences(ctx context.Context, p *place, functions []int) error {
	return l.differencesBy(ctx, p, functions, l.step(functions))
}

// differencesBy begins with a step of a length; it leads to the other side where it is negative.
func (l *landscape) differencesBy(ctx context.Context, p *place, functions []int, h float64) error {
	for {
		points := l.neighbours(p.point, h)
		trials, err := l.ask(ctx, points)
		if err != nil {
			return err
		}
		changed := l.fit(p, trials, functions)
		length := math.Abs(h)
		p.apart = length
		if changed && l.step(functions) <= length && !l.overlooks(trials, p, functions) || length >= widestStep {
			return nil
		}
		h = math.Copysign(math.Min(widestStep, math.Max(l.step(functions), length*growStep)), h)
	}
}

// overlooks is true where the values have few digits and one of the neighbours has changed none of them: the step may be too short.
func (l *landscape) overlooks(trials []trial, p *place, functions []int) bool {
	for _, k := range functions {
		if k >= len(l.digits) || l.digits[k].most > fewDigits {
			return false
		}
	}
	return slices.ContainsFunc(trials, func(t trial) bool {
		return t.outcome.Values != nil && slices.Equal(t.outcome.Values, p.outcome.Values)
	})
}

// neighbours are points about another, one for each axis, at which what inputs alone decide is kept as far as that can be.
func (l *landscape) neighbours(point []float64, h float64) [][]float64 {
	points := make([][]float64, len(l.axes))
	for a, j := range l.axes {
		var options [][]float64
		for _, step := range []float64{h, -h, h / 30, -h / 30} {
			other := slices.Clone(point)
			if other[j] += step; other[j] < 0 || other[j] > 1 {
				continue
			}
			options = append(options, other)
		}
		points[a] = options[0]
		if l.ahead == nil {
			continue
		}
		kept := slices.IndexFunc(options, func(other []float64) bool { return l.missedBy(other) == 0 })
		if kept < 0 {
			points[a] = l.repaired(options[0])
		} else {
			points[a] = options[kept]
		}
	}
	return points
}

// fit gives the slopes for which the differences to the neighbours come out, in the least squares and least in length: where
// the neighbours do not stand along the axes, or some have failed. It is false where no value has changed.
func (l *landscape) fit(p *place, trials []trial, functions []int) bool {
	var rows [][]float64
	var usable []place
	origin := l.along(p.point)
	for _, t := range trials {
		other := l.placed(t)
		if other.values == nil {
			continue
		}
		away := l.along(t.point)
		for a := range away {
			away[a] -= origin[a]
		}
		rows, usable = append(rows, away), append(usable, other)
	}
	inverse := pseudoInverse(rows, len(l.axes))
	changed := false
	for _, k := range functions {
		f := l.functions[k]
		var columns [][]float64
		for _, column := range l.columnsOf(f) {
			slopes := make([]float64, len(l.axes))
			for r, other := range usable {
				difference := other.outcome.Values[column] - p.outcome.Values[column]
				changed = changed || difference != 0
				for a := range slopes {
					slopes[a] += inverse.At(a, r) * difference
				}
			}
			columns = append(columns, slopes)
		}
		p.slopes[k] = l.slopesOf(f, p, p.outcome.Values, columns)
	}
	return changed
}

// smallSingular is the share of the largest singular value below which another counts for nothing.
const smallSingular = 1e-6

// pseudoInverse is that of a matrix with the given rows, which may be none.
func pseudoInverse(rows [][]float64, columns int) *mat.Dense {
	if len(rows) == 0 {
		return mat.NewDense(columns, 1, nil)
	}
	matrix := mat.NewDense(len(rows), columns, nil)
	for r, row := range rows {
		matrix.SetRow(r, row)
	}
	var svd mat.SVD
	inverse := mat.NewDense(columns, len(rows), nil)
	if !svd.Factorize(matrix, mat.SVDThin) {
		return inverse
	}
	var u, v mat.Dense
	svd.UTo(&u)
	svd.VTo(&v)
	values := svd.Values(nil)
	for i, value := range values {
		if value <= smallSingular*values[0] {
			continue
		}
		for a := range columns {
			for r := range rows {
				inverse.Set(a, r, inverse.At(a, r)+v.At(a, i)*u.At(r, i)/value)
			}
		}
	}
	return inverse
}

// missedBy is the sum by which a point misses what inputs alone decide and must be kept, each as a share of its limit.
func (l *landscape) missedBy(point []float64) float64 {
	if l.ahead == nil {
		return 0
	}
	values, _ := l.ahead.Look(l.design(point), false)
	missed := 0.0
	for _, f := range l.constraints() {
		if !f.decided || f.price > 0 {
			continue
		}
		value := values[f.column]
		if math.IsNaN(value) {
			return math.Inf(1)
		}
		if !(f.limit.Margin(value) >= 0) {
			missed += math.Max(math.SmallestNonzeroFloat64, f.limit.Share(value))
		}
	}
	return missed
}
