package report

import (
	"fmt"
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// lineOf is how an evaluation is drawn as a line.
func lineOf(feasible bool) draw.LineStyle {
	if feasible {
		return draw.LineStyle{Color: teal, Width: 0.8}
	}
	return draw.LineStyle{Color: ochre, Width: 0.5, Dashes: []vg.Length{3, 2}}
}

// lineKeys name those lines, drawn stronger.
var lineKeys = []key{lineKey("feasible", draw.LineStyle{Color: teal, Width: 1.2}), lineKey("not feasible", draw.LineStyle{Color: ochre, Width: 1, Dashes: []vg.Length{3, 2}})}

// Parallel draws each evaluation as a line through its numbers, each on an axis of its own.
func Parallel(axes []Axis, columns [][]float64, feasible []bool, evaluations []int) Figure {
	f := Figure{Width: width, Height: height, Table: tableOf(axes, columns, feasible, evaluations)}
	step := max(1, (len(evaluations)+thinned-1)/thinned)
	f.draw = func(c draw.Canvas) {
		c = keyed(inset(c), lineKeys)
		c = draw.Crop(c, 40, -50, 30, -46)
		at := func(k int) vg.Length {
			return c.Min.X + (c.Max.X-c.Min.X)*vg.Length(k)/vg.Length(max(1, len(axes)-1))
		}
		least, most := make([]float64, len(axes)), make([]float64, len(axes))
		for k := range axes {
			least[k], most[k] = span(len(evaluations), func(i int) float64 { return columns[k][i] })
		}
		up := func(k int, v float64) vg.Length {
			if !(most[k] > least[k]) {
				return (c.Min.Y + c.Max.Y) / 2
			}
			return c.Min.Y + (c.Max.Y-c.Min.Y)*vg.Length((v-least[k])/(most[k]-least[k]))
		}
		for _, pass := range []bool{false, true} {
			for i := 0; i < len(evaluations); i += step {
				if feasible[i] != pass {
					continue
				}
				var line []vg.Point
				for k := range axes {
					if drawable(columns[k][i]) {
						line = append(line, vg.Point{X: at(k), Y: up(k, columns[k][i])})
					}
				}
				c.StrokeLines(lineOf(pass), line)
			}
		}
		for k, axis := range axes {
			c.StrokeLine2(draw.LineStyle{Color: ink, Width: 1}, at(k), c.Min.Y, at(k), c.Max.Y)
			say(c, axis.Label(), vg.Point{X: at(k), Y: c.Max.Y + 17 + 13*vg.Length(k%2)}, 9, ink, -0.5, 0) // neighbours would touch
			say(c, axis.number(toDigits(most[k])), vg.Point{X: at(k), Y: c.Max.Y + 3}, 8, slate, -0.5, 0)
			say(c, axis.number(toDigits(least[k])), vg.Point{X: at(k), Y: c.Min.Y - 3}, 8, slate, -0.5, -1)
		}
	}
	return f
}

// A Trace is the curve of one evaluation.
type Trace struct {
	Evaluation int
	Feasible   bool
	X, Y       []float64
}

// Curves draws those of all evaluations over each other, with the limits that apply to them.
func Curves(x, y Axis, traces []Trace, limits []Limit) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{"evaluation", x.Label(), y.Label()}}}
	for _, t := range traces {
		for i := range t.X {
			f.Table = append(f.Table, []string{fmt.Sprint(t.Evaluation), exact(t.X[i]), exact(t.Y[i])})
		}
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(x, y)
		for _, pass := range []bool{false, true} {
			for _, t := range traces {
				if t.Feasible != pass {
					continue
				}
				points := make(plotter.XYs, len(t.X))
				for i := range t.X {
					points[i] = plotter.XY{X: t.X[i], Y: t.Y[i]}
				}
				p.Add(&plotter.Line{XYs: points, LineStyle: lineOf(pass)})
			}
		}
		for _, limit := range limits {
			limit.add(p)
		}
		p.Draw(keyed(inset(c), lineKeys))
	}
	return f
}

// A Line is one of several in a figure, with its name.
type Line struct {
	Name string
	X, Y []float64 // NaN parts it
}

// dashes tell lines apart, in turn.
var dashes = [][]vg.Length{nil, {7, 3}, {2, 2}, {9, 3, 2, 3}}

// Lines draws several over the same number.
func Lines(x, y Axis, lines []Line) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{"line", x.Label(), y.Label()}}}
	for _, line := range lines {
		for i := range line.X {
			f.Table = append(f.Table, []string{line.Name, exact(line.X[i]), exact(line.Y[i])})
		}
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(x, y)
		for k, line := range lines {
			style := draw.LineStyle{Color: shade(float64(k+1) / float64(len(lines)+1)), Width: 1.6, Dashes: dashes[k%len(dashes)]}
			all := pieces(line)
			for _, piece := range all {
				p.Add(&plotter.Line{XYs: piece, LineStyle: style}, &plotter.Scatter{XYs: piece, GlyphStyle: glyph(true, style.Color, 2.5)})
			}
			if n := len(all); n > 0 {
				p.Add(nameAt{line.Name, all[n-1][len(all[n-1])-1]})
			}
		}
		p.Draw(draw.Crop(inset(c), 0, -90, 0, 0))
	}
	return f
}

// A nameAt is the name of a line beside its end.
type nameAt struct {
	name string
	at   plotter.XY
}

// Plot implements plot.Plotter.
func (n nameAt) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	say(c, n.name, vg.Point{X: x(n.at.X) + 6, Y: y(n.at.Y)}, 9, ink, 0, -0.5)
}

// pieces are those between the gaps of a line.
func pieces(line Line) []plotter.XYs {
	var all []plotter.XYs
	open := false
	for i := range line.X {
		if math.IsNaN(line.Y[i]) {
			open = false
			continue
		}
		if !open {
			all, open = append(all, nil), true
		}
		last := len(all) - 1
		all[last] = append(all[last], plotter.XY{X: line.X[i], Y: line.Y[i]})
	}
	return all
}
