package report

import (
	"image/color"
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// plum is the colour of a candidate.
var plum = color.RGBA{0x7a, 0x3e, 0x6d, 0xff}

// A Margin says how far a requirement is from its limit, in percent of the limit: below 0 where it is missed.
type Margin struct {
	Requirement string
	Candidate   float64
	Nominal     float64 // NaN: it is not known
	Reserve     float64
}

// mostShown is the largest margin that is drawn as long as it is, in percent: others end there, with an arrow.
const mostShown = 100

// Margins draws how far each requirement is from its limit, with the nominal design for comparison.
func Margins(margins []Margin) Figure {
	f := Figure{Width: width, Height: max(2.2*vg.Inch, vg.Length(86+26*len(margins))), Table: [][]string{{"requirement", "candidate [% of the limit]", "nominal [% of the limit]", "reserve [% of the limit]"}}}
	for _, m := range margins {
		f.Table = append(f.Table, []string{m.Requirement, exact(m.Candidate), exact(m.Nominal), exact(m.Reserve)})
	}
	f.draw = func(c draw.Canvas) {
		p := newPlot(Axis{Name: "margin", Unit: "% of the limit"}, Axis{})
		var names []plot.Tick
		least, most := 0.0, 10.0
		for i, m := range margins {
			names = append(names, plot.Tick{Value: float64(len(margins) - 1 - i), Label: m.Requirement})
			for _, v := range []float64{m.Candidate, m.Nominal} {
				if drawable(v) {
					least, most = math.Min(least, clipped(v)), math.Max(most, clipped(v))
				}
			}
		}
		p.Y.Tick.Marker = plot.ConstantTicks(names)
		p.Y.Min, p.Y.Max = -0.6, float64(len(margins))-0.4
		p.X.Min, p.X.Max = least-0.06*(most-least), most+0.06*(most-least)
		p.Add(marginRows(margins))
		keys := []key{{"candidate", drawCandidate}, {"nominal design", drawNominal}, lineKey("reserve asked for", reserveLine)}
		p.Draw(keyed(inset(c), keys))
	}
	return f
}

func clipped(percent float64) float64 { return math.Max(-mostShown, math.Min(mostShown, percent)) }

var reserveLine = draw.LineStyle{Color: slate, Width: 1, Dashes: []vg.Length{2, 2}}

// drawCandidate is a ringed dot.
func drawCandidate(c draw.Canvas, at vg.Point) {
	c.DrawGlyph(draw.GlyphStyle{Color: plum, Radius: 3, Shape: draw.CircleGlyph{}}, at)
	c.DrawGlyph(draw.GlyphStyle{Color: plum, Radius: 5.4, Shape: draw.RingGlyph{}}, at)
}

// drawNominal is a ring.
func drawNominal(c draw.Canvas, at vg.Point) {
	c.DrawGlyph(draw.GlyphStyle{Color: ink, Radius: 4, Shape: draw.RingGlyph{}}, at)
}

type marginRows []Margin

// Plot implements plot.Plotter.
func (rows marginRows) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	c.StrokeLine2(draw.LineStyle{Color: ochre, Width: 1.2}, x(0), c.Min.Y, x(0), c.Max.Y)
	say(c, "limit", vg.Point{X: x(0) + 4, Y: c.Min.Y + 2}, 9, ochre, 0, 0)
	for i, m := range rows {
		up := y(float64(len(rows) - 1 - i))
		c.StrokeLine2(draw.LineStyle{Color: faint, Width: 0.6}, c.Min.X, up, c.Max.X, up)
		if m.Reserve > 0 {
			at := x(clipped(m.Reserve))
			c.StrokeLine2(reserveLine, at, up-9, at, up+9)
		}
		for _, one := range []struct {
			value float64
			draw  func(draw.Canvas, vg.Point)
		}{{m.Nominal, drawNominal}, {m.Candidate, drawCandidate}} {
			if !drawable(one.value) {
				continue
			}
			at := vg.Point{X: x(clipped(one.value)), Y: up}
			one.draw(c, at)
			switch {
			case one.value > mostShown:
				say(c, short(math.Round(one.value))+" % →", vg.Point{X: at.X - 9, Y: at.Y + 2}, 9, ink, -1, 0)
			case one.value < -mostShown:
				say(c, "← "+short(math.Round(one.value))+" %", vg.Point{X: at.X + 9, Y: at.Y + 2}, 9, ink, 0, 0)
			}
		}
	}
}
