package steps

import (
	"bufio"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"strconv"

	"ropebench/bench"
	"ropebench/bench/plain"
	"ropebench/core/curve"
)

// table reads fields of the rows below a heading.
func (f *resultFiles) table(out bench.Output) (c curve.Curve, err error) {
	rows, err := f.rows(out)
	if err != nil {
		return c, err
	}
	fields, err := fieldsOf(out)
	if err != nil {
		return c, err
	}
	if rows.columns == nil {
		rows.columns = f.columns(rows, out)
	}
	y := rows.columns[fields[len(fields)-1]]
	if len(fields) == 1 {
		return curve.Curve{Y: y.values}, y.err
	}
	x := rows.columns[fields[0]]
	return curve.Curve{X: x.values, Y: y.values}, cmp.Or(x.err, y.err)
}

// fieldsOf are the fields that an output is read from: x and y of a curve, or one.
func fieldsOf(out bench.Output) ([]int, error) {
	if out.Curve == nil {
		return []int{out.Table.Field}, nil
	}
	x, xErr := strconv.Atoi(out.Curve.X)
	y, yErr := strconv.Atoi(out.Curve.Y)
	if xErr != nil || yErr != nil || x < 1 || y < 1 {
		return nil, fmt.Errorf("in a table the fields of a curve are numbers from 1, not %s and %s", out.Curve.X, out.Curve.Y)
	}
	return []int{x, y}, nil
}

// A column has the numbers of a field, or why it has none.
type column struct {
	values []float64
	err    error
}

// columns reads the fields that outputs ask of a table, all in one go through its rows.
func (f *resultFiles) columns(rows *block, out bench.Output) map[int]*column {
	columns := map[int]*column{}
	for _, other := range f.outputs {
		if other.Table == nil || tableName(other) != tableName(out) {
			continue
		}
		fields, err := fieldsOf(other)
		for _, field := range fields {
			columns[field] = &column{values: make([]float64, rows.rows), err: err}
		}
	}
	rows.each(func(i int, line []byte) {
		spans := plain.LogSpans(line)
		for field, c := range columns {
			switch {
			case c.err != nil:
			case field > len(spans):
				c.err = looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and field %d is asked for: %s", i+1, out.Table.After, out.File, len(spans), field, plain.Short(string(line))), file: out.File, wanted: string(line)}
			default:
				var err error
				if c.values[i], err = plain.Number(string(line[spans[field-1][0]:spans[field-1][1]]), out.File); err != nil {
					c.err = looked{error: fmt.Errorf("row %d below %q: %w", i+1, out.Table.After, err), file: out.File, wanted: string(line)}
				}
			}
		}
	})
	return columns
}

// tableName is the same for outputs that are read from one table.
func tableName(out bench.Output) string {
	return fmt.Sprintf("%s\x00%s\x00%d", out.File, out.Table.After, out.Which)
}

// A block holds the lines of a table, as fields they would take many times the room. Pages do not move while it grows.
type block struct {
	pages   []page
	rows    int
	columns map[int]*column // by field, once one was asked for
}

type page struct {
	text []byte
	ends []int32 // of each line in it
}

// Pages are the larger the more there are: most tables are small.
const (
	firstPage = 4 << 10
	mostPage  = 1 << 20
)

func (b *block) add(line []byte) {
	last := len(b.pages) - 1
	if last < 0 || len(b.pages[last].text)+len(line) > cap(b.pages[last].text) {
		size := min(firstPage<<min(last+1, 16), mostPage)
		b.pages = append(b.pages, page{text: make([]byte, 0, max(size, len(line)))})
		last++
	}
	p := &b.pages[last]
	p.text = append(p.text, line...)
	p.ends = append(p.ends, int32(len(p.text)))
	b.rows++
}

// each calls visit for each line.
func (b *block) each(visit func(i int, line []byte)) {
	i := 0
	for _, p := range b.pages {
		from := int32(0)
		for _, end := range p.ends {
			visit(i, p.text[from:end])
			from = end
			i++
		}
	}
}

// rows finds the block of a table, each once for all outputs that are read from it.
func (f *resultFiles) rows(out bench.Output) (*block, error) {
	name := tableName(out)
	if rows, known := f.tables[name]; known {
		return rows, nil
	}
	wanted, count, err := f.blocks(out)
	switch {
	case err != nil:
	case count == 0:
		err = looked{error: fmt.Errorf("no line of %s contains %q with rows of numbers below it", out.File, out.Table.After), file: out.File, wanted: out.Table.After}
	case out.Which > count:
		err = looked{error: fmt.Errorf("%s has %d tables below %q; table %d was asked for", out.File, count, out.Table.After, out.Which), file: out.File, wanted: out.Table.After}
	}
	if err != nil {
		return nil, err
	}
	f.tables[name] = wanted
	return wanted, nil
}

// blocks finds the rows below each heading, and keeps those that are wanted: they begin with the first line whose first field is a
// number, in the paragraph of the heading or in the next, and end with a blank line. Rows farther below belong to something else.
func (f *resultFiles) blocks(out bench.Output) (wanted *block, count int, err error) {
	opened, err := f.open(out.File, maxTable)
	if err != nil {
		return nil, 0, err
	}
	defer opened.Close()
	lines := bufio.NewScanner(opened)
	lines.Buffer(nil, maxLine)
	heading := []byte(out.Table.After)
	wanted = &block{}
	begin := func() {
		if count++; out.Which == 0 { // the last one
			wanted = &block{}
		}
	}
	keep := func(line []byte) {
		if out.Which == bench.AllBlocks || out.Which == 0 || out.Which == count {
			wanted.add(line)
		}
	}
	const outside, below, next, inside = 0, 1, 2, 3
	state, afterBlank := outside, false
	for lines.Scan() {
		line := bytes.TrimSpace(lines.Bytes())
		if bytes.Contains(line, heading) {
			state, afterBlank = below, false
			continue
		}
		switch {
		case state == outside:
		case len(line) == 0:
			if state == inside || state == next {
				state = outside
			}
		case state == inside:
			keep(line)
		default:
			if fields := plain.Fields(line); isNumber(fields[0]) {
				begin()
				keep(line)
				state = inside
			} else if afterBlank {
				state = next
			}
		}
		afterBlank = len(line) == 0 || afterBlank && state == below
	}
	if err := lines.Err(); err != nil {
		return nil, 0, fmt.Errorf("%s cannot be read by lines of at most %d bytes: %w", out.File, maxLine, err)
	}
	return wanted, count, nil
}

func isNumber(text string) bool {
	_, err := plain.Number(text, "")
	return text != "" && (err == nil || errors.Is(err, plain.ErrDecimalComma)) // with the latter a row begins that is an error
}
