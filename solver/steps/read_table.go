package steps

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"

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
	if out.Curve == nil {
		c.Y, err = column(rows, out.Table.Field, out)
		return c, err
	}
	x, xErr := strconv.Atoi(out.Curve.X)
	y, yErr := strconv.Atoi(out.Curve.Y)
	if xErr != nil || yErr != nil || x < 1 || y < 1 {
		return c, fmt.Errorf("in a table the fields of a curve are numbers from 1, not %s and %s", out.Curve.X, out.Curve.Y)
	}
	if c.X, err = column(rows, x, out); err == nil {
		c.Y, err = column(rows, y, out)
	}
	return c, err
}

// A block holds the lines of a table, as fields they would take many times the room. Pages do not move while it grows.
type block struct {
	pages []page
	rows  int
}

type page struct {
	text []byte
	ends []int32 // of each line in it
}

const pageSize = 1 << 20

func (b *block) add(line []byte) {
	last := len(b.pages) - 1
	if last < 0 || len(b.pages[last].text)+len(line) > cap(b.pages[last].text) {
		b.pages = append(b.pages, page{text: make([]byte, 0, max(pageSize, len(line)))})
		last++
	}
	p := &b.pages[last]
	p.text = append(p.text, line...)
	p.ends = append(p.ends, int32(len(p.text)))
	b.rows++
}

// each calls visit for the fields of each row, until that returns an error.
func (b *block) each(visit func(i int, row []string) error) error {
	i := 0
	for _, p := range b.pages {
		from := int32(0)
		for _, end := range p.ends {
			if err := visit(i, plain.Fields(p.text[from:end])); err != nil {
				return err
			}
			from = end
			i++
		}
	}
	return nil
}

func column(rows *block, field int, out bench.Output) ([]float64, error) {
	values := make([]float64, rows.rows)
	err := rows.each(func(i int, row []string) (err error) {
		if field > len(row) {
			return looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and field %d is asked for: %s", i+1, out.Table.After, out.File, len(row), field, plain.Short(strings.Join(row, " "))), file: out.File, wanted: strings.Join(row, " ")}
		}
		if values[i], err = plain.Number(row[field-1], out.File); err != nil {
			return looked{error: fmt.Errorf("row %d below %q: %w", i+1, out.Table.After, err), file: out.File, wanted: strings.Join(row, " ")}
		}
		return nil
	})
	return values, err
}

// rows finds the block of a table, each once for all outputs that are read from it.
func (f *resultFiles) rows(out bench.Output) (*block, error) {
	name := fmt.Sprintf("%s\x00%s\x00%d", out.File, out.Table.After, out.Which)
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
