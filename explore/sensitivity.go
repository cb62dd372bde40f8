package explore

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core"
	"ropebench/core/sensitivity"
	"ropebench/core/surrogate"
	"ropebench/result"
)

// Sensitivity says which inputs matter for a value: shares of its variance on the surrogate, and correlations.
func (x *Explorer) Sensitivity(ctx context.Context, name string) (result.Sensitivity, error) {
	f := x.fitOf(name)
	f.mutex.Lock()
	known := f.matters
	f.mutex.Unlock()
	if known != nil {
		return *known, nil
	}
	found, err := x.findSensitivity(ctx, name)
	if err == nil {
		f.mutex.Lock()
		f.matters = &found
		f.mutex.Unlock()
	}
	return found, err
}

func (x *Explorer) findSensitivity(ctx context.Context, name string) (result.Sensitivity, error) {
	found, err := x.Correlation(name)
	if err != nil {
		return found, err
	}
	found.By, found.Unexplained = bench.BySurrogate, nil
	surface, _, err := x.Surface(ctx, name)
	switch {
	case ctx.Err() != nil:
		return found, ctx.Err()
	case errors.Is(err, surrogate.ErrConstant):
		found.Says = x.constant(name)
		return found, nil
	case err != nil:
		found.Says = "not predicted: " + err.Error()
		x.rank(&found, func(i result.Influence) float64 { return absolute(i.Rank) })
		return found, nil
	}
	indices, err := sensitivity.OnSurface(ctx, x.Problem.Space, surface, surface.Q2, x.Seed)
	if err != nil && !errors.Is(err, sensitivity.ErrNoVariance) {
		return found, err
	}
	q2, unexplained := surface.Q2, 1-min(1, max(0, surface.Q2))
	found.Q2, found.Q2Limits, found.Unexplained = &q2, &result.Limits{surface.From, surface.To}, &unexplained
	found.Surrogate, found.Noise, found.Unpredictable = surface.Method, surface.Noise, q2 < surrogate.Unpredictable
	if err == nil {
		x.enterIndices(&found, indices)
	}
	x.rank(&found, func(i result.Influence) float64 { return absolute(i.Total) })
	found.Says = x.summary(name, found)
	return found, nil
}

// Indices says which inputs matter by indices that were taken on the solver itself.
func (x *Explorer) Indices(name string, indices sensitivity.Indices, err error, base int) result.Sensitivity {
	found := result.Sensitivity{By: bench.BySobolIndices, Inputs: map[string]result.Influence{}, Ranking: []string{}, Used: indices.Used * (len(x.Problem.Space) + 2), Lost: (base - indices.Used) * (len(x.Problem.Space) + 2)}
	if err != nil {
		found.Says = err.Error()
		return found
	}
	x.enterIndices(&found, indices)
	x.rank(&found, func(i result.Influence) float64 { return absolute(i.Total) })
	found.Says = x.summary(name, found)
	return found
}

func (x *Explorer) enterIndices(found *result.Sensitivity, indices sensitivity.Indices) {
	for j, in := range x.Problem.Space {
		i := found.Inputs[in.Name]
		first, total := shareOfVariance(indices.First[j]), shareOfVariance(indices.Total[j])
		first.Value, first.From, first.To = min(first.Value, total.Value), min(first.From, total.From), min(first.To, total.To)
		i.First, i.FirstLimits = number(first)
		i.Total, i.TotalLimits = number(total)
		found.Inputs[in.Name] = i
	}
}

// shareOfVariance is an estimate within what such a share can be; by chance it is told to be less than nothing, or what an input does alone to be more than
// what it does with others.
func shareOfVariance(e sensitivity.Estimate) sensitivity.Estimate {
	inside := func(v float64) float64 {
		if math.IsInf(v, 0) || math.IsNaN(v) {
			return v
		}
		return min(1, max(0, v))
	}
	return sensitivity.Estimate{Value: inside(e.Value), From: inside(e.From), To: inside(e.To)}
}

// number is an estimate as it is shown; limits that are not finite are left out.
func number(e sensitivity.Estimate) (*float64, *result.Limits) {
	if math.IsInf(e.From, 0) || math.IsInf(e.To, 0) || math.IsNaN(e.From) || math.IsNaN(e.To) {
		return &e.Value, nil
	}
	return &e.Value, &result.Limits{e.From, e.To}
}

func absolute(v *float64) float64 {
	if v == nil {
		return 0
	}
	return math.Abs(*v)
}

// rank orders the inputs by what they do, those of the same by the order of the space.
func (x *Explorer) rank(found *result.Sensitivity, by func(result.Influence) float64) {
	found.Ranking = []string{}
	for _, in := range x.Problem.Space {
		found.Ranking = append(found.Ranking, in.Name)
	}
	slices.SortStableFunc(found.Ranking, func(a, b string) int { return cmp.Compare(by(found.Inputs[b]), by(found.Inputs[a])) })
}

// Correlation says how a value goes with each input, by correlations and a standardized regression.
func (x *Explorer) Correlation(name string) (result.Sensitivity, error) {
	found := result.Sensitivity{By: bench.ByCorrelation, Inputs: map[string]result.Influence{}, Ranking: []string{}}
	rows, designs, y, err := x.usable(name)
	if err != nil {
		return found, err
	}
	found.Used = len(rows)
	if len(y) < 4 {
		found.Says = fmt.Sprintf("a correlation needs at least 4 usable evaluations, and there are %d", len(y))
		return found, nil
	}
	if slices.Min(y) == slices.Max(y) {
		found.Says = x.constant(name)
		return found, nil
	}
	y = modest(y)
	all := sensitivity.Correlate(x.Problem.Space, designs, y)
	regression, regressed := sensitivity.Regress(x.Problem.Space, designs, y)
	for j, in := range x.Problem.Space {
		var i result.Influence
		i.Linear, i.LinearLimits = number(all[j].Linear)
		i.Rank, i.RankLimits = number(all[j].Rank)
		if regressed {
			i.Regression, i.RegressionLimits = number(regression.Coefficients[j])
		}
		found.Inputs[in.Name] = i
	}
	x.rank(&found, func(i result.Influence) float64 { return absolute(i.Rank) })
	best := found.Ranking[0]
	found.Says = fmt.Sprintf("%s goes with it most: rank correlation %s", best, plain.Show(*found.Inputs[best].Rank))
	if regressed {
		left := 1 - regression.R2
		found.Unexplained = &left
		found.Says += fmt.Sprintf("; straight lines in all inputs explain %s of its variance", percent(regression.R2))
	}
	return found, nil
}

// modest numbers have squares that are numbers, too: what does not depend on the unit of a value is the same of them.
func modest(y []float64) []float64 {
	most := 0.0
	for _, v := range y {
		most = max(most, math.Abs(v))
	}
	if most < 1e100 {
		return y
	}
	_, exponent := math.Frexp(most)
	smaller := make([]float64, len(y))
	for i, v := range y {
		smaller[i] = math.Ldexp(v, -exponent)
	}
	return smaller
}

// Effects says which inputs matter by elementary effects.
func (x *Explorer) Effects(name string, effects []sensitivity.Effects) result.Sensitivity {
	found := result.Sensitivity{By: bench.ByElementaryEffects, Inputs: map[string]result.Influence{}}
	for j, in := range x.Problem.Space {
		e := effects[j]
		found.Used += e.Used
		if e.Used == 0 {
			continue
		}
		i := result.Influence{Mean: &e.Mean, Spread: &e.Spread}
		i.Absolute, i.AbsoluteLimits = number(e.Absolute)
		found.Inputs[in.Name] = i
	}
	x.rank(&found, func(i result.Influence) float64 { return absolute(i.Absolute) })
	best := found.Ranking[0]
	if i := found.Inputs[best]; i.Absolute != nil && *i.Absolute > 0 {
		found.Says = fmt.Sprintf("over its whole range %s moves it by %s on average", best, plain.With(*i.Absolute, x.unit(name)))
		if *i.Spread > *i.Absolute/2 {
			found.Says += ", more in some places than in others"
		}
	} else if found.Used > 0 {
		found.Says = "it is the same everywhere that was looked: no input moves it"
	} else {
		found.Says = noValues
	}
	return found
}

// Slopes says what each input does about a design: slopes by name, over the whole range.
func (x *Explorer) Slopes(name string, slopes map[string]float64, exact bool) result.Sensitivity {
	found := result.Sensitivity{By: bench.ByGradient, Inputs: map[string]result.Influence{}, Used: 1}
	for input, slope := range slopes {
		found.Inputs[input] = result.Influence{Slope: &slope, Exact: exact}
	}
	x.rank(&found, func(i result.Influence) float64 { return absolute(i.Slope) })
	best := found.Ranking[0]
	if slope := found.Inputs[best].Slope; slope != nil && *slope != 0 {
		found.Says = fmt.Sprintf("one tenth of the range of %s moves it by %s", best, plain.With(*slope/10, x.unit(name)))
	} else {
		found.Says = "no input moves it about this design"
	}
	return found
}

func (x *Explorer) unit(name string) string { return x.Model.Columns[x.Model.Column(name)].Unit }

func (x *Explorer) constant(name string) string {
	_, _, y, err := x.usable(name)
	if err != nil || len(y) == 0 {
		return noValues
	}
	return "it is " + plain.With(y[0], x.unit(name)) + " everywhere: no input moves it"
}

func percent(share float64) string {
	switch share = min(1, max(0, share)); {
	case share > 0 && share < 0.01:
		return "less than 1 %"
	case share > 0.99 && share < 1:
		return "more than 99 %"
	}
	return fmt.Sprintf("%.0f %%", 100*share)
}

// mattersFrom is the share of the variance from which on an input is named.
const mattersFrom = 0.05

// summary names the inputs that matter, and says how far that is to be believed.
func (x *Explorer) summary(name string, found result.Sensitivity) string {
	if found.Unpredictable {
		return fmt.Sprintf("unpredictable: Q² is %s, so that nothing is known of what moves it", plain.Show(round(*found.Q2)))
	}
	var named []string
	for _, input := range found.Ranking {
		if i := found.Inputs[input]; i.Total != nil && *i.Total >= mattersFrom && len(named) < 4 {
			named = append(named, fmt.Sprintf("%s %s", input, percent(*i.Total)))
		}
	}
	says := "moved by " + strings.Join(named, ", ")
	if named == nil {
		says = "moved by all inputs a little"
	}
	if found.Q2 != nil && *found.Q2 < Good {
		says += fmt.Sprintf("; %s of its variance is not predicted", percent(1-*found.Q2))
	}
	return says
}

func round(v float64) float64 { return math.Round(v*100) / 100 }

// idleBelow is the upper limit of the share of the variance below which an input does not matter.
const idleBelow = 0.05

// idle lists the inputs that matter for none of the values, as far as is known: the limits of their shares are small everywhere.
func idle(inputs []string, all map[string]result.Sensitivity) []string {
	idle := []string{}
	for _, input := range inputs {
		known, matters := false, false
		for _, s := range all {
			i := s.Inputs[input]
			switch {
			case i.Total == nil && s.By == bench.BySurrogate && s.Q2 == nil && len(s.Inputs) == 0:
				continue // it has the same value everywhere, or none
			case i.TotalLimits == nil:
				matters = true // that is not known
			default:
				known = true
				matters = matters || i.TotalLimits[1] >= idleBelow
			}
		}
		if known && !matters {
			idle = append(idle, input)
		}
	}
	return idle
}

// unseen names words that no usable evaluation has.
func (x *Explorer) unseen(designs []core.Design) []string {
	var remarks []string
	for j, in := range x.Problem.Space {
		if in.Values == nil || len(designs) < len(in.Values) {
			continue
		}
		seen := map[float64]bool{}
		for _, design := range designs {
			seen[design[j]] = true
		}
		input, _ := x.Model.Bench.Input(in.Name)
		for _, value := range in.Values {
			if !seen[value] {
				remarks = append(remarks, fmt.Sprintf("No usable evaluation has %s at %s: nothing is known there.", in.Name, input.ValueOf(value).Show(input.Unit)))
			}
		}
	}
	return remarks
}

// together names inputs that cannot be told apart, and noise that repeated designs show.
func (x *Explorer) together(designs []core.Design) []string {
	var remarks []string
	if len(designs) < 4 {
		return nil
	}
	for _, pair := range sensitivity.Collinear(x.Problem.Space, designs) {
		remarks = append(remarks, fmt.Sprintf("%s and %s move together in these designs: what one does cannot be told from what the other does.", x.Problem.Space[pair[0]].Name, x.Problem.Space[pair[1]].Name))
	}
	for _, name := range x.ValueNames() {
		_, designs, y, err := x.usable(name)
		if err != nil {
			continue
		}
		if deviation, repeated := surrogate.RepeatedNoise(designs, y); deviation > 0 {
			remarks = append(remarks, fmt.Sprintf("%s differs by %s (standard deviation) between evaluations of the same design, of which there are %d: that much is noise.", name, plain.With(deviation, x.unit(name)), repeated))
		}
	}
	return remarks
}
