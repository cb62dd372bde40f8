// Package report draws figures into files: the same looks as the console, with the numbers behind them as a table.
package report

import (
	"encoding/csv"
	"fmt"
	"image/color"
	"io"
	"math"
	"strconv"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"
)

// The colours of all figures.
var (
	ink   = color.RGBA{0x1d, 0x2a, 0x33, 0xff}
	paper = color.RGBA{0xfa, 0xf8, 0xf4, 0xff}
	teal  = color.RGBA{0x0f, 0x76, 0x6e, 0xff}
	ochre = color.RGBA{0xb4, 0x53, 0x09, 0xff}
	slate = color.RGBA{0x64, 0x74, 0x8b, 0xff}
	faint = color.RGBA{0xd9, 0xdc, 0xdd, 0xff}
)

// sans is the font of all figures.
var sans = font.Font{Typeface: "Liberation", Variant: "Sans"}

// A Figure is drawn on a canvas of its size, and has its numbers as a table, the header first.
type Figure struct {
	Width, Height vg.Length
	Table         [][]string
	draw          func(draw.Canvas)
}

// The usual size, about that of a window.
const (
	width  = 12.8 * vg.Inch * 0.75
	height = 8 * vg.Inch * 0.75
)

// Formats are those in which a figure is written, with their media types.
var Formats = map[string]string{"svg": "image/svg+xml", "png": "image/png", "csv": "text/csv; charset=utf-8"}

// Write writes the figure in one of the formats.
func (f Figure) Write(w io.Writer, format string) error {
	switch format {
	case "csv":
		out := csv.NewWriter(w)
		return out.WriteAll(f.Table)
	case "svg":
		c := vgsvg.New(f.Width, f.Height)
		f.on(draw.New(c))
		_, err := c.WriteTo(w)
		return err
	case "png":
		c := vgimg.PngCanvas{Canvas: vgimg.NewWith(vgimg.UseWH(f.Width, f.Height), vgimg.UseDPI(133))}
		f.on(draw.New(c))
		_, err := c.WriteTo(w)
		return err
	}
	return fmt.Errorf("a figure is written as svg, png or csv, not as %q", format)
}

func (f Figure) on(c draw.Canvas) {
	c.SetColor(paper)
	c.Fill(c.Rectangle.Path())
	f.draw(c)
}

// An Axis is a number that is drawn along a side of a figure.
type Axis struct {
	Name  string
	Unit  string
	Words []string // that its numbers stand for; nil: they are numbers
}

// Label is the name with the unit.
func (a Axis) Label() string {
	if a.Unit == "" {
		return a.Name
	}
	return a.Name + " [" + a.Unit + "]"
}

// longestLabel is how many characters fit beside the lowest of figures.
const longestLabel = 36

// fitting is the label, cut where it would be longer than its axis.
func (a Axis) fitting() string {
	label := []rune(a.Label())
	if len(label) <= longestLabel {
		return string(label)
	}
	return string(label[:longestLabel-1]) + "…"
}

// newPlot is an empty plot in our looks.
func newPlot(x, y Axis) *plot.Plot {
	p := plot.New()
	p.BackgroundColor = paper
	p.X.Label.Text, p.Y.Label.Text = x.fitting(), y.fitting()
	for _, axis := range []*plot.Axis{&p.X, &p.Y} {
		axis.Color, axis.Label.TextStyle.Color, axis.Tick.Label.Color, axis.Tick.Color = slate, ink, ink, slate
		axis.Label.TextStyle.Font, axis.Tick.Label.Font = font.From(sans, 11), font.From(sans, 10)
		axis.Label.Padding, axis.Padding = 4, 4
		axis.Tick.Marker = ticks{}
	}
	wordTicks(&p.X, x)
	wordTicks(&p.Y, y)
	p.Title.TextStyle.Color, p.Title.TextStyle.Font = ink, font.From(sans, 13)
	return p
}

func wordTicks(axis *plot.Axis, a Axis) {
	if a.Words == nil {
		return
	}
	var marks []plot.Tick
	for i, word := range a.Words {
		marks = append(marks, plot.Tick{Value: float64(i), Label: word})
	}
	axis.Tick.Marker = plot.ConstantTicks(marks)
}

// ticks are the usual ones with short labels.
type ticks struct{}

// Ticks implements plot.Ticker.
func (ticks) Ticks(least, most float64) []plot.Tick {
	all := plot.DefaultTicks{}.Ticks(least, most)
	for i := range all {
		if all[i].Label != "" {
			all[i].Label = short(all[i].Value)
		}
	}
	return all
}

// short writes a number for people.
func short(v float64) string {
	if math.Abs(v) < 1e-12 {
		return "0"
	}
	return strconv.FormatFloat(v, 'g', 5, 64)
}

// exact writes a number for a table, to the last bit.
// exact is a number in all its digits; nothing where there is none.
func exact(v float64) string {
	if math.IsNaN(v) {
		return ""
	}
	return strconv.FormatFloat(v, 'g', -1, 64)
}

// say writes a line of text at a place.
func say(c draw.Canvas, words string, at vg.Point, size font.Length, colour color.Color, across, up float64) {
	style := text.Style{Color: colour, Font: font.From(sans, size), XAlign: text.XAlignment(across), YAlign: text.YAlignment(up), Handler: plot.DefaultTextHandler}
	c.FillText(style, at, words)
}

// drawable says whether a number has a place on an axis: the span of two that are larger is no number.
func drawable(v float64) bool { return math.Abs(v) < 1e300 }

// A key names what a mark or a line stands for.
type key struct {
	words string
	draw  func(c draw.Canvas, at vg.Point)
}

// markKey is that of a mark.
func markKey(words string, style draw.GlyphStyle) key {
	return key{words, func(c draw.Canvas, at vg.Point) { c.DrawGlyph(style, at) }}
}

// lineKey is that of a line.
func lineKey(words string, style draw.LineStyle) key {
	return key{words, func(c draw.Canvas, at vg.Point) { c.StrokeLine2(style, at.X-8, at.Y, at.X+8, at.Y) }}
}

// keyed draws keys along the upper side, and gives what is left below them.
func keyed(c draw.Canvas, keys []key) draw.Canvas {
	at := vg.Point{X: c.Min.X + 50, Y: c.Max.Y - 6}
	for _, k := range keys {
		k.draw(c, at)
		say(c, k.words, vg.Point{X: at.X + 12, Y: at.Y}, 10, ink, 0, -0.5)
		at.X += 40 + font.From(sans, 10).Size*vg.Length(len([]rune(k.words)))*0.55
	}
	return draw.Crop(c, 0, 0, 0, -22)
}

// inset leaves a margin about what is drawn.
func inset(c draw.Canvas) draw.Canvas { return draw.Crop(c, 10, -16, 8, -10) }
