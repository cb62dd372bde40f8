package report

import (
	"math"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// A Surface is a value that is predicted over two inputs.
type Surface struct {
	X, Y, Value Axis
	Along, Up   []float64
	Z           [][]float64 // a row for each of Up
	Limits      []Limit     // of the value: drawn as lines
	Marks       []Mark      // evaluations
	Says        string
}

// Dims, X, Y and Z implement plotter.GridXYZ.
func (s surfaceGrid) Dims() (int, int) { return len(s.Along), len(s.Up) }

func (s surfaceGrid) X(c int) float64 { return s.Along[c] }

func (s surfaceGrid) Y(r int) float64 { return s.Up[r] }

func (s surfaceGrid) Z(c, r int) float64 { return s.Surface.Z[r][c] }

type surfaceGrid struct{ Surface }

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
				least, most = math.Min(least, z), math.Max(most, z)
			}
		}
		if !(most > least) {
			most = least + 1
		}
		p.Add(shades{s, least, most})
		keys := []key{markKey("evaluation, feasible", glyph(true, ink, 3)), markKey("not feasible", glyph(false, ink, 3))}
		var levels []float64
		for k := 1; k < levelsOfSurface; k++ {
			levels = append(levels, least+(most-least)*float64(k)/levelsOfSurface)
		}
		grid := surfaceGrid{s}
		if len(s.Along) > 1 && len(s.Up) > 1 {
			lines := plotter.NewContour(grid, levels, nil)
			lines.LineStyles = []draw.LineStyle{{Color: paper, Width: 0.6}}
			p.Add(lines)
			for _, limit := range s.Limits {
				if limit.At > least && limit.At < most {
					at := plotter.NewContour(grid, []float64{limit.At}, nil)
					at.LineStyles = []draw.LineStyle{{Color: ochre, Width: 2}}
					p.Add(at)
					keys = append(keys, lineKey(limit.Words, at.LineStyles[0]))
				}
			}
		}
		for _, m := range s.Marks {
			p.Add(&plotter.Scatter{XYs: plotter.XYs{{X: m.X, Y: m.Y}}, GlyphStyle: glyph(m.Feasible, ink, 2)})
		}
		c = keyed(c, keys)
		p.Draw(draw.Crop(c, 0, -80, 0, 0))
		scale(draw.Crop(c, c.Max.X-c.Min.X-60, 0, 30, -30), least, most)
	}
	return f
}

// shades fills the plot by the value.
type shades struct {
	Surface
	least, most float64
}

// Plot implements plot.Plotter.
func (s shades) Plot(c draw.Canvas, p *plot.Plot) {
	x, y := p.Transforms(&c)
	edges := func(at []float64) []float64 {
		all := []float64{at[0]}
		for i := 1; i < len(at); i++ {
			all = append(all, (at[i-1]+at[i])/2)
		}
		return append(all, at[len(at)-1])
	}
	across, up := edges(s.Along), edges(s.Up)
	for r := range s.Up {
		for k := range s.Along {
			c.SetColor(shade((s.Z[r][k] - s.least) / (s.most - s.least)))
			c.Fill(vg.Rectangle{Min: vg.Point{X: x(across[k]), Y: y(up[r])}, Max: vg.Point{X: x(across[k+1]) + 0.4, Y: y(up[r+1]) + 0.4}}.Path())
		}
	}
}

// DataRange implements plot.DataRanger.
func (s shades) DataRange() (xmin, xmax, ymin, ymax float64) {
	return s.Along[0], s.Along[len(s.Along)-1], s.Up[0], s.Up[len(s.Up)-1]
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
