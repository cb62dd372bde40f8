package report

import (
	"fmt"
	"math"

	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// History draws the objective of each evaluation of a search, and the best feasible one so far as a stepped line. All are in the order of their
// numbers; X of each mark is its number, Y the objective.
func History(objective Axis, most bool, marks []Mark) Figure {
	f := Figure{Width: width, Height: low, Table: [][]string{{"evaluation", "feasible", objective.Label(), "best so far"}}}
	var steps plotter.XYs
	best := math.NaN()
	for _, m := range marks {
		if m.Feasible && (math.IsNaN(best) || most && m.Y > best || !most && m.Y < best) {
			if steps != nil {
				steps = append(steps, plotter.XY{X: m.X, Y: best})
			}
			best = m.Y
			steps = append(steps, plotter.XY{X: m.X, Y: best})
		}
		f.Table = append(f.Table, []string{fmt.Sprint(m.Evaluation), fmt.Sprint(m.Feasible), exact(m.Y), exact(best)})
	}
	if steps != nil {
		steps = append(steps, plotter.XY{X: marks[len(marks)-1].X, Y: best})
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(Axis{Name: "evaluation"}, objective)
		Marks{All: marks}.add(p, 2.4)
		line := draw.LineStyle{Color: ink, Width: 1.4}
		if steps != nil {
			p.Add(&plotter.Line{XYs: steps, LineStyle: line})
		}
		p.Draw(keyed(inset(c), append(Marks{}.keys(), lineKey("best feasible one so far", line))))
	}
	return f
}

// low is the height of a figure that stands between paragraphs.
const low = 5 * vg.Inch * 0.75
