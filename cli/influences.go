package cli

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"

	"ropebench/bench/plain"
	"ropebench/result"
)

// ranking shows the inputs of one value, that which matters most first, with all numbers that the method gives.
func (v view) ranking(name string, s result.Sensitivity) {
	if len(s.Inputs) == 0 {
		return
	}
	v.line("%s: %s", name, s.Says)
	columns := influenceColumns(s)
	header, right := []any{"input"}, []int{}
	for k, column := range columns {
		header = append(header, column.head)
		right = append(right, k+2)
	}
	t := v.newTable(right, header...)
	for _, input := range s.Ranking {
		row := table.Row{input}
		for _, column := range columns {
			value, limits := column.of(s.Inputs[input])
			row = append(row, withLimits(value, limits, column.percent))
		}
		t.AppendRow(row)
	}
	t.Render()
	if s.Lost > 0 {
		v.line("%s", v.ochre(fmt.Sprintf("! %s failed, or belonged to one that did, and do not count.", plain.Count(s.Lost, "evaluation"))))
	}
	if s.Unexplained != nil {
		what := "the surrogate (" + s.Surrogate + ")"
		if s.Surrogate == "" {
			what = "the regression"
		}
		v.line("%s", v.slate(fmt.Sprintf("%s leaves %.2g %% of the variance unexplained.", what, 100**s.Unexplained)))
	}
	v.line("")
}

// bySurrogate is the method that takes its shares on a surrogate.
const bySurrogate = "surrogate"

// An influenceColumn is one number of each input.
type influenceColumn struct {
	head    string
	percent bool
	of      func(result.Influence) (*float64, *result.Limits)
}

func influenceColumns(s result.Sensitivity) []influenceColumn {
	all := []influenceColumn{
		{"alone", true, func(i result.Influence) (*float64, *result.Limits) { return i.First, i.FirstLimits }},
		{"with others", true, func(i result.Influence) (*float64, *result.Limits) { return i.Total, i.TotalLimits }},
		{"mean absolute effect", false, func(i result.Influence) (*float64, *result.Limits) { return i.Absolute, i.AbsoluteLimits }},
		{"mean effect", false, func(i result.Influence) (*float64, *result.Limits) { return i.Mean, nil }},
		{"spread", false, func(i result.Influence) (*float64, *result.Limits) { return i.Spread, nil }},
		{"over its range", false, func(i result.Influence) (*float64, *result.Limits) { return i.Slope, nil }},
		{"correlation", false, func(i result.Influence) (*float64, *result.Limits) { return i.Linear, i.LinearLimits }},
		{"of ranks", false, func(i result.Influence) (*float64, *result.Limits) { return i.Rank, i.RankLimits }},
		{"regression", false, func(i result.Influence) (*float64, *result.Limits) { return i.Regression, i.RegressionLimits }},
	}
	if s.By == bySurrogate { // which has shares of the variance
		all = slices.DeleteFunc(all, func(c influenceColumn) bool { return c.head == "correlation" || c.head == "regression" })
	}
	return slices.DeleteFunc(all, func(c influenceColumn) bool {
		for _, i := range s.Inputs {
			if value, _ := c.of(i); value != nil {
				return false
			}
		}
		return true
	})
}

// withLimits shows a number with its limits, two or three digits of each.
func withLimits(value *float64, limits *result.Limits, percent bool) string {
	if value == nil {
		return "-"
	}
	scale, unit := 1.0, ""
	if percent {
		scale, unit = 100, " %"
	}
	show := rounded
	if percent {
		show = func(v float64) string {
			if math.Abs(v) < 0.005 { // of a percent: hardly anything
				v = 0
			}
			return rounded(v)
		}
	}
	text := show(scale**value) + unit
	if limits != nil {
		text += fmt.Sprintf(" (%s to %s)", show(scale*limits[0]), show(scale*limits[1]))
	}
	return text
}

// rounded shows three digits.
func rounded(v float64) string {
	if v == 0 {
		return "0"
	}
	return strings.TrimSuffix(plain.Show(toThree(v)), ".")
}

func toThree(v float64) float64 {
	power := math.Pow10(2 - int(math.Floor(math.Log10(math.Abs(v)))))
	return math.Round(v*power) / power
}

// sensitivities shows those of a study, and how its rounds went.
func (v view) sensitivities(parts result.Parts) {
	if parts.Rounds != nil && len(parts.Rounds.Rounds) > 1 {
		for k, round := range parts.Rounds.Rounds {
			v.line("round %d, %s: %s", k+1, plain.Count(round.Points, "point"), round.Says)
		}
		v.line("")
	}
	for _, name := range v.valuesIn(parts.Sensitivity) {
		v.ranking(name, parts.Sensitivity[name])
		if s := parts.Sensitivity[name]; len(s.Inputs) == 0 {
			v.line("%s: %s\n", name, s.Says)
		}
	}
}

// valuesIn lists values in the order of the bench, then others by name.
func (v view) valuesIn(all map[string]result.Sensitivity) []string {
	var names []string
	for _, o := range v.bench.Outputs {
		if _, has := all[o.Name]; has {
			names = append(names, o.Name)
		}
	}
	for _, name := range sortedNames(all) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}
