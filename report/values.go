package report

import (
	"fmt"
	"image/color"
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Histogram draws how often a value occurs, with the limits of its requirements.
func Histogram(value Axis, numbers []float64, limits []Limit) Figure {
	const parts = 24
	return histogram(value, "evaluations", bins(numbers, parts), height, limits)
}

// Counted draws a histogram of counts in equal parts from the least to the most.
func Counted(value Axis, least, most float64, counts []int, limits []Limit) Figure {
	all := make([]plotter.HistogramBin, len(counts))
	for k, count := range counts {
		all[k] = plotter.HistogramBin{Min: least + (most-least)*float64(k)/float64(len(counts)), Max: least + (most-least)*float64(k+1)/float64(len(counts)), Weight: float64(count)}
	}
	return histogram(value, "draws", all, low, limits)
}

func histogram(value Axis, of string, counted []plotter.HistogramBin, height vg.Length, limits []Limit) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{"from", "to", of}}}
	for _, bin := range counted {
		f.Table = append(f.Table, []string{exact(bin.Min), exact(bin.Max), exact(bin.Weight)})
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(value, Axis{Name: of})
		p.Add(&plotter.Histogram{Bins: counted, FillColor: color.RGBA{0xbf, 0xda, 0xd6, 0xff}, LineStyle: draw.LineStyle{Color: teal, Width: 0.7}})
		p.Y.Min = 0
		for _, limit := range limits {
			limit.add(p)
			p.X.Min, p.X.Max = math.Min(p.X.Min, limit.At), math.Max(p.X.Max, limit.At)
		}
		p.Draw(inset(c))
	}
	return f
}

// A Bar is the importance of one input, with its limits.
type Bar struct {
	Input    string
	Value    float64
	From, To float64 // NaN: none are known
	Alone    float64 // the part by the input alone; NaN: not known
}

// Ranking draws the inputs of a value, that which matters most first, and beside them what is not explained.
func Ranking(value, measure Axis, bars []Bar, unexplained float64) Figure {
	f := Figure{Width: width, Height: vg.Length(60+26*(len(bars)+1)) * 1.4, Table: [][]string{{"input", measure.Label(), "from", "to", "alone"}}}
	f.Height = max(f.Height, 3*vg.Inch)
	for _, bar := range bars {
		f.Table = append(f.Table, []string{bar.Input, exact(bar.Value), exact(bar.From), exact(bar.To), exact(bar.Alone)})
	}
	rows := bars
	if drawable(unexplained) {
		f.Table = append(f.Table, []string{"not explained", exact(unexplained), "", "", ""})
		rows = append(append([]Bar(nil), bars...), Bar{Input: "not explained", Value: unexplained, From: math.NaN(), To: math.NaN(), Alone: math.NaN()})
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(measure, Axis{})
		p.Title.Text = "What moves " + value.Label()
		var names []plot.Tick
		for i, bar := range rows {
			names = append(names, plot.Tick{Value: float64(len(rows) - 1 - i), Label: bar.Input})
		}
		p.Y.Tick.Marker = plot.ConstantTicks(names)
		p.Y.Min, p.Y.Max = -0.6, float64(len(rows))-0.4
		_, most := span(len(rows), func(i int) float64 { return math.Max(rows[i].Value, upper(rows[i])) })
		least, _ := span(len(rows), func(i int) float64 { return math.Min(rows[i].Value, lower(rows[i])) })
		p.X.Min, p.X.Max = math.Min(0, least), math.Max(1e-9, most*1.02)
		p.Add(rankingBars{rows, len(bars)})
		p.Draw(inset(c))
	}
	return f
}

func upper(b Bar) float64 {
	if drawable(b.To) {
		return b.To
	}
	return b.Value
}

func lower(b Bar) float64 {
	if drawable(b.From) {
		return b.From
	}
	return b.Value
}

type rankingBars struct {
	rows   []Bar
	inputs int
}

// Plot implements plot.Plotter.
func (r rankingBars) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	half := math.Min(9, float64(c.Max.Y-c.Min.Y)/float64(len(r.rows))/3)
	for i, bar := range r.rows {
		middle := y(float64(len(r.rows) - 1 - i))
		fill := func(to float64, colour color.Color) {
			c.SetColor(colour)
			c.Fill(vg.Rectangle{Min: vg.Point{X: min(x(0), x(to)), Y: middle - vg.Length(half)}, Max: vg.Point{X: max(x(0), x(to)), Y: middle + vg.Length(half)}}.Path())
		}
		if i >= r.inputs {
			fill(bar.Value, faint)
			continue
		}
		fill(bar.Value, color.RGBA{0x9c, 0xc9, 0xc3, 0xff})
		if drawable(bar.Alone) {
			fill(bar.Alone, teal)
		}
		if drawable(bar.From) && drawable(bar.To) {
			line := draw.LineStyle{Color: ink, Width: 1.2}
			c.StrokeLine2(line, x(bar.From), middle, x(bar.To), middle)
			for _, end := range []float64{bar.From, bar.To} {
				c.StrokeLine2(line, x(end), middle-4, x(end), middle+4)
			}
		}
	}
}

// Overview draws which input matters for what: a square for each pair, as large as its share of the variance.
func Overview(inputs, values []string, shares [][]float64, unexplained []float64) Figure {
	f := Figure{Width: width, Height: max(3*vg.Inch, vg.Length(110+34*(len(inputs)+1))), Table: [][]string{append([]string{"input"}, values...)}}
	for i, input := range inputs {
		row := []string{input}
		for k := range values {
			row = append(row, exact(shares[i][k]))
		}
		f.Table = append(f.Table, row)
	}
	last := []string{"not predicted"}
	for _, share := range unexplained {
		last = append(last, exact(share))
	}
	f.Table = append(f.Table, last)
	f.draw = func(c draw.Canvas) {
		c = inset(c)
		left, top := vg.Length(130), vg.Length(90)
		rows, columns := len(inputs)+1, len(values)
		cellW, cellH := (c.Max.X-c.Min.X-left-30)/vg.Length(columns), (c.Max.Y-c.Min.Y-top)/vg.Length(rows)
		cellW = min(cellW, 110)
		side := min(cellW*0.45, cellH*0.86)
		for k, value := range values {
			at := vg.Point{X: c.Min.X + left + cellW*(vg.Length(k)+0.5), Y: c.Max.Y - top + 6}
			c.Push()
			c.Translate(at)
			c.Rotate(math.Pi / 6)
			say(c, value, vg.Point{}, 10, ink, 0, 0)
			c.Pop()
		}
		for i := range rows {
			middle := c.Max.Y - top - cellH*(vg.Length(i)+0.5)
			name, colour := "not predicted", slate
			if i < len(inputs) {
				name, colour = inputs[i], ink
			}
			say(c, name, vg.Point{X: c.Min.X + left - 8, Y: middle}, 10, colour, -1, -0.5)
			for k := range values {
				share, fill := unexplained[k], faint
				if i < len(inputs) {
					share, fill = shares[i][k], teal
				}
				at := vg.Point{X: c.Min.X + left + cellW*(vg.Length(k)+0.5), Y: middle}
				cell(c, at, side, share, fill)
			}
		}
	}
	return f
}

// cell draws a share: the area of the square is the share, and the percentage stands beside it.
func cell(c draw.Canvas, at vg.Point, side vg.Length, share float64, fill color.Color) {
	at.X -= side * 0.55
	frame := vg.Rectangle{Min: vg.Point{X: at.X - side/2, Y: at.Y - side/2}, Max: vg.Point{X: at.X + side/2, Y: at.Y + side/2}}
	c.SetColor(faint)
	c.SetLineWidth(0.5)
	c.Stroke(frame.Path())
	beside := vg.Point{X: at.X + side/2 + 4, Y: at.Y}
	if !drawable(share) {
		say(c, "?", beside, 9, slate, 0, -0.5)
		return
	}
	half := side / 2 * vg.Length(math.Sqrt(math.Min(1, math.Max(0, share))))
	c.SetColor(fill)
	c.Fill(vg.Rectangle{Min: vg.Point{X: at.X - half, Y: at.Y - half}, Max: vg.Point{X: at.X + half, Y: at.Y + half}}.Path())
	if share >= 0.005 {
		say(c, fmt.Sprintf("%.0f %%", 100*share), beside, 9, ink, 0, -0.5)
	}
}

// Validation draws what the others predict for each evaluation against what was computed, and below it what is left.
func Validation(value Axis, evaluations []int, computed, predicted []float64, q2 float64, method string) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{"evaluation", "computed", "predicted by the others", "left"}}}
	var points, left plotter.XYs
	for i, evaluation := range evaluations {
		f.Table = append(f.Table, []string{fmt.Sprint(evaluation), exact(computed[i]), exact(predicted[i]), exact(computed[i] - predicted[i])})
		points = append(points, plotter.XY{X: computed[i], Y: predicted[i]})
		left = append(left, plotter.XY{X: computed[i], Y: computed[i] - predicted[i]})
	}
	f.draw = func(c draw.Canvas) {
		c = inset(c)
		p := newPlot(Axis{Name: value.Name + ", computed", Unit: value.Unit}, Axis{Name: "predicted by the others", Unit: value.Unit})
		p.Title.Text = fmt.Sprintf("%s by %s: Q² %.4f", value.Name, method, q2)
		least, most := span(len(computed), func(i int) float64 { return computed[i] })
		p.Add(&plotter.Line{XYs: plotter.XYs{{X: least, Y: least}, {X: most, Y: most}}, LineStyle: draw.LineStyle{Color: slate, Width: 1, Dashes: []vg.Length{4, 3}}})
		p.Add(&plotter.Scatter{XYs: points, GlyphStyle: glyph(true, teal, 2.6)})
		q := newPlot(Axis{Name: value.Name + ", computed", Unit: value.Unit}, Axis{Name: "computed less predicted", Unit: value.Unit})
		q.Add(&plotter.Line{XYs: plotter.XYs{{X: least}, {X: most}}, LineStyle: draw.LineStyle{Color: slate, Width: 1, Dashes: []vg.Length{4, 3}}})
		q.Add(&plotter.Scatter{XYs: left, GlyphStyle: glyph(true, teal, 2.2)})
		tall := (c.Max.Y - c.Min.Y) * 0.64
		p.Draw(draw.Crop(c, 0, 0, c.Max.Y-c.Min.Y-tall, 0))
		q.Draw(draw.Crop(c, 0, 0, 0, -tall-8))
	}
	return f
}
