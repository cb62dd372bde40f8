package report

import (
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// A Surface is a value over two inputs.
type Surface struct {
	X, Y, Value Axis
	Along, Up   []float64
	Z           [][]float64 // a row for each of Up; NaN where there is none
	Limits      []Limit     // of the value: drawn as lines
	Marks       []Mark      // evaluations
	Says        string
	Cells       bool   // the values are answers of their own, each of a whole cell, and marks are cells without one
	Failed      []Mark // cells of which every evaluation failed
}

const levelsOfSurface = 12

// Contours draws a surface from above: shades and lines of equal value, the limits of requirements, and the evaluations.
func Contours(s Surface) Figure {
	f := Figure{Width: width, Height: height, Table: [][]string{{s.X.Label(), s.Y.Label(), s.Value.Label() + ", predicted"}}}
	for r, y := range s.Up {
		for c, x := range s.Along {
			f.Table = append(f.Table, []string{exact(x), exact(y), exact(s.Z[r][c])})
		}
	}
	f.draw = func(c draw.Canvas) {
		c = inset(c)
		p := newPlot(s.X, s.Y)
		p.Title.Text = s.Value.Label() + s.Says
		least, most := math.Inf(1), math.Inf(-1)
		for _, row := range s.Z {
			for _, z := range row {
				if !math.IsNaN(z) {
					least, most = math.Min(least, z), math.Max(most, z)
				}
			}
		}
		none := least > most
		if !(most > least) {
			most = least + 1
		}
		p.Add(shades{s, least, most})
		if s.numbersFit() {
			p.Add(numbers{s})
		} else {
			for k := 1; k < levelsOfSurface; k++ {
				p.Add(levelLine{s, least + (most-least)*float64(k)/levelsOfSurface, draw.LineStyle{Color: paper, Width: 0.6}})
			}
		}
		keys := s.keys()
		for _, limit := range s.Limits {
			if limit.At > least && limit.At < most {
				at := levelLine{s, limit.At, draw.LineStyle{Color: ochre, Width: 2}}
				p.Add(at)
				keys = append(keys, lineKey(limit.Words, at.style))
			}
		}
		for _, m := range s.Marks {
			p.Add(&plotter.Scatter{XYs: plotter.XYs{{X: m.X, Y: m.Y}}, GlyphStyle: glyph(m.Feasible, ink, 2)})
		}
		for _, m := range s.Failed {
			p.Add(&plotter.Scatter{XYs: plotter.XYs{{X: m.X, Y: m.Y}}, GlyphStyle: failed(3)})
		}
		c = keyed(c, keys)
		p.Draw(draw.Crop(c, 0, -80, 0, 0))
		if none {
			return
		}
		scale(draw.Crop(c, c.Max.X-c.Min.X-60, 0, 30, -30), least, most)
	}
	return f
}

const mostNumbers = 12 // in a row, and rows

// numbersFit is true where every cell has room for its value.
func (s Surface) numbersFit() bool {
	return s.Cells && len(s.Along) <= mostNumbers && len(s.Up) <= mostNumbers
}

// numbers are the values in their cells.
type numbers struct{ Surface }

// Plot implements plot.Plotter.
func (n numbers) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	for r, row := range n.Z {
		for k, z := range row {
			if math.IsNaN(z) {
				continue
			}
			at, text := vg.Point{X: x(n.Along[k]), Y: y(n.Up[r])}, n.Value.number(toDigits(z))
			for _, by := range []vg.Point{{X: -1}, {X: 1}, {Y: -1}, {Y: 1}} {
				say(c, text, at.Add(by), 9, paper, -0.5, -0.4)
			}
			say(c, text, at, 9, ink, -0.5, -0.4)
		}
	}
}

// keys name the marks.
func (s Surface) keys() []key {
	if s.Cells {
		keys := []key{markKey("no feasible design", glyph(false, ink, 3))}
		if len(s.Failed) > 0 {
			keys = append(keys, markKey("every evaluation failed", failed(3)))
		}
		return keys
	}
	return []key{markKey("evaluation, feasible", glyph(true, ink, 3)), markKey("not feasible", glyph(false, ink, 3))}
}

// A levelLine is where a surface has a value.
type levelLine struct {
	Surface
	at    float64
	style draw.LineStyle
}

// Plot implements plot.Plotter. Within each cell of the grid the line is straight, as marching squares draw it (W. E. Lorensen,
// H. E. Cline, Computer Graphics 21 (1987), in two dimensions); a cell with a corner that has no value has none.
func (l levelLine) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	for r := range len(l.Up) - 1 {
		for k := range len(l.Along) - 1 {
			cuts := l.cuts(r, k)
			for i := 0; i+1 < len(cuts); i += 2 {
				c.StrokeLine2(l.style, x(cuts[i].X), y(cuts[i].Y), x(cuts[i+1].X), y(cuts[i+1].Y))
			}
		}
	}
}

// cuts are the places at which the line crosses the edges of a cell.
func (l levelLine) cuts(r, k int) plotter.XYs {
	var cuts plotter.XYs
	corner := func(i int) (x, y, z float64) {
		row, column := r+[]int{0, 0, 1, 1}[i], k+[]int{0, 1, 1, 0}[i]
		return l.Along[column], l.Up[row], l.Z[row][column]
	}
	for i := range 4 {
		x1, y1, z1 := corner(i)
		x2, y2, z2 := corner((i + 1) % 4)
		if math.IsNaN(z1) {
			return nil
		}
		if (z1 < l.at) == (z2 < l.at) {
			continue
		}
		t := (l.at - z1) / (z2 - z1)
		cuts = append(cuts, plotter.XY{X: x1 + t*(x2-x1), Y: y1 + t*(y2-y1)})
	}
	return cuts
}

// shades fills the plot by the value.
type shades struct {
	Surface
	least, most float64
}

// Plot implements plot.Plotter.
func (s shades) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	across, up := s.borders(s.Along), s.borders(s.Up)
	for r := range s.Up {
		for k := range s.Along {
			if math.IsNaN(s.Z[r][k]) {
				continue
			}
			c.SetColor(shade((s.Z[r][k] - s.least) / (s.most - s.least)))
			c.Fill(vg.Rectangle{Min: vg.Point{X: x(across[k]), Y: y(up[r])}, Max: vg.Point{X: x(across[k+1]) + 0.4, Y: y(up[r+1]) + 0.4}}.Path())
		}
	}
}

// DataRange implements plot.DataRanger.
func (s shades) DataRange() (xmin, xmax, ymin, ymax float64) {
	across, up := s.borders(s.Along), s.borders(s.Up)
	return across[0], across[len(across)-1], up[0], up[len(up)-1]
}

// borders are those between neighbours, and the ends: as far out as the half of a step where cells are whole.
func (s Surface) borders(at []float64) []float64 {
	n := len(at)
	all := []float64{at[0]}
	for i := 1; i < n; i++ {
		all = append(all, (at[i-1]+at[i])/2)
	}
	all = append(all, at[n-1])
	switch {
	case s.Cells && n > 1:
		all[0], all[n] = at[0]-(all[1]-at[0]), at[n-1]+(at[n-1]-all[n-1])
	case s.Cells:
		all[0], all[1] = at[0]-0.5, at[0]+0.5
	}
	return all
}

// scale draws which shade is which value.
func scale(c draw.Canvas, least, most float64) {
	const parts = 60
	tall := c.Max.Y - c.Min.Y
	for k := range parts {
		from := c.Min.Y + tall*vg.Length(k)/parts
		c.SetColor(shade((float64(k) + 0.5) / parts))
		c.Fill(vg.Rectangle{Min: vg.Point{X: c.Min.X, Y: from}, Max: vg.Point{X: c.Min.X + 12, Y: from + tall/parts + 0.4}}.Path())
	}
	for k := range 5 {
		share := float64(k) / 4
		say(c, short(toDigits(least+(most-least)*share)), vg.Point{X: c.Min.X + 16, Y: c.Min.Y + tall*vg.Length(share)}, 9, ink, 0, -0.5)
	}
}

// toDigits rounds a number to four digits.
func toDigits(v float64) float64 {
	if v == 0 {
		return 0
	}
	power := math.Pow10(3 - int(math.Floor(math.Log10(math.Abs(v)))))
	return math.Round(v*power) / power
}
