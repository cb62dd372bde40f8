package study

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/formula"
	"ropebench/core/optimize"
	"ropebench/model"
	"ropebench/result"
)

var calibrateKind = kind{name: "calibrate", best: chosen, prepare: prepareCalibrate, budget: budgetOfSearch, run: calibrate, moves: inputsOfConditions}

func prepareCalibrate(a *Asked) error {
	for _, name := range inputsOfConditions(a) {
		if slices.Contains(a.varies, name) {
			return fmt.Errorf("study %s: with sets %s, which the study varies: hold it, or leave it out of vary", a.Study.Name, name)
		}
	}
	return prepareSearch(a)
}

func (a *Asked) matches() bench.Matches { return a.Study.Settings.(*bench.Calibrate).Match }

// inputsOfConditions are the inputs that were held otherwise while something was measured.
func inputsOfConditions(a *Asked) []string {
	var names []string
	for _, m := range a.matches() {
		for _, name := range slices.Sorted(maps.Keys(m.With)) {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

// matched are the formulas of all points that are matched.
func matched(settings bench.Settings) (all []formula.Expression, err error) {
	calibrate, is := settings.(*bench.Calibrate)
	if !is {
		return nil, nil
	}
	for _, m := range calibrate.Match {
		for _, text := range formulasOf(m) {
			expression, err := formula.Parse(text)
			if err != nil {
				return nil, fmt.Errorf("match of %s: %w", m.Curve, err)
			}
			all = append(all, expression)
		}
	}
	return all, nil
}

// formulasOf are the formulas that a match compares: of a curve one for each point, which outside of the curve gives what was
// measured, so that it counts for nothing.
func formulasOf(m *bench.Match) []string {
	if m.Curve == "" {
		return []string{m.Of.Text}
	}
	texts := make([]string, len(m.Points.Y))
	for i, y := range m.Points.Y {
		texts[i] = fmt.Sprintf("at(%s, %s, %s)", m.Curve, inBrackets(xOf(m, i)), inBrackets(y))
	}
	return texts
}

// xOf is where a point was measured: by its number where the file says nothing.
func xOf(m *bench.Match, i int) float64 {
	if m.Points.X == nil {
		return float64(i)
	}
	return m.Points.X[i]
}

// inBrackets writes a number as a formula has it.
func inBrackets(number float64) string {
	if text := plain.Exact(number); number >= 0 {
		return text
	}
	return "(" + plain.Exact(number) + ")"
}

func measuredOf(m *bench.Match) []float64 {
	if m.Curve == "" {
		return []float64{m.To.Number}
	}
	return m.Points.Y
}

// A fitting is a calibration on its way.
type fitting struct {
	hunt
	columns    int
	conditions []map[string]bench.Value
	of         []int // condition of each match
}

// calibrate fits inputs to measurements.
func calibrate(ctx context.Context, s *session) (string, error) {
	f := fitting{hunt: hunt{session: s, seed: s.Study.Seed}, columns: len(s.Model.Columns)}
	f.sort()
	var under []model.Problem
	for _, with := range f.conditions {
		under = append(under, s.Model.Problem(s.Study, s.varies, s.Model.Design(with)))
	}
	f.problem = under[0]
	for i, m := range s.matches() {
		for k, text := range formulasOf(m) {
			f.problem.Targets = append(f.problem.Targets, core.Target{Value: f.of[i]*f.columns + s.Model.Column(text), To: measuredOf(m)[k], Weight: m.Weight})
		}
	}
	f.evaluator = join(s.evaluator, under, f.columns)
	f.start = s.startOf(f.problem)
	asked := *s.Asked
	if asked.Study.Budget.Evaluations /= len(under); asked.Study.Budget.Evaluations > 1 {
		asked.Study.Budget.Evaluations-- // the start, which is evaluated before
	}
	own := *s
	own.Asked = &asked
	own.aside = nil // it answers one design, not all conditions of one
	f.session = &own
	before, err := f.evaluator.Evaluate(ctx, []core.Design{f.start})
	if err != nil {
		return "", err
	}
	if before[0].State == core.OK {
		curves, err := f.curvesAt(ctx, f.start)
		if err == nil {
			err = f.reachesPoints(curves, "where the search is to begin")
		}
		if err != nil {
			return "", err
		}
	}
	found, err := f.repeated(ctx)
	if err != nil {
		return "", err
	}
	if err := f.settled(ctx, found); err != nil {
		return "", err
	}
	return found.Reason, f.fitted(ctx, found, before[0].Values)
}

// reachesPoints returns an error where all points of a match lie outside of the curve of a design: nothing would be fitted to them, and the sum of squares
// would be least for that.
func (f *fitting) reachesPoints(curves [][]curve.Curve, which string) error {
	for i, m := range f.matches() {
		if m.Curve == "" {
			continue
		}
		of := curves[f.of[i]][f.Model.Curve(m.Curve)]
		reached := false
		for k := range m.Points.Y {
			reached = reached || of.Reaches(xOf(m, k))
		}
		if reached {
			continue
		}
		return fmt.Errorf("none of the %s of %s lies on the curve %s of the design %s, which runs from %s to %s: see that both have the same x in the same unit", plain.Count(len(m.Points.Y), "point"), m.To.File, m.Curve, which, plain.Show(slices.Min(of.X)), plain.Show(slices.Max(of.X)))
	}
	return nil
}

// sort finds the conditions under which something was measured: those of the first match come first.
func (f *fitting) sort() {
	for _, m := range f.matches() {
		at := slices.IndexFunc(f.conditions, func(with map[string]bench.Value) bool { return maps.Equal(with, m.With) })
		if at < 0 {
			at = len(f.conditions)
			f.conditions = append(f.conditions, m.With)
		}
		f.of = append(f.of, at)
	}
}

// fitted enters how well the model agrees with what was measured.
func (f *fitting) fitted(ctx context.Context, found optimize.Result, before []float64) error {
	best := found.Best
	if best.Outcome.Values == nil {
		return nil
	}
	fit, unknown := optimize.Fitted(ctx, f.problem.Problem, f.evaluator, found)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	part := &result.Calibration{Residual: fit.Residual, Errors: map[string]float64{}, Correlations: map[string]map[string]float64{}, Freedom: fit.Freedom}
	for j, in := range f.problem.Space {
		if !math.IsNaN(fit.Errors[j]) {
			part.Errors[in.Name] = fit.Errors[j]
		}
	}
	part.Says = f.saysOf(fit, unknown, best.Design, part)
	curves, err := f.curvesAt(ctx, best.Design)
	if err != nil {
		return err
	}
	if err := f.reachesPoints(curves, "that was found"); err != nil {
		return err
	}
	at := 0
	for i, m := range f.matches() {
		one := result.Matched{Of: m.Curve, File: m.To.File, With: m.With, X: m.Points.X, Measured: measuredOf(m)}
		if m.Curve == "" {
			one.Of, one.X = m.Of.Text, nil
		}
		squares, inside := 0.0, 0
		for k := range formulasOf(m) {
			t := f.problem.Targets[at]
			at++
			value := best.Outcome.Values[t.Value]
			one.After = append(one.After, value)
			if before != nil {
				one.Before = append(one.Before, before[t.Value])
			}
			if m.Curve != "" && !curves[f.of[i]][f.Model.Curve(m.Curve)].Reaches(xOf(m, k)) {
				one.Outside++
				continue
			}
			squares += (value - t.To) * (value - t.To)
			inside++
		}
		one.RMS = math.Sqrt(squares / float64(max(1, inside)))
		if one.Outside > 0 {
			part.Says = append(part.Says, fmt.Sprintf("%d of %d points of %s lie outside of the curve of the model: they count for nothing", one.Outside, len(one.Measured), f.matches()[i].To.File))
		}
		part.Matches = append(part.Matches, one)
	}
	objective := fit.Residual
	f.enter(func(p *result.Parts) { p.Fit = part })
	f.choose(best.Outcome.Number, f.problem.Whole(best.Design), best.Outcome.Values[:f.columns], &objective)
	return nil
}

// curvesAt are those of a design under every condition. It was evaluated under all of them.
func (f *fitting) curvesAt(ctx context.Context, design core.Design) ([][]curve.Curve, error) {
	var wholes []core.Design
	for _, with := range f.conditions {
		wholes = append(wholes, f.Model.Problem(f.Study, f.varies, f.Model.Design(with)).Whole(design))
	}
	outcomes, err := f.session.evaluator.Evaluate(ctx, wholes)
	if err != nil {
		return nil, err
	}
	var all [][]curve.Curve
	for _, outcome := range outcomes {
		record, err := f.record(outcome.Number)
		if err != nil {
			return nil, err
		}
		all = append(all, record.Curves)
	}
	return all, nil
}

// closeTies is the correlation from which on two inputs are hardly known one by one.
const closeTies = 0.95

// saysOf tells how well inputs are known.
func (f *fitting) saysOf(fit optimize.Fit, unknown error, design core.Design, part *result.Calibration) []string {
	if unknown != nil {
		return []string{unknown.Error()}
	}
	says, known := []string{}, []string(nil)
	for j, in := range f.problem.Space {
		unit := f.Model.Bench.Unit(in.Name)
		switch {
		case fit.Idle[j]:
			says = append(says, fmt.Sprintf("%s moves none of what was matched: the measurements say nothing of it; hold it", in.Name))
			continue
		case math.IsNaN(fit.Errors[j]) && in.Levels() > 0:
			says = append(says, fmt.Sprintf("%s is stepped or a list: slopes tell no error of it", in.Name))
			continue
		case math.IsNaN(fit.Errors[j]):
			says = append(says, fmt.Sprintf("%s stands at an end of its range, so that its error is not known: widen the range", in.Name))
			continue
		}
		known = append(known, fmt.Sprintf("%s = %s ± %s", in.Name, plain.Show(design[j]), plain.With(fit.Errors[j], unit)))
		for k, other := range f.problem.Space {
			if math.IsNaN(fit.Errors[k]) || k == j {
				continue
			}
			if part.Correlations[in.Name] == nil {
				part.Correlations[in.Name] = map[string]float64{}
			}
			part.Correlations[in.Name][other.Name] = fit.Correlations[j][k]
			if k > j && math.Abs(fit.Correlations[j][k]) >= closeTies {
				says = append(says, fmt.Sprintf("the errors of %s and %s go together (correlation %.3f): the measurements hardly tell them apart", in.Name, other.Name, fit.Correlations[j][k]))
			}
		}
	}
	if known == nil {
		return says
	}
	return append([]string{strings.Join(known, ", ") + " (standard errors)"}, says...)
}
