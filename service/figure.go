package service

import (
	"bytes"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/api"
	"ropebench/bench"
	"ropebench/core"
	"ropebench/core/formula"
	"ropebench/explore"
	"ropebench/report"
)

// A drawing is a figure that is asked for.
type drawing struct {
	s          *Service
	r          reading
	x          *explore.Explorer
	of         []string
	along      string // to the right
	up         string
	colour     string
	evaluation int // that gives the inputs that do not move on a surface; 0: the nominal design
	usable     []explore.Evaluation
}

// drawings are the kinds of figures.
var drawings = map[string]func(*Service, fiber.Ctx) (report.Figure, error){
	"histogram": ofEvaluations(drawing.histogram), "ranking": ofEvaluations(drawing.ranking), "overview": ofEvaluations(drawing.overview), "scatter": ofEvaluations(drawing.scatter),
	"matrix": ofEvaluations(ofSeveral(report.Matrix)), "parallel": ofEvaluations(ofSeveral(report.Parallel)), "surface": ofEvaluations(drawing.surface),
	"validation": ofEvaluations(drawing.validation), "curves": ofEvaluations(drawing.curves), "cells": (*Service).figureOfCells,
}

// ofEvaluations is a figure of the evaluations of a run.
func ofEvaluations(draw func(drawing) (report.Figure, error)) func(*Service, fiber.Ctx) (report.Figure, error) {
	return func(s *Service, c fiber.Ctx) (report.Figure, error) {
		evaluation, err := number(c, "evaluation", 0, 0, math.MaxInt32)
		if err != nil {
			return report.Figure{}, err
		}
		d := drawing{s: s, of: namesOf(c, "of"), along: strings.Clone(c.Query("x")), up: strings.Clone(c.Query("y")), colour: strings.Clone(c.Query("colour")), evaluation: evaluation}
		if d.r, d.x, err = s.explorer(c); err != nil {
			return report.Figure{}, err
		}
		for _, e := range d.x.Evaluations {
			if e.State == core.OK {
				d.usable = append(d.usable, e)
			}
		}
		if len(d.usable) == 0 {
			return report.Figure{}, problem(fiber.StatusConflict, "run %d has no evaluation with values: there is nothing to draw", d.r.run.ID)
		}
		return draw(d)
	}
}

func (s *Service) getFigure(c fiber.Ctx) error {
	kinds := slices.Sorted(maps.Keys(drawings))
	kind, format := strings.Clone(c.Query("kind")), strings.Clone(c.Query("format", "svg"))
	draw, known := drawings[kind]
	switch {
	case !known:
		return problem(fiber.StatusBadRequest, "there is no figure of kind %q%s (known: %s)", kind, formula.Suggest(kind, kinds), strings.Join(kinds, ", "))
	case report.Formats[format] == "":
		return problem(fiber.StatusBadRequest, "a figure is sent as svg, png or csv, not as %q", format)
	}
	figure, err := draw(s, c)
	if err != nil {
		return err
	}
	var text bytes.Buffer
	if err := figure.Write(&text, format); err != nil {
		return err
	}
	c.Set("Content-Type", report.Formats[format])
	c.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; sandbox")
	return c.Send(text.Bytes())
}

// column is a number of every usable evaluation: an input that moves, or a value.
func (d drawing) column(name string) (report.Axis, []float64, error) {
	numbers := make([]float64, len(d.usable))
	for k, in := range d.x.Problem.Space {
		if in.Name != name {
			continue
		}
		input, _ := d.r.model.Bench.Input(name)
		axis := report.Axis{Name: name, Unit: input.Unit}
		if input.Words() {
			axis.Words = input.Choices.Words
		}
		for i, e := range d.usable {
			numbers[i] = e.Design[k]
		}
		return axis, numbers, nil
	}
	column := d.r.model.Column(name)
	if column < 0 {
		var known []string
		for _, in := range d.x.Problem.Space {
			known = append(known, in.Name)
		}
		known = append(known, d.x.ValueNames()...)
		return report.Axis{}, nil, problem(fiber.StatusBadRequest, "%q is no input or value of run %d%s (known: %s)", name, d.r.run.ID, formula.Suggest(name, known), strings.Join(known, ", "))
	}
	for i, e := range d.usable {
		numbers[i] = e.Values[column]
	}
	return report.Axis{Name: name, Unit: d.r.model.Columns[column].Unit}, numbers, nil
}

// one is the single value that a figure is of.
func (d drawing) one() (string, error) {
	if len(d.of) != 1 {
		return "", problem(fiber.StatusBadRequest, "this figure is of one value: name it by of")
	}
	if d.r.model.Column(d.of[0]) < 0 {
		_, _, err := d.column(d.of[0])
		if err == nil {
			err = problem(fiber.StatusBadRequest, "%s is an input: name a value", d.of[0])
		}
		return "", err
	}
	return d.of[0], nil
}

func (d drawing) feasible() (feasible []bool, evaluations []int) {
	for _, e := range d.usable {
		feasible, evaluations = append(feasible, d.r.model.Feasible(e.Values)), append(evaluations, e.Number)
	}
	return feasible, evaluations
}

// limits are those of the requirements on a value.
func (d drawing) limits(name string, across bool) []report.Limit {
	var limits []report.Limit
	for _, b := range d.r.model.BoundsOn(name) {
		words := "at least"
		if b.Upper {
			words = "at most"
		}
		limits = append(limits, report.Limit{Words: fmt.Sprintf("%s %s %s", b.ID, words, bench.Number(b.At).Show("")), At: b.At, Across: across})
	}
	return limits
}

func (d drawing) scatter() (report.Figure, error) {
	x, across, err := d.column(d.along)
	if err != nil {
		return report.Figure{}, err
	}
	y, up, err := d.column(d.up)
	if err != nil {
		return report.Figure{}, err
	}
	m := report.Marks{X: x, Y: y}
	colours := make([]float64, len(up))
	for i := range colours {
		colours[i] = math.NaN()
	}
	if d.colour != "" {
		if m.Colour, colours, err = d.column(d.colour); err != nil {
			return report.Figure{}, err
		}
	}
	feasible, evaluations := d.feasible()
	for i, evaluation := range evaluations {
		m.All = append(m.All, report.Mark{Evaluation: evaluation, X: across[i], Y: up[i], Feasible: feasible[i], Colour: colours[i]})
	}
	return report.Scatter(m, append(d.limits(d.along, true), d.limits(d.up, false)...)), nil
}

// mostAxes is how many numbers a figure with an axis for each shows.
const mostAxes = 12

// several are the columns of a figure with an axis for each number: those that are named, or the inputs and values that there is room for.
func (d drawing) several() (axes []report.Axis, columns [][]float64, err error) {
	names := d.of
	if names == nil {
		for _, in := range d.x.Problem.Space {
			names = append(names, in.Name)
		}
		names = append(names, d.x.ValueNames()...)
		names = names[:min(len(names), mostAxes)]
	}
	if len(names) < 2 || len(names) > mostAxes {
		return nil, nil, problem(fiber.StatusBadRequest, "this figure is of 2 to %d inputs and values, not of %d: name them by of", mostAxes, len(names))
	}
	for _, name := range names {
		axis, numbers, err := d.column(name)
		if err != nil {
			return nil, nil, err
		}
		axes, columns = append(axes, axis), append(columns, numbers)
	}
	return axes, columns, nil
}

// ofSeveral is a figure with an axis for each number.
func ofSeveral(draw func(axes []report.Axis, columns [][]float64, feasible []bool, evaluations []int) report.Figure) func(drawing) (report.Figure, error) {
	return func(d drawing) (report.Figure, error) {
		axes, columns, err := d.several()
		if err != nil {
			return report.Figure{}, err
		}
		feasible, evaluations := d.feasible()
		return draw(axes, columns, feasible, evaluations), nil
	}
}

func (d drawing) surface() (report.Figure, error) {
	name, err := d.one()
	if err != nil {
		return report.Figure{}, err
	}
	order := api.SurfaceOrder{Of: name, X: d.along, Y: d.up, Steps: 61}
	if d.evaluation > 0 {
		i := slices.IndexFunc(d.usable, func(e explore.Evaluation) bool { return e.Number == d.evaluation })
		if i < 0 {
			return report.Figure{}, problem(fiber.StatusBadRequest, "run %d has no usable evaluation %d", d.r.run.ID, d.evaluation)
		}
		order.At = map[string]bench.Value{}
		for k, in := range d.x.Problem.Space {
			input, _ := d.r.model.Bench.Input(in.Name)
			order.At[in.Name] = input.ValueOf(d.usable[i].Design[k])
		}
	}
	found, err := surfaceOver(d.s.life, d.r, d.x, order)
	if err != nil {
		return report.Figure{}, err
	}
	s := report.Surface{Along: found.X, Up: found.Y, Z: found.Mean, Limits: d.limits(name, false), Says: fmt.Sprintf(", predicted with a Q² of %.3g", found.Q2)}
	x, across, err := d.column(d.along)
	if err != nil {
		return report.Figure{}, err
	}
	y, up, err := d.column(d.up)
	if err != nil {
		return report.Figure{}, err
	}
	s.X, s.Y, s.Value = x, y, report.Axis{Name: name, Unit: d.r.model.Columns[d.r.model.Column(name)].Unit}
	feasible, evaluations := d.feasible()
	for i := range min(len(evaluations), 1000) {
		s.Marks = append(s.Marks, report.Mark{Evaluation: evaluations[i], X: across[i], Y: up[i], Feasible: feasible[i], Colour: math.NaN()})
	}
	return report.Contours(s), nil
}

// mostOfCurves is how many curves a figure has; of more, evenly many are left out.
const mostOfCurves = 300

func (d drawing) curves() (report.Figure, error) {
	if len(d.of) != 1 || d.r.model.Curve(d.of[0]) < 0 {
		return report.Figure{}, problem(fiber.StatusBadRequest, "this figure is of one curve: name it by of (known: %s)", d.r.curveNames())
	}
	name, at := d.of[0], d.r.model.Curve(d.of[0])
	var traces []report.Trace
	step := max(1, (len(d.usable)+mostOfCurves-1)/mostOfCurves)
	for i := 0; i < len(d.usable); i += step {
		record, err := d.s.store.Evaluation(d.r.run.ID, d.usable[i].Number)
		if err != nil {
			return report.Figure{}, err
		}
		if at < len(record.Curves) {
			thin := record.Curves[at].Thin(400)
			traces = append(traces, report.Trace{Evaluation: record.Number, Feasible: d.r.model.Feasible(record.Values), X: along(thin), Y: thin.Y})
		}
	}
	x := report.Axis{Name: "row"}
	for _, r := range d.r.model.Bench.Returns() {
		if r.Name == name {
			x = report.Axis{Name: r.X, Unit: r.XUnit}
		}
	}
	var limits []report.Limit
	for _, b := range d.r.model.BoundsOnCurve(name) {
		limits = append(limits, report.Limit{Words: b.ID, At: b.At})
	}
	return report.Curves(x, report.Axis{Name: name, Unit: d.r.model.Bench.Unit(name)}, traces, limits), nil
}
