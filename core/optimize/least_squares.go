package optimize

import (
	"context"
	"errors"
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"

	"ropebench/core"
)

// LevenbergMarquardt makes a sum of squares least: Gauss's and Newton's curvature in a trust region (J. J. More, Lecture Notes in
// Mathematics 630 (1978)), with bounds and constraints as SQP has them. The problem must have targets.
func LevenbergMarquardt(ctx context.Context, p Problem, e core.Evaluator, o Options, watch Observer) (Result, error) {
	if len(p.Objectives) > 0 || len(p.Targets) == 0 {
		return Result{}, errors.New("levenberg-marquardt needs targets: approach some, or calibrate; sqp is for an objective")
	}
	return SQP(ctx, p, e, o, watch)
}

// A Fit says how well inputs are known that were fitted to targets.
type Fit struct {
	Residual     float64     // the sum of weight times squared distance
	Freedom      int         // targets less inputs that are free
	Errors       []float64   // standard errors of the inputs, in their units; NaN for one that is not free: at an end of its range, idle, stepped or a list
	Idle         []bool      // inputs that move none of the targets
	Correlations [][]float64 // of the errors
}

// errFewTargets says that errors cannot be told.
var errFewTargets = errors.New("there are no more targets than inputs: how well they are known cannot be told")

// FitOf tells how well the inputs of a design are known, from the derivatives of the values that were to come near to targets, taken as
// planes there (G. A. F. Seber and C. J. Wild, Nonlinear Regression (1989), chapter 5). values and derivatives have a row for each value of
// the outcome; atEnd says which inputs stand at an end of their range, which are taken as known. The weights stand for inverse variances
// but for a common factor.
func FitOf(goal core.Goal, values []float64, derivatives core.Derivatives, atEnd []bool) (Fit, error) {
	fit := Fit{Residual: goal.Least(values), Errors: make([]float64, len(atEnd)), Idle: make([]bool, len(atEnd)), Correlations: square(len(atEnd))}
	var free []int
	for j, end := range atEnd {
		fit.Idle[j] = !end && !slices.ContainsFunc(goal.Targets, func(t core.Target) bool { return t.Weight != 0 && derivatives.Row(t.Value)[j] != 0 })
		if !end && !fit.Idle[j] {
			free = append(free, j)
		}
	}
	fit.Freedom = len(goal.Targets) - len(free)
	for j := range fit.Errors {
		fit.Errors[j] = math.NaN()
	}
	if fit.Freedom < 1 {
		return fit, errFewTargets
	}
	if len(free) == 0 {
		return fit, nil
	}
	// columns are scaled to one length, or inputs of different sizes spoil the inverse
	lengths := make([]float64, len(free))
	slopes := mat.NewDense(len(goal.Targets), len(free), nil)
	for a, j := range free {
		for i, t := range goal.Targets {
			slope := math.Sqrt(t.Weight) * derivatives.Row(t.Value)[j]
			slopes.Set(i, a, slope)
			lengths[a] = math.Hypot(lengths[a], slope)
		}
		for i := range goal.Targets {
			slopes.Set(i, a, slopes.At(i, a)/lengths[a])
		}
	}
	var qr mat.QR
	qr.Factorize(slopes)
	var r mat.Dense
	qr.RTo(&r)
	var inverse mat.Dense
	if err := inverse.Inverse(r.Slice(0, len(free), 0, len(free))); err != nil {
		return fit, errors.New("some inputs can be changed together without a change of the targets: they are not known one by one; hold one of them")
	}
	var covariance mat.Dense
	covariance.Mul(&inverse, inverse.T())
	variance := fit.Residual / float64(fit.Freedom)
	for a, j := range free {
		fit.Errors[j] = math.Sqrt(variance*covariance.At(a, a)) / lengths[a]
		for b, k := range free {
			fit.Correlations[j][k] = covariance.At(a, b) / math.Sqrt(covariance.At(a, a)*covariance.At(b, b))
		}
	}
	return fit, nil
}

// Fitted tells how well the inputs of the best design of a result are known, from its exact derivatives or from those of the search.
func Fitted(ctx context.Context, p Problem, e core.Evaluator, r Result) (Fit, error) {
	s := newSearch(p, e, Options{Budget: math.MaxInt}, nil, 0)
	l := s.landscape(p, Options{})
	unknown := Fit{Residual: p.Least(r.Best.Outcome.Values), Freedom: max(0, len(p.Targets)-len(p.Space)), Errors: make([]float64, len(p.Space)), Idle: make([]bool, len(p.Space)), Correlations: square(len(p.Space))}
	for j := range unknown.Errors {
		unknown.Errors[j] = math.NaN()
	}
	if len(l.axes) == 0 {
		return unknown, errors.New("every input is stepped or a list: slopes tell no errors of such inputs; see how much worse the next best designs are")
	}
	here := l.placed(trial{point: p.Space.Point(r.Best.Design), design: r.Best.Design, rank: r.Best.Rank, outcome: r.Best.Outcome})
	known, err := l.slopesAt(ctx, &here, r.end)
	switch {
	case err != nil:
		return unknown, err
	case !known || here.targets == nil:
		return unknown, errors.New("the slopes at the best design are not known, so that its errors are not: search with sqp or levenberg-marquardt")
	}
	derivatives := core.NewMatrix(len(r.Best.Outcome.Values), len(p.Space))
	atEnd := make([]bool, len(p.Space))
	for j := range atEnd {
		atEnd[j] = true
	}
	for a, j := range l.axes {
		atEnd[j] = here.point[j] <= 0 || here.point[j] >= 1
		for i, t := range p.Targets {
			derivatives.Row(t.Value)[j] = here.targets[i][a] / p.Space[j].Slope(here.point[j])
		}
	}
	return FitOf(p.Goal, r.Best.Outcome.Values, &derivatives, atEnd)
}
