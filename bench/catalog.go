package bench

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// maxCatalog bounds the rows of a catalog.
const maxCatalog = 100_000

// readCatalogs reads the parts that can be bought, of all inputs that have a catalog, and looks up what the bench says of
// them: nominals, and the columns that formulas name.
func (b *Bench) readCatalogs(content Content) Problems {
	var problems Problems
	for i, in := range b.Inputs {
		if in.Choices == nil || in.Choices.Catalog == "" {
			continue
		}
		file, kept := content.Files[ContentPath(in.Choices.Catalog)]
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
			problems = append(problems, Problem{content.File, b.inputLines[in.Name], fmt.Sprintf("%s: the nominal is no row of %s: %s", in.Name, in.Choices.Catalog, err)})
		}
	}
	if len(problems) > 0 {
		return problems
	}
	problems = b.checkRowsOfStudies(content.File)
	for _, u := range b.uses {
		for _, name := range u.expression.Names {
			if message := b.wordMistake(name); message != "" {
				problems = append(problems, Problem{content.File, u.line, fmt.Sprintf("%s: in the formula %q: %s", u.what, u.expression.Text, message)})
			}
		}
	}
	return problems
}

// checkRowsOfStudies looks up the rows of catalogs that studies hold or start from.
func (b *Bench) checkRowsOfStudies(file string) Problems {
	var problems Problems
	for _, s := range b.Studies {
		for what, values := range map[string]map[string]Value{"hold": s.Hold, "start": s.Start} {
			for name, value := range values {
				in, _ := b.Input(name)
				if in.Choices == nil || in.Choices.Catalog == "" || in.Choices.Words == nil {
					continue // looked up already, or the catalog is missing
				}
				if _, err := in.NumberOf(value); err != nil {
					problems = append(problems, Problem{file, s.line, fmt.Sprintf("%s: %s: %s", s.Name, what, err)})
				}
			}
		}
	}
	return problems
}

// readCatalog reads a table of parts: a header, then a row for each, named by its first cell. No cell may be empty.
func readCatalog(file string, text []byte) (*Choices, Problems) {
	var problems Problems
	wrong := func(line int, format string, args ...any) {
		problems = append(problems, Problem{file, line, fmt.Sprintf(format, args...)})
	}
	rows, lines, err := catalogRows(text)
	var parse *csv.ParseError
	switch {
	case errors.As(err, &parse):
		wrong(parse.Line, "the catalog cannot be read: %s", parse.Err)
	case err != nil:
		wrong(1, "the catalog cannot be read: %s", err)
	case len(rows) < 2:
		wrong(1, "a catalog has a header, such as name,mass,price, and a row for each part; this has %d rows", len(rows))
	case len(rows)-1 > maxCatalog:
		wrong(1, "the catalog has %d rows; at most %d are read", len(rows)-1, maxCatalog)
	}
	if len(problems) > 0 {
		return nil, problems
	}
	c := &Choices{Catalog: file}
	header := rows[0]
	for k, name := range header {
		switch {
		case k > 0 && !goodName.MatchString(name):
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
	c.sort()
	c.number()
	return c, nil
}

// catalogRows splits the text at the separator that its header has, and says on which line each row stands.
func catalogRows(text []byte) (rows [][]string, lines []int, err error) {
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))))
	header, _, _ := bytes.Cut(text, []byte("\n"))
	for _, separator := range ";\t" {
		if bytes.ContainsRune(header, separator) {
			r.Comma = separator
			break
		}
	}
	r.Comment, r.FieldsPerRecord, r.TrimLeadingSpace = '#', -1, true
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return rows, lines, nil
		}
		if err != nil {
			return nil, nil, err
		}
		for k := range row {
			row[k] = strings.TrimSpace(row[k])
		}
		line, _ := r.FieldPos(0)
		rows, lines = append(rows, row), append(lines, line)
	}
}

func catalogColumn(name string, rows [][]string, k int) Column {
	c := Column{Name: name}
	for _, row := range rows {
		number, isNumber := parseNumber(row[k])
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

// sort orders the rows by the first column of numbers in which they differ.
func (c *Choices) sort() {
	order := make([]int, len(c.Words))
	for i := range order {
		order[i] = i
	}
	for _, column := range c.Columns {
		if column.Numbers != nil && slices.Min(column.Numbers) < slices.Max(column.Numbers) {
			slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(column.Numbers[a], column.Numbers[b]) })
			break
		}
	}
	c.Words = inOrder(c.Words, order)
	for k := range c.Columns {
		c.Columns[k].Numbers, c.Columns[k].Words = inOrder(c.Columns[k].Numbers, order), inOrder(c.Columns[k].Words, order)
	}
}

func inOrder[T any](all []T, order []int) []T {
	if all == nil {
		return nil
	}
	sorted := make([]T, len(order))
	for i, k := range order {
		sorted[i] = all[k]
	}
	return sorted
}
