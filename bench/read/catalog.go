package read

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// maxCatalog bounds the rows of a catalog.
const maxCatalog = 100_000

// readCatalogs reads the parts that can be bought, of all inputs that have a catalog, and looks up what the bench says of
// them: nominals, and the columns that formulas name.
func (f *fileReader) readCatalogs(content bench.Content) bench.Problems {
	b := f.bench
	var problems bench.Problems
	for i, in := range b.Inputs {
		if in.Choices == nil || in.Choices.Catalog == "" {
			continue
		}
		file, kept := content.Files[bench.ContentPath(in.Choices.Catalog)]
		if !kept {
			continue // it is missing, which is said already
		}
		choices, wrong := readCatalog(in.Choices.Catalog, file.Text)
		if len(wrong) > 0 {
			problems = append(problems, wrong...)
			continue
		}
		b.Inputs[i].Choices = choices
		if _, err := b.Inputs[i].NumberOf(in.Nominal); err != nil {
			problems = append(problems, bench.Problem{File: content.File, Line: f.lines[in.Name], Message: fmt.Sprintf("%s: the nominal is no row of %s: %s", in.Name, in.Choices.Catalog, err)})
		}
	}
	if len(problems) > 0 {
		return problems
	}
	problems = f.checkRowsOfStudies(content.File)
	for _, u := range f.uses {
		for _, name := range u.expression.Names {
			if message := b.WordMistake(name); message != "" {
				problems = append(problems, bench.Problem{File: content.File, Line: u.line, Message: fmt.Sprintf("%s: in the formula %q: %s", u.what, u.expression.Text, message)})
			}
		}
	}
	return problems
}

// checkRowsOfStudies looks up the rows of catalogs that studies hold or start from.
func (f *fileReader) checkRowsOfStudies(file string) bench.Problems {
	b := f.bench
	var problems bench.Problems
	for _, s := range b.Studies {
		start, _ := s.StartsFrom()
		for what, values := range map[string]map[string]bench.Value{"hold": s.Hold, "start": start.Values} {
			for name, value := range values {
				in, _ := b.Input(name)
				if in.Choices == nil || in.Choices.Catalog == "" || in.Choices.Words == nil {
					continue // looked up already, or the catalog is missing
				}
				if _, err := in.NumberOf(value); err != nil {
					problems = append(problems, bench.Problem{File: file, Line: f.studyLines[s.Name], Message: fmt.Sprintf("%s: %s: %s", s.Name, what, err)})
				}
			}
		}
	}
	return problems
}

// readCatalog reads a table of parts: a header, then a row for each, named by its first cell. No cell may be empty.
func readCatalog(file string, text []byte) (*bench.Choices, bench.Problems) {
	var problems bench.Problems
	wrong := func(line int, format string, args ...any) {
		problems = append(problems, bench.Problem{File: file, Line: line, Message: fmt.Sprintf(format, args...)})
	}
	rows, lines, problem := tableRows(text, "catalog", "a catalog has a header, such as name,mass,price, and a row for each part", maxCatalog)
	if problem.Message != "" {
		problem.File = file
		return nil, bench.Problems{problem}
	}
	c := &bench.Choices{Catalog: file}
	header := rows[0]
	for k, name := range header {
		switch {
		case k > 0 && !bench.GoodName.MatchString(name):
			wrong(lines[0], "column %d is headed %q, which cannot be a name (a letter, then letters, digits and _): rename it", k+1, name)
		case k > 0 && slices.Contains(header[1:k], name):
			wrong(lines[0], "two columns are headed %s: rename one", name)
		}
	}
	first := map[string]int{}
	for i, row := range rows[1:] {
		line := lines[i+1]
		if len(row) != len(header) {
			wrong(line, "the row has %d cells, and the header %d", len(row), len(header))
			continue
		}
		for k, cell := range row {
			if cell == "" {
				wrong(line, "the cell of column %s is empty in the row of %q: write a value, or remove the row", header[k], row[0])
			} else if message := badWord(cell); message != "" {
				wrong(line, "column %s: %s", header[k], message)
			}
		}
		if earlier, twice := first[row[0]]; twice {
			wrong(line, "a row named %s stands on line %d already: each part needs a name of its own", row[0], earlier)
		}
		first[row[0]] = line
		c.Words = append(c.Words, row[0])
	}
	if len(problems) > 0 {
		return nil, problems
	}
	for k, name := range header[1:] {
		c.Columns = append(c.Columns, catalogColumn(name, rows[1:], k+1))
	}
	c.Sort()
	c.Number()
	return c, nil
}

// tableRows reads a table with a header, and says what is wrong with it as a whole: form is what it should be.
func tableRows(text []byte, what, form string, most int) (rows [][]string, lines []int, problem bench.Problem) {
	rows, lines, err := catalogRows(text)
	switch {
	case err != nil:
		problem = bench.Problem{Line: lines[len(lines)-1], Message: fmt.Sprintf("the %s cannot be read: %s", what, err)}
	case len(rows) < 2:
		problem = bench.Problem{Line: 1, Message: fmt.Sprintf("%s; this has %d rows", form, len(rows))}
	case len(rows)-1 > most:
		problem = bench.Problem{Line: 1, Message: fmt.Sprintf("the %s has %d rows; at most %d are read", what, len(rows)-1, most)}
	}
	return rows, lines, problem
}

// catalogRows reads the rows, and says on which line each stands; with an error, on which line it is.
func catalogRows(text []byte) (rows [][]string, lines []int, err error) {
	table := plain.NewTable(bytes.NewReader(text))
	for {
		row, line, err := table.Read()
		if errors.Is(err, io.EOF) {
			return rows, lines, nil
		}
		if rows, lines = append(rows, slices.Clone(row)), append(lines, line); err != nil {
			return rows, lines, err
		}
	}
}

func catalogColumn(name string, rows [][]string, k int) bench.Column {
	c := bench.Column{Name: name}
	for _, row := range rows {
		number, isNumber := plain.YAMLNumber(row[k])
		if !isNumber {
			c.Numbers = nil
			break
		}
		c.Numbers = append(c.Numbers, number)
	}
	if c.Numbers == nil {
		for _, row := range rows {
			c.Words = append(c.Words, row[k])
		}
	}
	return c
}
