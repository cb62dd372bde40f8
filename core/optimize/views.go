package optimize

import (
	"math"
	"slices"

	"ropebench/core"
)

const (
	mostSources  = 12  // values of the solver from which another one may follow to be believed by them
	forgotten    = 0.8 // of how well beliefs of a value have predicted, with each new design
	hardly       = 0.2 // of the largest deviation of the shares of shapes: a smaller one is not followed
	notYetBetter = 0.1 // by how much formulas of vectors and curves are taken to predict worse before that is known, as a logarithm
)

// A view is what is believed of a value: see surrogate.Belief, which is one.
type view interface {
	Mean(design core.Design) float64
	Between(design core.Design) (lower, median, upper float64)
	Believed(design core.Design) (mean, deviation float64)
	Scaled(value float64) float64
	Spread() float64
}

// sources are what the solver gives from which a value follows.
type sources struct {
	numbers []int // columns
	curves  []int // vectors and curves
}

// sourcesOf are those of a column; nil where it is believed by itself alone. What the coarse variant says of vectors and curves is not looked at.
func (b *believer) sourcesOf(column int) *sources {
	if b.problem.Behind == nil {
		return nil
	}
	numbers, curves, follows := b.problem.Behind.From(column)
	if !follows || len(numbers)+len(curves) == 0 || len(numbers) > mostSources || len(curves) > 0 && (b.curvesOf == nil || b.coarse.inUse()) {
		return nil
	}
	return &sources{numbers, curves}
}

// believes lists what is to be believed for a column: itself, and what it follows from. Which of the two tells more shows as the search goes
// on.
func (b *believer) believes(column int) {
	b.asked = append(b.asked, column)
	all := []int{column}
	if from := b.sourcesOf(column); from != nil {
		all = append(all, from.numbers...)
		b.wanted = append(b.wanted, from.curves...)
		if len(from.curves) > 0 {
			b.lag[column] = notYetBetter
		}
	}
	for _, c := range all {
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
		return following{b, column, *b.sourcesOf(column), own}
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
	return from != nil && b.lag[column] <= 0 && b.knows(*from)
}

// knows is true where something is believed of all sources.
func (b *believer) knows(from sources) bool {
	return !slices.ContainsFunc(from.numbers, func(c int) bool { return b.byItself(c) == nil }) && (len(from.curves) == 0 || b.shapes.ready())
}

// A following view lets a formula follow from what is believed of what the solver gives, with first-order errors.
type following struct {
	*believer
	column int
	from   sources
	own    basis // where the formula has no value
}

// at is what follows where the sources have some values, and vectors and curves some shares of their shapes.
func (f following) at(design core.Design, values, shares []float64) float64 {
	if len(f.from.curves) > 0 {
		return f.problem.Behind.Read(f.column, design, values, f.shapes.curves(shares, f.from.curves))
	}
	f.problem.Behind.Follow(design, values)
	return values[f.column]
}

func (f following) Mean(design core.Design) float64 {
	values := make([]float64, f.width)
	for _, c := range f.from.numbers {
		values[c] = f.byItself(c).Mean(design)
	}
	var shares []float64
	if len(f.from.curves) > 0 {
		shares, _ = f.shapes.believed(design)
	}
	if mean := f.at(design, values, shares); isFinite(mean) {
		return mean
	}
	return f.own.Mean(design)
}

func (f following) Believed(design core.Design) (mean, deviation float64) {
	lower, median, upper := f.Between(design)
	return median, (upper - lower) / 2
}

func (f following) Between(design core.Design) (lower, median, upper float64) {
	values := make([]float64, f.width)
	ends := make([][2]float64, len(f.from.numbers))
	for i, c := range f.from.numbers {
		ends[i][0], values[c], ends[i][1] = f.byItself(c).Between(design)
	}
	var shares, deviations []float64
	if len(f.from.curves) > 0 {
		shares, deviations = f.shapes.believed(design)
	}
	median = f.at(design, values, shares)
	square := 0.0
	half := func(at *float64, low, high float64) {
		was := *at
		*at = high
		above := f.at(design, values, shares)
		*at = low
		half := (above - f.at(design, values, shares)) / 2
		*at = was
		square += half * half
	}
	for i, c := range f.from.numbers {
		half(&values[c], ends[i][0], ends[i][1])
	}
	for m, deviation := range deviations { // to one side alone, and without those that hardly matter: to read curves takes its time
		if deviation < hardly*slices.Max(deviations) {
			continue
		}
		shares[m] += deviation
		above := f.at(design, values, shares)
		shares[m] -= deviation
		square += (above - median) * (above - median)
	}
	deviation := math.Sqrt(square)
	if !isFinite(median + deviation) {
		return f.own.Between(design)
	}
	return median - deviation, median, median + deviation
}

func isFinite(value float64) bool { return !math.IsNaN(value) && !math.IsInf(value, 0) }

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
		own, from := b.byItself(column), b.sourcesOf(column)
		if own == nil || from == nil || !b.knows(*from) {
			continue
		}
		f := following{b, column, *from, own}
		value := t.outcome.Values[column]
		least := 1e-9 * (f.Spread() + math.SmallestNonzeroFloat64)
		ratio := (math.Abs(f.Mean(t.design)-value) + least) / (math.Abs(own.Mean(t.design)-value) + least)
		b.lag[column] = forgotten*b.lag[column] + math.Log(ratio)
	}
}
