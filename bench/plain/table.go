package plain

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"ropebench/core/curve"
)

// Bounds on tables, named in messages.
const (
	maxTableLine = 1 << 20
	MaxValues    = 5_000_000 // in one curve
)

// Table reads a table of a text file row by row. Its rows are parted by what its first row contains - a semicolon, a tab or
// a comma, with quotes as in CSV (RFC 4180) - or by blanks. Empty lines and lines that begin with # are stepped over.
type Table struct {
	read func() (row []string, line int, err error)
}

// NewTable begins to read a table, and looks at its first row.
func NewTable(text io.Reader) *Table {
	buffered := bufio.NewReaderSize(text, 1<<16)
	if mark, _ := buffered.Peek(len(byteOrderMark)); string(mark) == byteOrderMark {
		_, _ = buffered.Discard(len(byteOrderMark)) // it was peeked at
	}
	for skipped := 0; ; skipped++ {
		first, err := buffered.ReadString('\n')
		if err != nil && (!errors.Is(err, io.EOF) || first == "") {
			return &Table{read: func() ([]string, int, error) { return nil, skipped + 1, err }}
		}
		if stepOver(first) {
			continue
		}
		rest := io.MultiReader(strings.NewReader(first), buffered)
		if at := strings.IndexAny(first, ";\t"); at >= 0 {
			return separated(rest, first[at], skipped)
		}
		if strings.Contains(first, ",") {
			return separated(rest, ',', skipped)
		}
		return blank(rest, skipped)
	}
}

// Read gives the cells of the next row, without blanks about them, and the line on which it stands, from 1. The cells are
// overwritten by the next call. The error is io.EOF behind the last row.
func (t *Table) Read() (row []string, line int, err error) { return t.read() }

const byteOrderMark = "\xef\xbb\xbf"

func stepOver(line string) bool {
	line = strings.TrimSpace(line)
	return line == "" || line[0] == '#'
}

func separated(text io.Reader, separator byte, skipped int) *Table {
	r := csv.NewReader(text)
	r.Comma, r.Comment, r.FieldsPerRecord, r.TrimLeadingSpace, r.ReuseRecord = rune(separator), '#', -1, true, true
	return &Table{read: func() ([]string, int, error) {
		row, err := r.Read()
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			return nil, parse.Line + skipped, parse.Err
		}
		if err != nil {
			return nil, 0, err
		}
		for k := range row {
			row[k] = strings.TrimSpace(row[k])
		}
		line, _ := r.FieldPos(0)
		return row, line + skipped, nil
	}}
}

func blank(text io.Reader, skipped int) *Table {
	lines := bufio.NewScanner(text)
	lines.Buffer(nil, maxTableLine)
	line := skipped
	return &Table{read: func() ([]string, int, error) {
		for lines.Scan() {
			line++
			if !stepOver(lines.Text()) {
				return strings.Fields(lines.Text()), line, nil
			}
		}
		return nil, line, cmp.Or(lines.Err(), io.EOF)
	}}
}

// Curve reads two columns of a table, named by their headers, or by number from 1: c.X and c.Y have a value for each row.
// file is its name in messages.
func Curve(text io.Reader, file, x, y string) (c curve.Curve, err error) {
	table := NewTable(text)
	row, line, err := table.Read()
	columns, header := columnsOf{}, false
	if err == nil {
		columns, header, err = findColumns(row, file, x, y)
		if err != nil {
			return c, err
		}
		if header {
			row, line, err = table.Read()
		}
	}
	for ; err == nil; row, line, err = table.Read() {
		atX, atY, err := columns.read(row)
		if err != nil {
			return c, fmt.Errorf("line %d of %s: %w", line, file, err)
		}
		if len(c.Y) == MaxValues {
			return c, fmt.Errorf("%s has more than %d rows: write fewer", file, MaxValues)
		}
		c.X, c.Y = append(c.X, atX), append(c.Y, atY)
	}
	if !errors.Is(err, io.EOF) {
		return c, fmt.Errorf("line %d of %s cannot be read: %w", line, file, err)
	}
	if err := c.Check(); err != nil {
		return c, fmt.Errorf("the curve in %s is not usable: %w", file, err)
	}
	return c, nil
}

// Number reads a number as solvers print it: also with D for the exponent, as Fortran does.
func Number(text, file string) (float64, error) {
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

// columnsOf says where x and y of a curve stand in each row, from 0.
type columnsOf struct{ x, y int }

func findColumns(first []string, file, x, y string) (columns columnsOf, header bool, err error) {
	_, notNumber := strconv.ParseFloat(first[0], 64)
	header = notNumber != nil
	if columns.x, err = columnOf(x, first, header, file); err != nil {
		return columns, false, err
	}
	columns.y, err = columnOf(y, first, header, file)
	return columns, header, err
}

func columnOf(name string, names []string, header bool, file string) (int, error) {
	if at := slices.Index(names, name); header && at >= 0 {
		return at, nil
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && n <= len(names) {
		return n - 1, nil
	}
	if header {
		return 0, fmt.Errorf("%s has no column %q; it has %s", file, name, Short(strings.Join(names, ", ")))
	}
	return 0, fmt.Errorf("%s has no header and %d columns: name a column by its number, from 1, not %q", file, len(names), name)
}

func (c columnsOf) read(row []string) (x, y float64, err error) {
	if len(row) <= max(c.x, c.y) {
		return 0, 0, fmt.Errorf("it has %d fields, fewer than the columns asked for", len(row))
	}
	if x, err = Number(row[c.x], "the row"); err != nil {
		return 0, 0, err
	}
	y, err = Number(row[c.y], "the row")
	return x, y, err
}
