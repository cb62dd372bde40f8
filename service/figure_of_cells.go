package service

import (
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ropebench/bench"
	"ropebench/core/formula"
	"ropebench/report"
	"ropebench/result"
	"ropebench/study"
)

// A drawingOfCells is a figure of the answers of a sweep: over x as lines, over x and y from above.
type drawingOfCells struct {
	bench *bench.Bench
	asked *study.Asked
	cells []result.Cell
	of    string // an input of the best designs; "" for the objective
	x, y  string
	at    map[string]bench.Value // of the other inputs, where they are cut
}

// figureOfCells draws the cells of a run. Those of other inputs than x and y are told by at, a list of name=value.
func (s *Service) figureOfCells(c fiber.Ctx) (report.Figure, error) {
	run, err := s.namedRun(c)
	if err != nil {
		return report.Figure{}, err
	}
	_, parts, err := s.runs.Result(run.ID)
	if err != nil {
		return report.Figure{}, err
	}
	if len(parts.Cells) == 0 {
		return report.Figure{}, problem(fiber.StatusBadRequest, "run %d has no cells: it is of study %s, and those of kind sweep have some", run.ID, run.Question.Study)
	}
	d := drawingOfCells{cells: parts.Cells, of: strings.Clone(c.Query("of")), x: strings.Clone(c.Query("x")), y: strings.Clone(c.Query("y"))}
	if d.bench, err = s.revision(run.Bench, run.Revision); err != nil {
		return report.Figure{}, err
	}
	if d.asked, err = study.Ask(d.bench, run.Question); err != nil {
		return report.Figure{}, err
	}
	over := slices.Sorted(maps.Keys(d.cells[0].At))
	if d.x == "" {
		d.x = over[0]
	}
	for _, name := range []string{d.x, d.y} {
		if value, swept := d.cells[0].At[name]; name != "" && (!swept || value.Word != "") {
			return report.Figure{}, problem(fiber.StatusBadRequest, "%q is no input with numbers that run %d is swept over%s (swept: %s)", name, run.ID, formula.Suggest(name, over), strings.Join(over, ", "))
		}
	}
	if d.of != "" {
		if in, known := d.bench.Input(d.of); !known || in.Words() {
			return report.Figure{}, problem(fiber.StatusBadRequest, "of names an input of the best designs, and %q is none that is a number; without it the objective is drawn", d.of)
		}
	}
	if err := d.cut(namesOf(c, "at")); err != nil {
		return report.Figure{}, err
	}
	figure := d.lines()
	if d.y != "" {
		figure = d.above()
	}
	figure.Table = result.TableOfCells(parts.Cells)
	return figure, nil
}

// cut keeps the cells that are at the values of other inputs than those that are drawn: those that are asked for, or of the first cell.
func (d *drawingOfCells) cut(at []string) error {
	asked := map[string]bench.Value{}
	for _, one := range at {
		name, text, _ := strings.Cut(one, "=")
		if _, swept := d.cells[0].At[name]; !swept || name == d.x || name == d.y {
			return problem(fiber.StatusBadRequest, "at names an input that is swept and not drawn, with its value, such as springs=3: %q is none", one)
		}
		asked[name] = bench.ParseValue(text)
	}
	if d.y == "" {
		return d.keep(asked)
	}
	for name, first := range d.cells[0].At {
		if _, given := asked[name]; !given && name != d.x && name != d.y {
			asked[name] = first
		}
	}
	return d.keep(asked)
}

func (d *drawingOfCells) keep(at map[string]bench.Value) error {
	d.at = at
	d.cells = slices.DeleteFunc(slices.Clone(d.cells), func(cell result.Cell) bool {
		for name, value := range at {
			if cell.At[name] != value && cell.At[name].Show("") != value.Show("") { // a third is told as it is shown
				return true
			}
		}
		return false
	})
	if len(d.cells) == 0 {
		return problem(fiber.StatusBadRequest, "no cell is at %s", d.shown(at))
	}
	return nil
}

// shown are some values in words, by their names.
func (d drawingOfCells) shown(values map[string]bench.Value) string {
	var all []string
	for _, name := range slices.Sorted(maps.Keys(values)) {
		in, _ := d.bench.Input(name)
		all = append(all, name+" = "+values[name].Show(in.Unit))
	}
	return strings.Join(all, ", ")
}

// value is that of a cell which is drawn; NaN where it has none.
func (d drawingOfCells) value(cell result.Cell) float64 {
	switch {
	case cell.State != "finished" || cell.Best == nil:
		return math.NaN()
	case d.of != "":
		return cell.Best.Inputs[d.of].Number
	case cell.Best.Objective != nil:
		return *cell.Best.Objective
	}
	return math.NaN()
}

func (d drawingOfCells) axis(name string) report.Axis {
	in, _ := d.bench.Input(name)
	return report.Axis{Name: name, Unit: in.Unit}
}

func (d drawingOfCells) valueAxis() report.Axis {
	if d.of != "" {
		return d.axis(d.of)
	}
	objectives := d.asked.Problem.Objectives
	if len(objectives) == 0 {
		return report.Axis{Name: "objective"}
	}
	column := d.asked.Model.Columns[objectives[0].Value]
	return report.Axis{Name: column.Name, Unit: column.Unit}
}

// lines are over x, one for each setting of the other inputs.
func (d drawingOfCells) lines() report.Figure {
	var lines []report.Line
	for _, cell := range d.cells {
		others := maps.Clone(cell.At)
		delete(others, d.x)
		for name := range d.at {
			delete(others, name)
		}
		name := d.shown(others)
		i := slices.IndexFunc(lines, func(l report.Line) bool { return l.Name == name })
		if i < 0 {
			i = len(lines)
			lines = append(lines, report.Line{Name: name})
		}
		lines[i].X, lines[i].Y = append(lines[i].X, cell.At[d.x].Number), append(lines[i].Y, d.value(cell))
	}
	return report.Lines(d.axis(d.x), d.valueAxis(), lines)
}

// above are the cells over x and y.
func (d drawingOfCells) above() report.Figure {
	along, up := map[float64]bool{}, map[float64]bool{}
	for _, cell := range d.cells {
		along[cell.At[d.x].Number], up[cell.At[d.y].Number] = true, true
	}
	s := report.Surface{X: d.axis(d.x), Y: d.axis(d.y), Value: d.valueAxis(), Cells: true, Says: " of the best designs",
		Along: slices.Sorted(maps.Keys(along)), Up: slices.Sorted(maps.Keys(up))}
	if len(d.at) > 0 {
		s.Says += " at " + d.shown(d.at)
	}
	for range s.Up {
		row := make([]float64, len(s.Along))
		for k := range row {
			row[k] = math.NaN()
		}
		s.Z = append(s.Z, row)
	}
	for _, cell := range d.cells {
		x, y := cell.At[d.x].Number, cell.At[d.y].Number
		r, _ := slices.BinarySearch(s.Up, y)
		k, _ := slices.BinarySearch(s.Along, x)
		s.Z[r][k] = d.value(cell)
		switch mark := (report.Mark{X: x, Y: y, Colour: math.NaN()}); cell.State {
		case "infeasible":
			s.Marks = append(s.Marks, mark)
		case "failed":
			s.Failed = append(s.Failed, mark)
		}
	}
	return report.Contours(s)
}
