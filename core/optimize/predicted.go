package optimize

import (
	"context"
	"math"
	"slices"

	"ropebench/core"
)

// predicted is what is believed, as an evaluator: medians, and behind the values the probability that the solver works.
type predicted struct {
	*believer
	width int // of an outcome
}

func (p predicted) Evaluate(_ context.Context, designs []core.Design) ([]core.Outcome, error) {
	outcomes := make([]core.Outcome, len(designs))
	for i, design := range designs {
		values := p.decided(design)
		for _, column := range p.columns {
			values[column] = p.byItself(column).Mean(design)
		}
		p.letFollow(design, values, p.shares(design))
		outcomes[i] = outcomeOf(values)
	}
	return outcomes, nil
}

// decided has what inputs alone decide, and the probability that the solver works; all else is 0.
func (p predicted) decided(design core.Design) []float64 {
	values := make([]float64, p.width+1)
	if p.ahead != nil {
		given, _ := p.ahead.Look(design, false)
		for column, is := range p.ahead.Decided() {
			if is {
				values[column] = given[column]
			}
		}
	}
	values[p.width] = p.working(design)
	return values
}

// outcomeOf fails where a value is not finite.
func outcomeOf(values []float64) core.Outcome {
	if slices.ContainsFunc(values, func(v float64) bool { return math.IsNaN(v) || math.IsInf(v, 0) }) {
		return core.Outcome{State: core.Failed}
	}
	return core.Outcome{Values: values}
}

func (p predicted) Differentiate(_ context.Context, designs []core.Design) ([]core.Outcome, []core.Derivatives, error) {
	outcomes, all := make([]core.Outcome, len(designs)), make([]core.Derivatives, len(designs))
	for i, design := range designs {
		values, rows := p.decided(design), core.NewMatrix(p.width+1, len(design))
		for _, column := range p.columns {
			values[column] = p.byItself(column).Slopes(design, rows.Row(column))
		}
		p.slopesOfFollowing(design, values, rows)
		p.letFollow(design, values, p.shares(design))
		p.slopesOfWorking(design, rows.Row(p.width))
		outcomes[i], all[i] = outcomeOf(values), &rows
	}
	return outcomes, all, nil
}

// shares are those that are believed of the shapes of vectors and curves; nil where nothing that is asked follows from these.
func (p predicted) shares(design core.Design) []float64 {
	if !slices.ContainsFunc(p.asked, p.followsCurves) {
		return nil
	}
	shares, _ := p.shapes.believed(design)
	return shares
}

func (b *believer) followsCurves(column int) bool {
	return b.follows(column) && len(b.sourcesOf(column).curves) > 0
}

// letFollow puts what follows from what the solver gives in the place of what is believed by itself, where it has a value.
func (p predicted) letFollow(design core.Design, values, shares []float64) {
	given := slices.Clone(values[:p.width])
	for _, column := range p.asked {
		if !p.follows(column) {
			continue
		}
		f := following{p.believer, column, *p.sourcesOf(column), nil}
		if value := f.at(design, given, shares); isFinite(value) {
			values[column] = value
		}
	}
}

// slopesOfFollowing are differences of formulas along the slopes of what they follow from.
func (p predicted) slopesOfFollowing(design core.Design, values []float64, rows core.Matrix) {
	if !slices.ContainsFunc(p.asked, p.follows) {
		return
	}
	shares := p.shares(design)
	slopes := core.NewMatrix(len(shares), len(design))
	for m := range shares {
		p.shapes.beliefs[m].Slopes(design, slopes.Row(m))
	}
	beside, point := slices.Clone(design), p.space.Point(design)
	for _, j := range p.axes {
		var ends [2][]float64
		low, high := p.space[j].Value(max(0, point[j]-followingStep)), p.space[j].Value(min(1, point[j]+followingStep))
		for e, at := range []float64{low, high} {
			beside[j] = at
			moved, movedShares := slices.Clone(values), slices.Clone(shares)
			for _, column := range p.columns {
				moved[column] += rows.Row(column)[j] * (at - design[j])
			}
			for m := range movedShares {
				movedShares[m] += slopes.Row(m)[j] * (at - design[j])
			}
			p.letFollow(beside, moved, movedShares)
			ends[e] = moved
		}
		beside[j] = design[j]
		for _, column := range p.asked {
			if p.follows(column) {
				rows.Row(column)[j] = (ends[1][column] - ends[0][column]) / (high - low)
			}
		}
	}
}

const followingStep = 1e-5 // of a range, of the differences of formulas

const workingStep = 1e-4 // of a range, of the differences of the probability that the solver works

func (p predicted) slopesOfWorking(design core.Design, into []float64) {
	if p.works == nil {
		return
	}
	beside := slices.Clone(design)
	point := p.space.Point(design)
	for _, j := range p.axes {
		low, high := p.space[j].Value(max(0, point[j]-workingStep)), p.space[j].Value(min(1, point[j]+workingStep))
		beside[j] = high
		above := p.working(beside)
		beside[j] = low
		into[j] = (above - p.working(beside)) / (high - low)
		beside[j] = design[j]
	}
}
