package plain

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
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
func NewTable(text io.Reader) *Table { return newTable(text, false) }

// newTable reads a table; where numbers have decimal commas, these do not part its cells.
func newTable(text io.Reader, commas bool) *Table {
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
		if !commas && strings.Contains(first, ",") && !decimalCommas(first) {
			return separated(rest, ',', skipped)
		}
		return blank(rest, skipped)
	}
}

// Read gives the cells of the next row, without blanks about them, and the line on which it stands, from 1. The cells are
// overwritten by the next call. The error is io.EOF behind the last row.
func (t *Table) Read() (row []string, line int, err error) { return t.read() }

// decimalComma is a number with a comma where a point is meant.
var decimalComma = regexp.MustCompile(`^[-+]?\d+,\d+([eEdD][-+]?\d+)?$`)

// ErrDecimalComma is the error of such a number.
var ErrDecimalComma = errors.New("a number with a decimal comma: let it be written with a point")

// decimalCommas is true for a line of several fields between blanks of which one is a number with a decimal comma: commas do
// not part them.
func decimalCommas(line string) bool {
	if strings.IndexByte(line, ',') < 0 {
		return false // as in most logs, of which each line is looked at
	}
	fields := strings.Fields(line)
	return len(fields) > 1 && slices.ContainsFunc(fields, decimalComma.MatchString) && !slices.ContainsFunc(fields, func(field string) bool {
		return strings.HasPrefix(field, ",") || strings.HasSuffix(field, ",") || strings.Count(field, ",") > 1
	})
}

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
// A file is read by name only where each row has as many cells as the header has names. file is its name in messages.
func Curve(text io.Reader, file, x, y string) (c curve.Curve, err error) {
	return CurveOf(text, file, x, y, false)
}

// CurveOf is Curve, of a file whose numbers have decimal commas or not.
func CurveOf(text io.Reader, file, x, y string, commas bool) (c curve.Curve, err error) {
	table := newTable(text, commas)
	row, line, err := table.Read()
	first, firstLine := slices.Clone(row), line
	columns := columnsOf{commas: commas}
	add := func(row []string, line int) error {
		atX, atY, err := columns.read(row)
		if err != nil {
			return fmt.Errorf("line %d of %s: %w", line, file, err)
		}
		if len(c.Y) == MaxValues {
			return fmt.Errorf("%s has more than %d rows: write fewer", file, MaxValues)
		}
		c.X, c.Y = append(c.X, atX), append(c.Y, atY)
		return nil
	}
	if err == nil {
		row, line, err = table.Read()
		var mistake error
		if columns, mistake = columns.in(first, row, firstLine, file, x, y); mistake == nil && columns.header == nil {
			mistake = add(first, firstLine)
		}
		if mistake != nil {
			return c, mistake
		}
	}
	for ; err == nil; row, line, err = table.Read() {
		if err := add(row, line); err != nil {
			return c, err
		}
	}
	if !errors.Is(err, io.EOF) {
		return c, fmt.Errorf("line %d of %s cannot be read: %w", line, file, err)
	}
	if err := c.Check(); err != nil {
		return c, fmt.Errorf("the curve in %s is not usable: %w", file, err)
	}
	return c, nil
}

// bareExponent is a number whose exponent has no letter, as in fixed columns: 2.1+11.
var bareExponent = regexp.MustCompile(`^([-+]?(?:\d+\.\d*|\.\d+))([-+]\d{1,3})$`)

// Number reads a number as solvers print it: also with D for the exponent, as Fortran does, or without a letter.
func Number(text, file string) (float64, error) {
	plain := strings.TrimSpace(text)
	value, err := strconv.ParseFloat(plain, 64)
	if err != nil && strings.ContainsAny(plain, "Dd") {
		value, err = strconv.ParseFloat(strings.Map(fortranExponent, plain), 64)
	}
	if err != nil && strings.ContainsAny(plain, "+-") && bareExponent.MatchString(plain) {
		value, err = strconv.ParseFloat(bareExponent.ReplaceAllString(plain, "${1}e${2}"), 64)
	}
	if err != nil && decimalComma.MatchString(plain) {
		return 0, fmt.Errorf("in %s stands %q, %w", file, Short(plain), ErrDecimalComma)
	}
	if err != nil && !math.IsInf(value, 0) {
		return 0, fmt.Errorf("in %s stands %q where a number was due", file, Short(plain))
	}
	return value, nil
}

// NumberOf is Number, of a file whose numbers have decimal commas or not. One with a point besides is refused: which of them parts thousands is not known.
func NumberOf(text, file string, commas bool) (float64, error) {
	if commas && strings.Count(text, ",") == 1 && !strings.Contains(text, ".") {
		text = strings.Replace(text, ",", ".", 1)
	}
	return Number(text, file)
}

func fortranExponent(r rune) rune {
	if r == 'D' || r == 'd' {
		return 'e'
	}
	return r
}

// columnsOf says where x and y of a curve stand in each row, from 0.
type columnsOf struct {
	x, y   int
	header []string // nil where there is none
	line   int      // of the header
	named  bool     // one of them is found by its name
	commas bool     // numbers have decimal commas
}

// in takes the first row for a header where a column is asked by name, where one that is asked by number has none
// there, or where it begins with a word and the second with a number.
func (c columnsOf) in(first, second []string, line int, file, x, y string) (columns columnsOf, err error) {
	columns = c
	begins := len(second) > 0 && !c.isNumber(first[0]) && c.isNumber(second[0])
	if begins || c.notNumbers(first, x, y) {
		columns.header, columns.line = slices.Clone(ColumnNames(first)), line
	}
	var xNamed, yNamed bool
	if columns.x, xNamed, err = columns.find(x, first, file); err != nil {
		return columns, err
	}
	columns.y, yNamed, err = columns.find(y, first, file)
	columns.named = xNamed || yNamed
	return columns, err
}

func (c columnsOf) isNumber(text string) bool {
	_, err := NumberOf(text, "", c.commas)
	return err == nil
}

// notNumbers is true where a column that is asked for is a word of the row, or has a word there.
func (c columnsOf) notNumbers(row []string, columns ...string) bool {
	for _, column := range columns {
		n, err := strconv.Atoi(column)
		if err != nil && !c.isNumber(row[0]) || err == nil && n >= 1 && n <= len(row) && !c.isNumber(row[n-1]) {
			return true
		}
	}
	return false
}

// ColumnNames joins to each name of a header the unit in brackets that stands behind a blank.
func ColumnNames(cells []string) (names []string) {
	for _, cell := range filled(cells) {
		if WithoutUnit(" "+cell) == "" && len(names) > 0 {
			names[len(names)-1] += " " + cell
			continue
		}
		names = append(names, cell)
	}
	return names
}

// filled leaves off the empty cells behind the last separator.
func filled(row []string) []string {
	for len(row) > 0 && row[len(row)-1] == "" {
		row = row[:len(row)-1]
	}
	return row
}

// unitBehind is a unit in brackets at the end of a name.
var unitBehind = regexp.MustCompile(`\s+(\[[^\]]*\]|\([^)]*\))$`)

// WithoutUnit is the name of a column without the unit in brackets behind it.
func WithoutUnit(name string) string { return unitBehind.ReplaceAllString(name, "") }

// ColumnOf is where a name stands in a header, as it is there or without its unit; -1 where it does not.
func ColumnOf(header []string, name string) int {
	if at := slices.Index(header, name); at >= 0 {
		return at
	}
	return slices.IndexFunc(header, func(head string) bool { return WithoutUnit(head) == name })
}

// find gives the column of a name, and whether it was found by its name: as the header has it, or without the unit there.
func (c columnsOf) find(name string, first []string, file string) (at int, named bool, err error) {
	if at := ColumnOf(c.header, name); at >= 0 {
		return at, true, nil
	}
	if n, err := strconv.Atoi(name); err == nil && n >= 1 && (n <= len(first) || c.header != nil) {
		return n - 1, false, nil
	}
	if c.header != nil {
		return 0, false, fmt.Errorf("%s has no column %q; it has %s", file, name, Short(strings.Join(c.header, ", ")))
	}
	return 0, false, fmt.Errorf("%s has no header and %d columns: name a column by its number, from 1, not %q", file, len(first), name)
}

func (c columnsOf) read(row []string) (x, y float64, err error) {
	row = filled(row)
	if c.named && len(row) != len(c.header) {
		return 0, 0, fmt.Errorf("the row has %d cells (%s), and the header on line %d names %d (%s): name the columns by their numbers, from 1, or let both have as many", len(row), Short(strings.Join(row, " | ")), c.line, len(c.header), Short(strings.Join(c.header, " | ")))
	}
	if len(row) <= max(c.x, c.y) {
		return 0, 0, fmt.Errorf("it has %d fields, fewer than the columns asked for", len(row))
	}
	if x, err = NumberOf(row[c.x], "the row", c.commas); err != nil {
		return 0, 0, err
	}
	y, err = NumberOf(row[c.y], "the row", c.commas)
	return x, y, err
}
