package report

import (
	"fmt"

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
