package read

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/formula"
)

// mostPlanned bounds the rows of a table of points.
const mostPlanned = 100_000

// besides are columns of a table of evaluations, as it is exported, that say nothing of a design.
var besides = []string{"evaluation", "state", "feasible", "reused", "reason", "missed"}

// readPlanTables reads the points of samples, and the cells of sweeps, that have them in a file.
func (f *fileReader) readPlanTables(content bench.Content) bench.Problems {
	var problems bench.Problems
	for _, s := range f.bench.Studies {
		path, rows := "", (**bench.PlanTable)(nil)
		switch settings := s.Settings.(type) {
		case *bench.Sample:
			path, rows = settings.Table, &settings.Rows
		case *bench.Sweep:
			path, rows = settings.Over.Table, &settings.Over.Rows
		}
		file, kept := content.Files[bench.ContentPath(path)]
		if path == "" || !kept {
			continue // there is none, or it is missing, which is said already
		}
		table, wrong := readPlanTable(f.bench, path, file.Text)
		problems = append(problems, wrong...)
		*rows = table
	}
	return problems
}

// A planColumn is what a column of a table of points stands for.
type planColumn struct {
	input  bench.Input
	output string
	ignore bool
}

func readPlanTable(b *bench.Bench, file string, text []byte) (*bench.PlanTable, bench.Problems) {
	var problems bench.Problems
	wrong := func(line int, format string, args ...any) {
		problems = append(problems, bench.Problem{File: file, Line: line, Message: fmt.Sprintf(format, args...)})
	}
	rows, lines, problem := tableRows(text, "table", "a table of points has a header with the names of inputs, and a row for each point", mostPlanned)
	if problem.Message != "" {
		problem.File = file
		return nil, bench.Problems{problem}
	}
	t := &bench.PlanTable{}
	heads := plain.ColumnNames(rows[0])
	columns := make([]planColumn, len(heads))
	for k, head := range heads {
		var err error
		head = plain.WithoutUnit(head)
		if columns[k], err = planColumnOf(b, head); err != nil {
			wrong(lines[0], "%s", err)
		}
		switch c := columns[k]; {
		case slices.Contains(t.Inputs, c.input.Name) || slices.Contains(t.Outputs, c.output):
			wrong(lines[0], "two columns are headed %s: remove one", head)
		case c.input.Name != "":
			t.Inputs = append(t.Inputs, c.input.Name)
			t.Shown = append(t.Shown, c.input.ValueOf)
		case c.output != "":
			t.Outputs = append(t.Outputs, c.output)
		}
	}
	if len(problems) == 0 && len(t.Inputs) == 0 {
		wrong(lines[0], "no column is headed by an input: name the columns as the bench names its inputs (%s)", strings.Join(b.InputNames(), ", "))
	}
	for i, row := range rows[1:] {
		if len(row) != len(columns) {
			wrong(lines[i+1], "the row has %d cells, and the header %d", len(row), len(columns))
			continue
		}
		if len(problems) > 20 {
			break // they are all alike
		}
		var design, values []float64
		for k, c := range columns {
			number, err := c.read(row[k])
			switch {
			case err != nil:
				wrong(lines[i+1], "column %s: %s", heads[k], err)
			case c.input.Name != "":
				design = append(design, number)
			case c.output != "":
				values = append(values, number)
			}
		}
		t.Designs, t.Values = append(t.Designs, design), append(t.Values, values)
	}
	return t, problems
}

// planColumnOf is what the column of that name stands for. Derived values are computed, whatever the table says.
func planColumnOf(b *bench.Bench, head string) (planColumn, error) {
	if in, is := b.Input(head); is {
		return planColumn{input: in}, nil
	}
	if r, is := bench.Find(b.Returns(), head, func(r bench.Returned) string { return r.Name }); is {
		if r.Shape != formula.Number {
			return planColumn{}, fmt.Errorf("the column %s is %s of the solver, and a cell holds one number: remove it", head, r.Shape)
		}
		return planColumn{output: head}, nil
	}
	known := append(b.InputNames(), b.ValueNames()...)
	for _, q := range b.Requirements {
		known = append(known, q.Of.Text)
	}
	if slices.Contains(known, head) || slices.Contains(besides, head) {
		return planColumn{ignore: true}, nil
	}
	return planColumn{}, fmt.Errorf("the column %s is no input and no output of the bench%s: rename or remove it", head, formula.Suggest(head, known))
}

// read reads a cell: an output that is not known is NaN.
func (c planColumn) read(cell string) (float64, error) {
	switch {
	case c.ignore:
		return 0, nil
	case c.output != "" && cell == "":
		return math.NaN(), nil
	case cell == "":
		return 0, fmt.Errorf("the cell is empty: write the value of %s", c.input.Name)
	case c.input.Wordy():
		return c.input.NumberOf(bench.Value{Word: cell})
	}
	number, isNumber := plain.YAMLNumber(cell)
	if !isNumber || math.IsInf(number, 0) || math.IsNaN(number) {
		return 0, fmt.Errorf("%q is no number", cell)
	}
	if c.input.Name != "" {
		return c.input.NumberOf(bench.Number(number))
	}
	return number, nil
}
