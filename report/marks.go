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

// A Mark is an evaluation in a figure: a filled circle where it is feasible, a hollow diamond where it is not.
type Mark struct {
	Evaluation int
	X, Y       float64
	Feasible   bool
	Colour     float64 // NaN: what the feasibility says
}

// Marks are those of a figure.
type Marks struct {
	X, Y, Colour Axis
	All          []Mark
}

// Shading goes from light to ink through teal.
var shading = []color.RGBA{{0xe6, 0xd9, 0xa8, 0xff}, {0x7f, 0xb5, 0x9a, 0xff}, teal, {0x1f, 0x3f, 0x54, 0xff}}

// shade is the colour of a share of the way.
func shade(share float64) color.RGBA {
	share = math.Min(1, math.Max(0, share)) * float64(len(shading)-1)
	k := min(int(share), len(shading)-2)
	mix := func(a, b uint8) uint8 { return uint8(float64(a) + (share-float64(k))*(float64(b)-float64(a))) }
	a, b := shading[k], shading[k+1]
	return color.RGBA{mix(a.R, b.R), mix(a.G, b.G), mix(a.B, b.B), 0xff}
}

// glyph draws an evaluation.
func glyph(feasible bool, colour color.Color, radius vg.Length) draw.GlyphStyle {
	style := draw.GlyphStyle{Color: colour, Radius: radius, Shape: draw.CircleGlyph{}}
	if !feasible {
		style.Shape = diamond{}
	}
	return style
}

// failed draws what has no values.
func failed(radius vg.Length) draw.GlyphStyle {
	return draw.GlyphStyle{Color: slate, Radius: radius, Shape: bar{}}
}

// bar is a flat one.
type bar struct{}

// DrawGlyph implements draw.GlyphDrawer.
func (bar) DrawGlyph(c *draw.Canvas, style draw.GlyphStyle, at vg.Point) {
	w, h := style.Radius*1.25, style.Radius*0.6
	c.FillPolygon(style.Color, []vg.Point{{X: at.X - w, Y: at.Y - h}, {X: at.X + w, Y: at.Y - h}, {X: at.X + w, Y: at.Y + h}, {X: at.X - w, Y: at.Y + h}})
}

// diamond is a hollow one.
type diamond struct{}

// DrawGlyph implements draw.GlyphDrawer.
func (diamond) DrawGlyph(c *draw.Canvas, style draw.GlyphStyle, at vg.Point) {
	r := style.Radius * 1.25
	var path vg.Path
	path.Move(vg.Point{X: at.X, Y: at.Y + r})
	path.Line(vg.Point{X: at.X + r, Y: at.Y})
	path.Line(vg.Point{X: at.X, Y: at.Y - r})
	path.Line(vg.Point{X: at.X - r, Y: at.Y})
	path.Close()
	c.SetLineWidth(1)
	c.SetColor(style.Color)
	c.Stroke(path)
}

func colourOf(m Mark, least, most float64) color.Color {
	switch {
	case drawable(m.Colour) && most > least:
		return shade((m.Colour - least) / (most - least))
	case m.Feasible:
		return teal
	}
	return ochre
}

// span is from the least to the most of some numbers.
func span(n int, of func(int) float64) (least, most float64) {
	least, most = math.Inf(1), math.Inf(-1)
	for i := range n {
		if v := of(i); drawable(v) {
			least, most = math.Min(least, v), math.Max(most, v)
		}
	}
	return least, most
}

// add puts the marks into a plot: infeasible ones below feasible ones.
func (m Marks) add(p *plot.Plot, radius vg.Length) {
	least, most := span(len(m.All), func(i int) float64 { return m.All[i].Colour })
	for _, feasible := range []bool{false, true} {
		var points plotter.XYs
		var styles []draw.GlyphStyle
		for _, one := range m.All {
			if one.Feasible == feasible && drawable(one.X) && drawable(one.Y) {
				points = append(points, plotter.XY{X: one.X, Y: one.Y})
				styles = append(styles, glyph(feasible, colourOf(one, least, most), radius))
			}
		}
		if points == nil {
			continue
		}
		p.Add(&plotter.Scatter{XYs: points, GlyphStyleFunc: func(i int) draw.GlyphStyle { return styles[i] }})
	}
}

// keys name the marks, with the ends of the colours.
func (m Marks) keys() []key {
	least, most := span(len(m.All), func(i int) float64 { return m.All[i].Colour })
	if !(most > least) {
		return []key{markKey("feasible", glyph(true, teal, 4)), markKey("not feasible", glyph(false, ochre, 4))}
	}
	return []key{markKey("feasible", glyph(true, slate, 4)), markKey("not feasible", glyph(false, slate, 4)),
		markKey(fmt.Sprintf("%s %s", m.Colour.Label(), m.Colour.number(toDigits(least))), glyph(true, shade(0), 4)),
		markKey(fmt.Sprintf("%s %s", m.Colour.Label(), m.Colour.number(toDigits(most))), glyph(true, shade(1), 4))}
}

// number is a value as the axis shows it.
func (a Axis) number(v float64) string {
	if k := int(v); a.Words != nil && k >= 0 && k < len(a.Words) {
		return a.Words[k]
	}
	return short(v)
}

// Scatter draws evaluations over two numbers.
func Scatter(m Marks, limits []Limit) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{"evaluation", "feasible", m.X.Label(), m.Y.Label()}}}
	coloured := m.Colour.Name != ""
	if coloured {
		f.Table[0] = append(f.Table[0], m.Colour.Label())
	}
	for _, one := range m.All {
		row := []string{fmt.Sprint(one.Evaluation), fmt.Sprint(one.Feasible), exact(one.X), exact(one.Y)}
		if coloured {
			row = append(row, exact(one.Colour))
		}
		f.Table = append(f.Table, row)
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(m.X, m.Y)
		m.add(p, 3)
		for _, limit := range limits {
			limit.add(p)
		}
		p.Draw(keyed(inset(c), m.keys()))
	}
	return f
}

// A Limit is that of a requirement, along one axis.
type Limit struct {
	Words  string
	At     float64
	Across bool // of the number to the right: the line goes up
}

// add draws the limit as a dashed line over the whole plot.
func (l Limit) add(p *plot.Plot) {
	p.Add(limitLine{l})
}

const limitRoom = 90 // that the words of a limit may take to the right of its line

type limitLine struct{ Limit }

// Plot implements plot.Plotter.
func (l limitLine) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	style := draw.LineStyle{Color: ochre, Width: 1.2, Dashes: []vg.Length{5, 3}}
	if l.Across {
		at := x(l.At)
		if at < c.Min.X || at > c.Max.X {
			return
		}
		c.StrokeLine2(style, at, c.Min.Y, at, c.Max.Y)
		beside, align := at+3, 0.0
		if at > c.Max.X-limitRoom {
			beside, align = at-3, -1
		}
		say(c, l.Words, vg.Point{X: beside, Y: c.Max.Y - 3}, 9, ochre, align, -1)
		return
	}
	at := y(l.At)
	if at < c.Min.Y || at > c.Max.Y {
		return
	}
	c.StrokeLine2(style, c.Min.X, at, c.Max.X, at)
	say(c, l.Words, vg.Point{X: c.Min.X + 4, Y: at + 3}, 9, ochre, 0, 0)
}

// thinned is how many marks a panel of a matrix has at most.
const thinned = 2000

// tableOf has a row for each evaluation.
func tableOf(axes []Axis, columns [][]float64, feasible []bool, evaluations []int) [][]string {
	table := [][]string{{"evaluation", "feasible"}}
	for _, axis := range axes {
		table[0] = append(table[0], axis.Label())
	}
	for i, evaluation := range evaluations {
		row := []string{fmt.Sprint(evaluation), fmt.Sprint(feasible[i])}
		for k := range axes {
			row = append(row, exact(columns[k][i]))
		}
		table = append(table, row)
	}
	return table
}

// Matrix draws every number against every other.
func Matrix(axes []Axis, columns [][]float64, feasible []bool, evaluations []int) Figure {
	n := len(axes)
	f := Figure{Width: width, Height: width, Table: tableOf(axes, columns, feasible, evaluations)}
	step := max(1, (len(evaluations)+thinned-1)/thinned)
	f.draw = func(c draw.Canvas) {
		c = inset(c)
		tiles := draw.Tiles{Rows: n, Cols: n, PadX: 6, PadY: 6}
		for row := range n {
			for column := range n {
				tile := tiles.At(c, column, row)
				x, y := axes[column], axes[row]
				if row < n-1 {
					x = Axis{}
				}
				if column > 0 {
					y = Axis{}
				}
				p := newPlot(x, y)
				p.X.Tick.Label.Font.Size, p.Y.Tick.Label.Font.Size = 7, 7
				p.X.Label.TextStyle.Font.Size, p.Y.Label.TextStyle.Font.Size = 9, 9
				p.X.Tick.Length, p.Y.Tick.Length = 3, 3
				if row == column {
					p.Add(&plotter.Histogram{Bins: bins(columns[row], 16), FillColor: faint, LineStyle: draw.LineStyle{Color: slate, Width: 0.5}})
				} else {
					m := Marks{}
					for i := 0; i < len(evaluations); i += step {
						m.All = append(m.All, Mark{X: columns[column][i], Y: columns[row][i], Feasible: feasible[i], Colour: math.NaN()})
					}
					m.add(p, 1.6)
				}
				p.Draw(tile)
			}
		}
	}
	return f
}

// bins counts numbers in equal parts.
func bins(numbers []float64, n int) []plotter.HistogramBin {
	least, most := span(len(numbers), func(i int) float64 { return numbers[i] })
	if !(most > least) {
		room := max(1, math.Abs(least)) / 2 // a number so large that a half is nothing beside it has room, too
		least, most = least-room, most+room
	}
	all := make([]plotter.HistogramBin, n)
	for k := range all {
		all[k].Min = least + (most-least)*(float64(k)/float64(n))
		all[k].Max = least + (most-least)*(float64(k+1)/float64(n))
	}
	for _, v := range numbers {
		if drawable(v) {
			all[min(n-1, int((v-least)/(most-least)*float64(n)))].Weight++
		}
	}
	return all
}
