package optimize

import (
	"math"
	"slices"

	"ropebench/core"
)

const (
	mostSources = 12  // values of the solver from which another one may follow to be believed by them
	forgotten   = 0.8 // of how well beliefs of a value have predicted, with each new design
)

// A view is what is believed of a value: see surrogate.Belief, which is one.
type view interface {
	Mean(design core.Design) float64
	Between(design core.Design) (lower, median, upper float64)
	Believed(design core.Design) (mean, deviation float64)
	Scaled(value float64) float64
	Spread() float64
}

// sourcesOf are the values of the solver from which a column follows; nil where it is believed by itself alone.
func (b *believer) sourcesOf(column int) []int {
	if b.problem.Behind == nil {
		return nil
	}
	from := b.problem.Behind.From(column)
	if len(from) == 0 || len(from) > mostSources {
		return nil
	}
	return from
}

// believes lists what is to be believed for a column: itself, and what it follows from. Which of the two tells more shows as the search goes
// on.
func (b *believer) believes(column int) {
	b.asked = append(b.asked, column)
	for _, c := range append([]int{column}, b.sourcesOf(column)...) {
		if !slices.Contains(b.columns, c) {
			b.columns = append(b.columns, c)
		}
	}
}

// of is what is believed of a column; nil where nothing is: inputs alone decide it, or no belief is made yet.
func (b *believer) of(column int) view {
	own := b.byItself(column)
	if own == nil {
		return nil
	}
	if b.follows(column) {
		return following{b, column, own}
	}
	return own
}

// A basis is what is believed of a value without the formula that it follows by.
type basis interface {
	view
	// Slopes gives the median at a design, and fills its derivatives by the inputs: see surrogate.Belief.
	Slopes(design core.Design, into []float64) float64
}

// byItself is what is believed of a column without its formula: with the coarse variant where that has predicted better; nil where nothing is.
func (b *believer) byItself(column int) basis {
	if b.coarse.inUse() && b.coarse.lag[column] <= 0 {
		if with := b.coarse.corrected[column]; with != nil {
			return with
		}
	}
	if own := b.beliefs[column]; own != nil {
		return own
	}
	return nil
}

// follows is true where the formula of a column tells more of it than a belief of its own.
func (b *believer) follows(column int) bool {
	from := b.sourcesOf(column)
	return from != nil && b.lag[column] <= 0 && !slices.ContainsFunc(from, func(c int) bool { return b.beliefs[c] == nil })
}

// A following view lets a formula follow from what is believed of the values of the solver, with first-order errors.
type following struct {
	*believer
	column int
	own    basis // where the formula has no value
}

// at is what follows where the sources have some values.
func (f following) at(design core.Design, values []float64) float64 {
	f.problem.Behind.Follow(design, values)
	return values[f.column]
}

func (f following) Mean(design core.Design) float64 {
	values := make([]float64, f.width)
	for _, c := range f.sourcesOf(f.column) {
		values[c] = f.byItself(c).Mean(design)
	}
	if mean := f.at(design, values); !math.IsNaN(mean) && !math.IsInf(mean, 0) {
		return mean
	}
	return f.own.Mean(design)
}

func (f following) Believed(design core.Design) (mean, deviation float64) {
	lower, median, upper := f.Between(design)
	return median, (upper - lower) / 2
}

func (f following) Between(design core.Design) (lower, median, upper float64) {
	from := f.sourcesOf(f.column)
	values, medians := make([]float64, f.width), make([]float64, len(from))
	ends := make([][2]float64, len(from))
	for i, c := range from {
		ends[i][0], medians[i], ends[i][1] = f.byItself(c).Between(design)
		values[c] = medians[i]
	}
	median = f.at(design, values)
	square := 0.0
	for i, c := range from {
		values[c] = ends[i][1]
		above := f.at(design, values)
		values[c] = ends[i][0]
		half := (above - f.at(design, values)) / 2
		values[c] = medians[i]
		square += half * half
	}
	deviation := math.Sqrt(square)
	if math.IsNaN(median+deviation) || math.IsInf(median+deviation, 0) {
		return f.own.Between(design)
	}
	return median - deviation, median, median + deviation
}

func (f following) Scaled(value float64) float64 { return value }

func (f following) Spread() float64 {
	var values []float64
	for _, t := range f.known {
		if t.rank.Usable() {
			values = append(values, t.outcome.Values[f.column])
		}
	}
	return deviationOf(values)
}

func deviationOf(values []float64) float64 {
	mean, square := 0.0, 0.0
	for _, v := range values {
		mean += v / float64(len(values))
	}
	for _, v := range values {
		square += (v - mean) * (v - mean) / float64(len(values))
	}
	return math.Sqrt(square)
}

// compare notes how well the formulas of columns, and beliefs of their own, have predicted a design.
func (b *believer) compare(t trial) {
	for _, column := range b.asked {
		own := b.byItself(column)
		if own == nil || b.sourcesOf(column) == nil {
			continue
		}
		f := following{b, column, own}
		value := t.outcome.Values[column]
		least := 1e-9 * (f.Spread() + math.SmallestNonzeroFloat64)
		ratio := (math.Abs(f.Mean(t.design)-value) + least) / (math.Abs(own.Mean(t.design)-value) + least)
		b.lag[column] = forgotten*b.lag[column] + math.Log(ratio)
	}
}
