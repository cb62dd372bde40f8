package bench

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"ropebench/core/curve"
)

// Bounds on tables, named in messages.
const (
	maxTableLine = 1 << 20
	maxValues    = 5_000_000 // in one curve
)

// ReadCurve reads two columns of a table, named by their headers, or by number from 1. The separator (semicolon, tab, comma
// or blanks) is found by looking; lines that begin with # are comments. file is its name in messages.
func ReadCurve(table io.Reader, file, x, y string) (curve.Curve, error) {
	lines := bufio.NewScanner(table)
	lines.Buffer(nil, maxTableLine)
	var c curve.Curve
	var columns *tableColumns
	for line := 1; lines.Scan(); line++ {
		text := bytes.TrimSpace(lines.Bytes())
		if len(text) == 0 || text[0] == '#' {
			continue
		}
		if columns == nil {
			var header bool
			var err error
			if columns, header, err = findColumns(string(text), file, x, y); err != nil {
				return c, err
			}
			if header {
				continue
			}
		}
		atX, atY, err := columns.read(string(text))
		if err != nil {
			return c, fmt.Errorf("line %d of %s: %w", line, file, err)
		}
		if len(c.Y) == maxValues {
			return c, fmt.Errorf("%s has more than %d rows: write fewer", file, maxValues)
		}
		c.X, c.Y = append(c.X, atX), append(c.Y, atY)
	}
	if err := lines.Err(); err != nil {
		return c, fmt.Errorf("%s cannot be read: %w", file, err)
	}
	if err := c.Check(); err != nil {
		return c, fmt.Errorf("the curve in %s is not usable: %w", file, err)
	}
	return c, nil
}

// ReadNumber reads a number as solvers print it: also with D for the exponent, as Fortran does.
func ReadNumber(text, file string) (float64, error) {
	plain := strings.TrimSpace(text)
	value, err := strconv.ParseFloat(plain, 64)
	if err != nil && strings.ContainsAny(plain, "Dd") {
		value, err = strconv.ParseFloat(strings.Map(fortranExponent, plain), 64)
	}
	if err != nil && !math.IsInf(value, 0) {
		return 0, fmt.Errorf("in %s stands %q where a number was due", file, Short(plain))
	}
	return value, nil
}

func fortranExponent(r rune) rune {
	if r == 'D' || r == 'd' {
		return 'e'
	}
	return r
}

// Short cuts a text that is shown in a message.
func Short(text string) string {
	if len(text) > 60 {
		return text[:60] + "..."
	}
	return text
}

// FieldsOf splits a row of a table in a text, as it does for decks.
func FieldsOf(row []byte) []string {
	var fields []string
	for _, span := range fieldSpans(row) {
		fields = append(fields, string(row[span[0]:span[1]]))
	}
	return fields
}

// tableColumns says where x and y of a curve stand in each row.
type tableColumns struct {
	separator string // "": blanks
	x, y      int
}

func findColumns(first, file, x, y string) (columns *tableColumns, header bool, err error) {
	columns = &tableColumns{}
	for _, separator := range []string{";", "\t", ","} {
		if strings.Contains(first, separator) {
			columns.separator = separator
			break
		}
	}
	names := columns.split(first)
	_, notNumber := strconv.ParseFloat(names[0], 64)
	header = notNumber != nil
	if columns.x, err = columnOf(x, names, header, file); err != nil {
		return nil, false, err
	}
	columns.y, err = columnOf(y, names, header, file)
	return columns, header, err
}

func columnOf(name string, names []string, header bool, file string) (int, error) {
	if header {
		for i, candidate := range names {
			if candidate == name {
				return i, nil
			}
		}
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(names) {
		return n - 1, nil
	}
	if header {
		return 0, fmt.Errorf("%s has no column %q; it has %s", file, name, Short(strings.Join(names, ", ")))
	}
	return 0, fmt.Errorf("%s has no header and %d columns: name a column by its number, from 1, not %q", file, len(names), name)
}

func (t *tableColumns) split(line string) []string {
	if t.separator == "" {
		return strings.Fields(line)
	}
	fields := strings.Split(line, t.separator)
	for i := range fields {
		fields[i] = strings.Trim(strings.TrimSpace(fields[i]), `"`)
	}
	return fields
}

func (t *tableColumns) read(line string) (x, y float64, err error) {
	fields := t.split(line)
	if len(fields) <= max(t.x, t.y) {
		return 0, 0, fmt.Errorf("it has %d fields, fewer than the columns asked for", len(fields))
	}
	if x, err = ReadNumber(fields[t.x], "the row"); err != nil {
		return 0, 0, err
	}
	y, err = ReadNumber(fields[t.y], "the row")
	return x, y, err
}
