package report

import (
	"bytes"
	"encoding/xml"
	"errors"
	"image/png"
	"io"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/plot/plotter"
)

// drawn writes a figure in each format, and gives the texts of the picture and the table.
func drawn(t *testing.T, f Figure) (texts []string, table string) {
	var svg, picture, numbers bytes.Buffer
	require.NoError(t, f.Write(&svg, "svg"))
	require.NoError(t, f.Write(&picture, "png"))
	require.NoError(t, f.Write(&numbers, "csv"))
	_, err := png.Decode(&picture)
	require.NoError(t, err)
	decoder := xml.NewDecoder(&svg)
	for {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		require.NoError(t, err, "the picture is well-formed")
		if text, is := token.(xml.CharData); is && strings.TrimSpace(string(text)) != "" {
			texts = append(texts, strings.TrimSpace(string(text)))
		}
	}
	assert.Error(t, f.Write(io.Discard, "gif"))
	return texts, numbers.String()
}

var cost, peak = Axis{Name: "cost", Unit: "EUR"}, Axis{Name: "peak_g", Unit: "g"}

func TestScatterNamesItsAxesAndMarks(t *testing.T) {
	t.Parallel()
	m := Marks{X: cost, Y: peak, Colour: Axis{Name: "pad", Words: []string{"organic", "ceramic"}}, All: []Mark{
		{Evaluation: 1, X: 10, Y: 2, Feasible: true, Colour: 0}, {Evaluation: 2, X: 20.000000000000004, Y: 3, Colour: 1}}}
	texts, table := drawn(t, Scatter(m, []Limit{{Words: "R1 at most 2.5", At: 2.5}, {Words: "far away", At: 1e6}}))
	for _, words := range []string{"cost [EUR]", "peak_g [g]", "feasible", "not feasible", "pad organic", "pad ceramic", "R1 at most 2.5"} {
		assert.Contains(t, texts, words)
	}
	assert.NotContains(t, texts, "far away")
	assert.Contains(t, table, "2,false,20.000000000000004,3,1\n", "every digit")
}

func TestHistogramCountsEveryNumber(t *testing.T) {
	t.Parallel()
	f := Histogram(peak, []float64{1, 1, 2, 5, math.NaN()}, []Limit{{Words: "R1", At: 9, Across: true}})
	texts, _ := drawn(t, f)
	assert.Contains(t, texts, "R1", "the axis reaches to the limit")
	sum := 0
	for _, row := range f.Table[1:] {
		sum += int(row[2][0] - '0')
	}
	assert.Equal(t, 4, sum)
	drawn(t, Histogram(peak, []float64{3, 3}, nil))
	drawn(t, Histogram(peak, []float64{1e299, 1e299}, nil))
	drawn(t, Histogram(peak, []float64{-9e299, 9e299, 1e308}, nil))
}

func TestRankingDrawsWhatIsNotExplained(t *testing.T) {
	t.Parallel()
	bars := []Bar{{Input: "spring_rate", Value: 0.6, From: 0.5, To: 0.7, Alone: 0.5}, {Input: "springs", Value: 0.3, From: math.NaN(), To: math.NaN(), Alone: math.NaN()}}
	texts, table := drawn(t, Ranking(peak, Axis{Name: "share"}, bars, 0.1))
	assert.Subset(t, texts, []string{"What moves peak_g [g]", "spring_rate", "springs", "not explained"})
	assert.Contains(t, table, "spring_rate,0.6,0.5,0.7,0.5")
	texts, _ = drawn(t, Ranking(peak, Axis{Name: "slope"}, []Bar{{Input: "a", Value: -3, From: math.NaN(), To: math.NaN(), Alone: math.NaN()}}, math.NaN()))
	assert.NotContains(t, texts, "not explained")
}

func TestOverviewSaysWhatIsNotKnown(t *testing.T) {
	t.Parallel()
	texts, table := drawn(t, Overview([]string{"a", "b"}, []string{"f", "g"}, [][]float64{{0.7, math.NaN()}, {0.2, math.NaN()}}, []float64{0.1, 0.9}))
	assert.Subset(t, texts, []string{"a", "b", "f", "g", "70 %", "?", "not predicted", "90 %"})
	assert.Contains(t, table, "not predicted,0.1,0.9")
}

func TestContoursDrawTheLimit(t *testing.T) {
	t.Parallel()
	s := Surface{X: cost, Y: peak, Value: Axis{Name: "f"}, Along: []float64{0, 1, 2}, Up: []float64{0, 1}, Z: [][]float64{{0, 1, 2}, {1, 2, 3}}, Says: ", predicted",
		Limits: []Limit{{Words: "R1 at most 1.5", At: 1.5}, {Words: "nowhere", At: 99}}, Marks: []Mark{{X: 1, Y: 0.5, Feasible: true}}}
	texts, table := drawn(t, Contours(s))
	assert.Subset(t, texts, []string{"cost [EUR]", "peak_g [g]", "f, predicted", "R1 at most 1.5"})
	assert.NotContains(t, texts, "nowhere")
	assert.Equal(t, 7, strings.Count(table, "\n"))
	drawn(t, Contours(Surface{X: cost, Y: peak, Along: []float64{0, 1}, Up: []float64{0, 1}, Z: [][]float64{{4, 4}, {4, 4}}}))
}

func TestContoursOfCellsTellWhatIsMissing(t *testing.T) {
	t.Parallel()
	gap := math.NaN()
	s := Surface{X: cost, Y: peak, Value: Axis{Name: "f"}, Along: []float64{0, 1, 2}, Up: []float64{0, 1}, Z: [][]float64{{0, 1, gap}, {1, gap, 3}}, Cells: true,
		Marks: []Mark{{X: 2, Y: 0}}, Failed: []Mark{{X: 1, Y: 1}}}
	texts, table := drawn(t, Contours(s))
	assert.Subset(t, texts, []string{"no feasible design", "every evaluation failed"})
	assert.Contains(t, table, "\n2,0,\n", "what is missing is left open")
	texts, _ = drawn(t, Contours(Surface{X: cost, Y: peak, Along: []float64{0, 1}, Up: []float64{0, 1}, Z: [][]float64{{gap, gap}, {gap, gap}}, Cells: true}))
	assert.NotContains(t, texts, "NaN")
	assert.NotContains(t, texts, "every evaluation failed")
}

func TestLinesEndWhereAValueIsMissing(t *testing.T) {
	t.Parallel()
	gap := math.NaN()
	line := Line{Name: "load = 3 kN", X: []float64{0, 1, 2, 3, 4, 5}, Y: []float64{gap, 1, 2, gap, gap, 5}}
	assert.Equal(t, []plotter.XYs{{{X: 1, Y: 1}, {X: 2, Y: 2}}, {{X: 5, Y: 5}}}, pieces(line))
	texts, table := drawn(t, Lines(cost, peak, []Line{line, {Name: "nothing", X: []float64{0, 1}, Y: []float64{gap, gap}}}))
	assert.Contains(t, texts, "load = 3 kN")
	assert.NotContains(t, texts, "nothing")
	assert.Contains(t, table, "line,cost [EUR],peak_g [g]\nload = 3 kN,0,\nload = 3 kN,1,1\n")
}

func TestFiguresOfManyAxes(t *testing.T) {
	t.Parallel()
	axes := []Axis{{Name: "pad", Words: []string{"organic", "ceramic"}}, cost, peak}
	columns := [][]float64{{0, 1, 0}, {1, 2, 3}, {5, 5, 5}}
	feasible, evaluations := []bool{true, false, true}, []int{1, 2, 3}
	texts, table := drawn(t, Parallel(axes, columns, feasible, evaluations))
	assert.Subset(t, texts, []string{"pad", "organic", "ceramic", "cost [EUR]"})
	assert.Contains(t, table, "evaluation,feasible,pad,cost [EUR],peak_g [g]\n1,true,0,1,5\n")
	texts, _ = drawn(t, Matrix(axes, columns, feasible, evaluations))
	assert.Subset(t, texts, []string{"pad", "cost [EUR]", "peak_g [g]"})
	texts, table = drawn(t, Curves(Axis{Name: "time", Unit: "s"}, peak, []Trace{{Evaluation: 3, Feasible: true, X: []float64{0, 1}, Y: []float64{2, 3}}, {Evaluation: 4, X: []float64{0, 1}, Y: []float64{1, 1}}}, []Limit{{Words: "R1", At: 2.5}}))
	assert.Subset(t, texts, []string{"time [s]", "peak_g [g]", "R1"})
	assert.Contains(t, table, "3,1,3\n")
	texts, _ = drawn(t, Validation(peak, []int{1, 2}, []float64{1, 2}, []float64{1.1, 1.9}, 0.97, "polynomial"))
	assert.Contains(t, texts, "peak_g by polynomial: Q² 0.9700")
}

func TestShadesGoFromLightToInk(t *testing.T) {
	t.Parallel()
	assert.Equal(t, shading[0], shade(-1))
	assert.Equal(t, teal, shade(2.0/3))
	assert.Equal(t, shading[3], shade(7))
}
