package report

import (
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Beside draws a curve of the candidate over that of the nominal design, which may have none, with the limits that apply to it.
func Beside(x, y Axis, candidate, nominal Line, limits []Limit) Figure {
	f := Figure{Width: width, Height: low, Table: [][]string{{"design", x.Label(), y.Label()}}}
	styles := map[string]draw.LineStyle{nominal.Name: {Color: ink, Width: 1, Dashes: []vg.Length{5, 3}}, candidate.Name: {Color: plum, Width: 1.8}}
	lines := []Line{nominal, candidate}
	for _, line := range lines {
		for i := range line.X {
			f.Table = append(f.Table, []string{line.Name, exact(line.X[i]), exact(line.Y[i])})
		}
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(x, y)
		var keys []key
		for _, line := range lines {
			for _, piece := range pieces(line) {
				p.Add(&plotter.Line{XYs: piece, LineStyle: styles[line.Name]})
			}
			if len(line.X) > 0 {
				keys = append(keys, lineKey(line.Name, styles[line.Name]))
			}
		}
		for _, limit := range limits {
			limit.add(p)
			p.Y.Min, p.Y.Max = min(p.Y.Min, limit.At), max(p.Y.Max, limit.At)
		}
		p.Draw(keyed(inset(c), keys))
	}
	return f
}
