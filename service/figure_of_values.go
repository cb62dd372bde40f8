package service

import (
	"math"

	"github.com/gofiber/fiber/v3"

	"ropebench/report"
	"ropebench/result"
)

func (d drawing) histogram() (report.Figure, error) {
	name, err := d.one()
	if err != nil {
		return report.Figure{}, err
	}
	axis, numbers, err := d.column(name)
	return report.Histogram(axis, numbers, d.limits(name, true)), err
}

// barsOf draws what the method gives: shares, or effects, slopes or correlations.
func barsOf(found result.Sensitivity, unit string) (report.Axis, []report.Bar) {
	measures := []struct {
		axis report.Axis
		of   func(result.Influence) (value *float64, limits *result.Limits, alone *float64)
	}{
		{report.Axis{Name: "share of the variance, alone (dark) and with others"}, func(i result.Influence) (*float64, *result.Limits, *float64) { return i.Total, i.TotalLimits, i.First }},
		{report.Axis{Name: "mean absolute effect over its range", Unit: unit}, func(i result.Influence) (*float64, *result.Limits, *float64) {
			return i.Absolute, i.AbsoluteLimits, nil
		}},
		{report.Axis{Name: "change over its range, at the rate at the design", Unit: unit}, func(i result.Influence) (*float64, *result.Limits, *float64) { return i.Slope, nil, nil }},
		{report.Axis{Name: "correlation of ranks"}, func(i result.Influence) (*float64, *result.Limits, *float64) { return i.Rank, i.RankLimits, nil }},
	}
	for _, m := range measures {
		var bars []report.Bar
		for _, input := range found.Ranking {
			value, limits, alone := m.of(found.Inputs[input])
			if value == nil {
				continue
			}
			bar := report.Bar{Input: input, Value: *value, From: math.NaN(), To: math.NaN(), Alone: math.NaN()}
			if limits != nil {
				bar.From, bar.To = limits[0], limits[1]
			}
			if alone != nil {
				bar.Alone = max(0, *alone)
			}
			bars = append(bars, bar)
		}
		if bars != nil {
			return m.axis, bars
		}
	}
	return report.Axis{}, nil
}

func (d drawing) ranking() (report.Figure, error) {
	name, err := d.one()
	if err != nil {
		return report.Figure{}, err
	}
	found, err := d.sensitivity(name)
	if err != nil {
		return report.Figure{}, err
	}
	axis, _, err := d.column(name)
	if err != nil {
		return report.Figure{}, err
	}
	measure, bars := barsOf(found, axis.Unit)
	if len(bars) == 0 {
		return report.Figure{}, problem(fiber.StatusConflict, "%s: %s", name, found.Says)
	}
	unexplained := math.NaN()
	if found.Q2 != nil && found.Unexplained != nil {
		unexplained = *found.Unexplained
	}
	return report.Ranking(axis, measure, bars, unexplained), nil
}

func (d drawing) overview() (report.Figure, error) {
	names := d.of
	if names == nil {
		names = d.x.ValueNames()
	}
	found, err := d.x.Explore(d.s.life, names)
	if err != nil {
		return report.Figure{}, asked(err)
	}
	shares := make([][]float64, len(found.Inputs))
	var values []string
	var unexplained []float64
	for _, v := range found.Values {
		if v.Sensitivity.Q2 == nil {
			continue
		}
		values = append(values, v.Name)
		unexplained = append(unexplained, *v.Sensitivity.Unexplained)
		for i, input := range found.Inputs {
			share := math.NaN()
			if total := v.Sensitivity.Inputs[input].Total; total != nil && !v.Sensitivity.Unpredictable {
				share = *total
			}
			shares[i] = append(shares[i], share)
		}
	}
	if len(values) == 0 {
		return report.Figure{}, problem(fiber.StatusConflict, "no value of run %d has a surrogate: sample more", d.r.run.ID)
	}
	return report.Overview(found.Inputs, values, shares, unexplained), nil
}

// sensitivity is what the study found of a value, or what its surrogate says.
func (d drawing) sensitivity(name string) (result.Sensitivity, error) {
	if _, parts, err := d.s.runs.Result(d.r.run.ID); err == nil {
		if found, has := parts.Sensitivity[name]; has {
			return found, nil
		}
	}
	found, err := d.x.Sensitivity(d.s.life, name)
	return found, asked(err)
}

func (d drawing) validation() (report.Figure, error) {
	name, err := d.one()
	if err != nil {
		return report.Figure{}, err
	}
	fit, rows, err := surface(d.s.life, d.x, name)
	if err != nil {
		return report.Figure{}, err
	}
	column := d.r.model.Column(name)
	var evaluations []int
	var computed []float64
	for _, row := range rows {
		e := d.x.Evaluations[row]
		evaluations, computed = append(evaluations, e.Number), append(computed, e.Values[column])
	}
	return report.Validation(report.Axis{Name: name, Unit: d.r.model.Columns[column].Unit}, evaluations, computed, fit.Validated, fit.Q2, fit.Method), nil
}
