package optimize

import (
	"context"
	"fmt"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
	"ropebench/core/budget"
)

// Seek looks for the design nearest to the start that reaches the centres of all constraints: Newton's method, with what is left
// of freedom spent on the least change (G. H. Golub and C. F. Van Loan, Matrix Computations (1996), chapter 5, at every step), and
// with a trust region in place of a line search. Where slopes are differences they are carried on by C. G. Broyden's formula
// (Mathematics of Computation 19 (1965)) for as long as that serves. With more constraints than inputs the sum of squares is made
// least.
func Seek(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if err := o.check(p); err != nil {
		return Result{}, err
	}
	o.beyond = true
	s := newSearch(p, e, o, watch, 0)
	l := s.landscape(Problem{Space: p.Space, Goal: core.Goal{Constraints: p.Constraints}, Ahead: p.Ahead}, o)
	if equations(p.Constraints) > len(l.axes) {
		result, err := p.seekLeast(ctx, e, o, watch)
		return result.ofSeeking(), err
	}
	start := l.begin()
	l.home = l.along(start)
	l.functions = append([]function{{column: fromAfar, sign: 1, decided: true}}, l.functions...)
	end, err := l.descend(ctx, start, nil)
	if err == nil && !end.rank.Kept() && s.Used() < o.Budget {
		end, err = l.seekElsewhere(ctx, p, o, end)
	}
	if err == nil {
		err = l.reached(end)
	}
	result, err := s.result(err)
	if end.values != nil && end.slopes != nil {
		result.Freedom = len(l.axes) - l.rank(end)
	}
	if end.values != nil && (end.rank.Kept() || !result.Best.Rank.Kept()) {
		result.Best = budget.Answer{Design: end.design, Outcome: end.outcome, Rank: end.rank} // the nearest, not the first
	}
	return result.ofSeeking(), err
}

// ofSeeking says of a search for targets that it has not reached them.
func (r Result) ofSeeking() Result {
	if r.Best.Design != nil && !r.Best.Rank.Kept() && r.Cause != budget.Stuck {
		r.Reason = "no design that reaches all targets was found: " + r.Reason
	}
	return r
}

// seekElsewhere goes on where no small change of a design brings it nearer to the targets: from other starts and with all inputs, until they are reached; and
// from there as near to the start as they stay so.
func (l *landscape) seekElsewhere(ctx context.Context, p Problem, o Options, from ending) (ending, error) {
	l.watch("no small change brings the design nearer to all targets: other starts are tried")
	more := o
	more.Start, more.Then, more.Learned = nil, nil, nil
	more.Budget -= l.Used()
	found, err := p.seekLeast(ctx, l.Within(), more, l.watch)
	if err != nil || found.Best.Outcome.Values == nil || !found.Best.Rank.Better(from.rank) {
		return from, err
	}
	there := l.placed(trial{point: l.space.Point(found.Best.Design), design: found.Best.Design, rank: found.Best.Rank, outcome: found.Best.Outcome})
	if !there.rank.Kept() || l.Used() >= o.Budget {
		return ending{place: there, iterations: from.iterations}, nil
	}
	l.given = append(l.given, there.trial)
	nearest, err := l.descend(ctx, there.point, nil)
	if !nearest.rank.Kept() {
		return ending{place: there, iterations: from.iterations}, err
	}
	return nearest, err
}

// seekLeast makes the sum of squares least where there are more equations than inputs.
func (p Problem) seekLeast(ctx context.Context, e core.Evaluator, o Options, watch Observer) (Result, error) {
	o.enough = 1 // then each is within what is allowed of it
	result, err := Auto(ctx, p.asTargets(), e, o, watch)
	if err != nil || result.Best.Outcome.Values == nil {
		return result, err
	}
	result.end, result.Easings = nil, nil // they are of the sum of squares, not of what it is made of
	result.Best.Rank = budget.NewOrder(p.Goal).Rank(result.Best.Outcome)
	if !result.Best.Rank.Kept() && result.Cause == budget.Converged && equations(p.Constraints) > len(p.Space) {
		result.Reason = fmt.Sprintf("%d targets are more than the %d inputs that move can reach; they are missed as little as can be, in the least squares", equations(p.Constraints), len(p.Space))
	}
	return result, nil
}

func equations(constraints []core.Constraint) int {
	count := 0
	for _, c := range constraints {
		if c.Equal {
			count++
		}
	}
	return count
}

// asTargets makes targets of the equations, each in units of what is allowed.
func (p Problem) asTargets() Problem {
	all := p.Constraints
	p.Goal = core.Goal{Constraints: slices.DeleteFunc(slices.Clone(p.Constraints), func(c core.Constraint) bool { return c.Equal })}
	for _, c := range all {
		if c.Equal {
			width := (c.Limit.Upper - c.Limit.Lower) / 2
			p.Targets = append(p.Targets, core.Target{Value: c.Value, To: c.Limit.Lower + width, Weight: 1 / (width * width)})
		}
	}
	return p
}

// reached says how a search for targets ended.
func (l *landscape) reached(end ending) error {
	switch {
	case end.values == nil:
		return end.reason()
	case !end.rank.Kept():
		return budget.Ended{Cause: budget.Stuck, Reason: fmt.Sprintf("no design that reaches all targets was found in %s, from several starts: they may contradict each other or lie out of reach; free more inputs, widen a range, or give more evaluations", countOf(l.Used(), "evaluation"))}
	}
	return budget.Ended{Cause: budget.Converged, Reason: fmt.Sprintf("all targets are reached after %d steps", end.iterations)}
}

// rank is how many of the equations are independent at a place.
func (l *landscape) rank(p ending) int {
	var rows [][]float64
	for i, f := range l.constraints() {
		if f.equal && largest(p.slopes[l.objectives()+i]) > 0 {
			row := slices.Clone(p.slopes[l.objectives()+i])
			size := largest(row)
			for a := range row {
				row[a] /= size
			}
			rows = append(rows, row)
		}
	}
	if len(rows) == 0 {
		return 0
	}
	matrix := mat.NewDense(len(rows), len(l.axes), nil)
	for r, row := range rows {
		matrix.SetRow(r, row)
	}
	var svd mat.SVD
	if !svd.Factorize(matrix, mat.SVDNone) {
		return len(rows)
	}
	return svd.Rank(smallSingular)
}

const goodEnough = 0.5 // of the fall that was believed in, from which on slopes are carried on

// follow gives the place its slopes after a step: by Broyden's formula while a search for targets goes well without derivatives.
func (d *descent) follow(ctx context.Context, before place) error {
	if d.home == nil || d.Differentiates() || d.ratio < goodEnough {
		d.stale = false
		return d.differentiate(ctx, &d.here)
	}
	d.carryOn(before)
	return nil
}

// carryOn gives the place after a step the slopes of the place before it, corrected by what the step has shown: C. G. Broyden's formula.
func (d *descent) carryOn(before place) {
	_, d.here.slopes = d.look(d.here.point, true)
	move := minus(d.along(d.here.point), d.along(before.point))
	for _, k := range d.asked() {
		f, columns := d.functions[k], before.targets
		if f.column != noColumn {
			columns = [][]float64{scaled(before.slopes[k], f.sign)}
		}
		var carried [][]float64
		for i, column := range d.columnsOf(f) {
			gap := d.here.outcome.Values[column] - before.outcome.Values[column] - dot(columns[i], move)
			carried = append(carried, plus(columns[i], move, gap/dot(move, move)))
		}
		d.here.slopes[k] = d.slopesOf(f, &d.here, d.here.outcome.Values, carried)
	}
	d.stale = true
}

// renew replaces slopes that were carried on.
func (d *descent) renew(ctx context.Context) error {
	d.stale = false
	return d.differentiate(ctx, &d.here)
}
