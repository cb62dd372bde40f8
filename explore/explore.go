// Package explore says what the evaluations of a problem tell about its design space: how well each value is predicted, which inputs
// matter for it, and what stands in the way of feasible designs.
package explore

import (
	"context"
	"fmt"
	"maps"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/curve"
	"ropebench/core/space"
	"ropebench/core/surrogate"
	"ropebench/model"
	"ropebench/result"
)

// An Evaluation is one of those that are explored.
type Evaluation struct {
	Number int
	State  core.State
	Reason string
	Design core.Design // of the problem
	Values []float64   // in the columns of the model; nil where there are none
}

// A Subject is what is explored.
type Subject struct {
	Model       *model.Model
	Problem     model.Problem
	Seed        uint64
	Evaluations []Evaluation // by number
	// LeftOut has, for each value, the evaluations that do not take part in its fit, with the reason.
	LeftOut map[string]map[int]string
}

// An Explorer answers questions about a subject, and fits each surface once. It is for several goroutines.
type Explorer struct {
	Subject
	encoding surrogate.Encoding

	mutex  sync.Mutex // guards what follows
	fits   map[string]*fit
	curves map[string]*curveFit
}

// A fit is a surface of one value, made once.
type fit struct {
	mutex   sync.Mutex // guards what follows; held while it is made
	done    bool
	surface *surrogate.Surrogate
	rows    []int // of the evaluations that it is fitted to
	err     error
	matters *result.Sensitivity // which inputs matter, once that was asked
}

type curveFit struct {
	mutex  sync.Mutex // guards what follows; held while it is made
	done   bool
	curves *surrogate.Curves
	err    error
}

// New begins to explore.
func New(s Subject) *Explorer {
	return &Explorer{Subject: s, encoding: surrogate.Encode(s.Problem.Space), fits: map[string]*fit{}, curves: map[string]*curveFit{}}
}

// ErrUnknown is the answer to a value that the evaluations do not have.
type ErrUnknown string

func (e ErrUnknown) Error() string { return string(e) }

// ValueNames lists the values that can be asked about, in the order of the bench: not inputs that a requirement limits.
func (x *Explorer) ValueNames() []string {
	var names []string
	for _, i := range x.Model.ShownColumns(x.Model.Bench) {
		if _, isInput := x.Model.Bench.Input(x.Model.Columns[i].Name); !isInput {
			names = append(names, x.Model.Columns[i].Name)
		}
	}
	return names
}

// usable lists the evaluations that have a value and take part in its fit.
func (x *Explorer) usable(name string) (rows []int, designs []core.Design, y []float64, err error) {
	column := x.Model.Column(name)
	if column < 0 {
		return nil, nil, nil, ErrUnknown(fmt.Sprintf("%s is no value of this run (known: %s)", name, strings.Join(x.ValueNames(), ", ")))
	}
	for i, e := range x.Evaluations {
		if _, left := x.LeftOut[name][e.Number]; left || e.State != core.OK {
			continue
		}
		rows, designs, y = append(rows, i), append(designs, e.Design), append(y, e.Values[column])
	}
	return rows, designs, y, nil
}

// LeftOutOf lists the evaluations that do not take part in the fit of a value, by number.
func (x *Explorer) LeftOutOf(name string) []result.LeftOut {
	all := []result.LeftOut{}
	for _, number := range slices.Sorted(maps.Keys(x.LeftOut[name])) {
		all = append(all, result.LeftOut{Evaluation: number, Reason: x.LeftOut[name][number]})
	}
	return all
}

// fitOf is the fit of a value, made or not.
func (x *Explorer) fitOf(name string) *fit {
	x.mutex.Lock()
	defer x.mutex.Unlock()
	if x.fits[name] == nil {
		x.fits[name] = &fit{}
	}
	return x.fits[name]
}

// Surface is that of a value, and the evaluations that it is fitted to.
func (x *Explorer) Surface(ctx context.Context, name string) (*surrogate.Surrogate, []int, error) {
	f := x.fitOf(name)
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.done {
		return f.surface, f.rows, f.err
	}
	rows, designs, y, err := x.usable(name)
	if err != nil {
		return nil, nil, err
	}
	surface, err := surrogate.Fit(ctx, x.encoding, designs, y, surrogate.Options{Seed: x.Seed})
	if ctx.Err() != nil {
		return nil, nil, ctx.Err() // it can be asked again
	}
	f.surface, f.rows, f.err, f.done = surface, rows[:min(len(rows), surrogate.MostPoints)], err, true
	return f.surface, f.rows, f.err
}

// Curve is the surface of a vector or curve. read gives those of an evaluation by its number.
func (x *Explorer) Curve(ctx context.Context, name string, read func(number int) (curve.Curve, error)) (*surrogate.Curves, error) {
	x.mutex.Lock()
	f := x.curves[name]
	if f == nil {
		f = &curveFit{}
		x.curves[name] = f
	}
	x.mutex.Unlock()
	f.mutex.Lock()
	defer f.mutex.Unlock()
	if f.done {
		return f.curves, f.err
	}
	var designs []core.Design
	var curves []curve.Curve
	for _, e := range x.Evaluations {
		if e.State != core.OK || len(designs) == surrogate.MostPoints {
			continue
		}
		c, err := read(e.Number)
		if err != nil {
			return nil, err
		}
		designs, curves = append(designs, e.Design), append(curves, c)
	}
	if least := surrogate.Least(len(x.Problem.Space)); len(designs) < least {
		return nil, fmt.Errorf("a surrogate over %s needs at least %d usable evaluations, and there are %d: sample more", plain.Count(len(x.Problem.Space), "input"), least, len(designs))
	}
	fitted, err := surrogate.FitCurves(ctx, x.encoding, designs, curves, surrogate.Options{Seed: x.Seed})
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	f.curves, f.err, f.done = fitted, err, true
	return f.curves, f.err
}

// noValues is what is said where there is nothing to say.
const noValues = "no evaluation has values"

// barsOfHistogram is how many parts a histogram has.
const barsOfHistogram = 24

// Explore says all that the evaluations tell about some values; all of them where none is named.
func (x *Explorer) Explore(ctx context.Context, of []string) (result.Exploration, error) {
	if of == nil {
		of = x.ValueNames()
	}
	found := result.Exploration{Evaluations: len(x.Evaluations), Inputs: x.inputs(), Obstacles: x.Obstacles(), Values: make([]result.Explored, len(of)), Idle: []string{}, Remarks: x.remarks()}
	for _, e := range x.Evaluations {
		if e.State == core.OK {
			found.Usable++
			if x.Model.Feasible(e.Values) {
				found.Feasible++
			}
		}
	}
	group, groupCtx := errgroup.WithContext(ctx)
	group.SetLimit(runtime.GOMAXPROCS(0))
	for k, name := range of {
		group.Go(func() (err error) {
			found.Values[k], err = x.value(groupCtx, name)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return found, err
	}
	found.Values = slices.DeleteFunc(found.Values, func(v result.Explored) bool { return v.Name == "" })
	all := map[string]result.Sensitivity{}
	for _, v := range found.Values {
		all[v.Name] = v.Sensitivity
	}
	found.Idle = idle(found.Inputs, all)
	return found, nil
}

// inputs lists those that move, in the order of the bench.
func (x *Explorer) inputs() []string {
	var names []string
	for _, in := range x.Model.Bench.Inputs {
		if slices.ContainsFunc(x.Problem.Space, func(axis space.Input) bool { return axis.Name == in.Name }) {
			names = append(names, in.Name)
		}
	}
	return names
}

func (x *Explorer) value(ctx context.Context, name string) (result.Explored, error) {
	rows, _, y, err := x.usable(name)
	if err != nil {
		return result.Explored{}, err
	}
	v := result.Explored{Name: name, Unit: x.unit(name), Bars: make([]int, barsOfHistogram), Outliers: []result.Outlier{}, LeftOut: x.LeftOutOf(name), Advice: []string{}}
	if len(rows) == 0 {
		v.Sensitivity = result.Sensitivity{By: "surrogate", Says: noValues, Inputs: map[string]result.Influence{}, Ranking: []string{}}
		return v, nil
	}
	sorted := slices.Sorted(slices.Values(y))
	v.Least, v.Median, v.Most = sorted[0], sorted[len(sorted)/2], sorted[len(sorted)-1]
	for _, value := range y {
		v.Bars[barOf(value, v.Least, v.Most)]++
	}
	v.Sensitivity, err = x.Sensitivity(ctx, name)
	if err != nil {
		return v, err
	}
	surface, fitted, err := x.Surface(ctx, name)
	if err != nil {
		return v, ctx.Err()
	}
	column := x.Model.Column(name)
	left := 0.0 // the sum of the squares of what the surface leaves
	for i, row := range fitted {
		e := x.Evaluations[row].Values[column] - surface.Validated[i]
		left += e * e
	}
	for i, row := range fitted {
		e := x.Evaluations[row]
		alone := (e.Values[column] - surface.Validated[i]) * (e.Values[column] - surface.Validated[i])
		deviations := surface.Residuals[i]
		seen := math.Sqrt(alone) > leastOutlying*(v.Most-v.Least)
		if seen && math.Abs(deviations) > surrogate.Outlying && (surface.Q2 >= Good || alone > shareOfOutlier*left) {
			v.Outliers = append(v.Outliers, result.Outlier{Evaluation: e.Number, Value: e.Values[column], Predicted: surface.Validated[i], Deviations: deviations})
		}
	}
	slices.SortFunc(v.Outliers, func(a, b result.Outlier) int {
		if math.Abs(a.Deviations) > math.Abs(b.Deviations) {
			return -1
		}
		return 1
	})
	v.Advice = x.advice(surface, len(y))
	return v, nil
}

// barOf is the bar of a histogram that a number is in; that in the middle where all numbers are the same.
func barOf(v, least, most float64) int {
	if most == least {
		return barsOfHistogram / 2
	}
	if math.IsInf(most-least, 0) {
		v, least, most = v/2, least/2, most/2
	}
	return min(barsOfHistogram-1, int((v-least)/(most-least)*barsOfHistogram*(1-1e-12)))
}

// shareOfOutlier is how much of all that a surface leaves one evaluation must have to stand out where the surface is not good: else the surface is
// to blame.
const shareOfOutlier = 0.2

// leastOutlying is how far, in shares of the span of its value, an evaluation must be from what is predicted to be worth a look: a surface that
// is all but exact leaves less.
const leastOutlying = 1e-3

// Good is the Q² from which on a surrogate is taken for good, where nothing else is said.
const Good = 0.9

// advice says what to try where a value is not predicted well.
func (x *Explorer) advice(s *surrogate.Surrogate, n int) []string {
	advice := []string{}
	if s.Q2 >= Good {
		return advice
	}
	if n < 20*len(x.Problem.Space) {
		advice = append(advice, fmt.Sprintf("sample more: %s for %s are few", plain.Count(n, "evaluation"), plain.Count(len(x.Problem.Space), "input")))
	}
	if len(s.Active) < len(x.Problem.Space) && len(x.Problem.Space) > 3 {
		advice = append(advice, "hold the inputs that do not matter, so that the points are spread over those that do")
	}
	advice = append(advice, "narrow the ranges about the designs that matter")
	if s.Q2 >= surrogate.Unpredictable {
		advice = append(advice, "ask about a transformed value, such as its logarithm, by a derived value")
	}
	return advice
}

// remarks are on what to believe: repeated designs, inputs that move together, values that were not seen.
func (x *Explorer) remarks() []string {
	remarks := []string{}
	var designs []core.Design
	for _, e := range x.Evaluations {
		if e.State == core.OK {
			designs = append(designs, e.Design)
		}
	}
	if len(designs) > surrogate.MostPoints {
		remarks = append(remarks, fmt.Sprintf("Surrogates are fitted to the first %s of %s usable evaluations.", plain.Whole(surrogate.MostPoints), plain.Whole(len(designs))))
	}
	return append(append(remarks, x.unseen(designs)...), x.together(designs)...)
}
