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

func column(rows [][]string, field int, out bench.Output) ([]float64, error) {
	values := make([]float64, len(rows))
	for i, row := range rows {
		if field > len(row) {
			return nil, looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and field %d is asked for: %s", i+1, out.Table.After, out.File, len(row), field, plain.Short(strings.Join(row, " "))), file: out.File, wanted: strings.Join(row, " ")}
		}
		var err error
		if values[i], err = plain.Number(row[field-1], out.File); err != nil {
			return nil, looked{error: fmt.Errorf("row %d below %q: %w", i+1, out.Table.After, err), file: out.File, wanted: strings.Join(row, " ")}
		}
	}
	return values, nil
}

// rows finds the block of a table, each once for all outputs that are read from it.
func (f *resultFiles) rows(out bench.Output) ([][]string, error) {
	name := fmt.Sprintf("%s\x00%s\x00%d", out.File, out.Table.After, out.Which)
	if rows, known := f.tables[name]; known {
		return rows, nil
	}
	blocks, err := f.blocks(out)
	if err != nil {
		return nil, err
	}
	rows, err := chooseBlock(blocks, out)
	f.tables[name] = rows
	return rows, err
}

func chooseBlock(blocks [][][]string, out bench.Output) ([][]string, error) {
	switch {
	case len(blocks) == 0:
		return nil, looked{error: fmt.Errorf("no line of %s contains %q with rows of numbers below it", out.File, out.Table.After), file: out.File, wanted: out.Table.After}
	case out.Which == bench.AllBlocks:
		var all [][]string
		for _, block := range blocks {
			all = append(all, block...)
		}
		return all, nil
	case out.Which == 0:
		return blocks[len(blocks)-1], nil
	case out.Which > len(blocks):
		return nil, looked{error: fmt.Errorf("%s has %d tables below %q; table %d was asked for", out.File, len(blocks), out.Table.After, out.Which), file: out.File, wanted: out.Table.After}
	}
	return blocks[out.Which-1], nil
}

// blocks finds the rows below each heading: they begin with the first line whose first field is a number, in the paragraph
// of the heading or in the next, and end with a blank line. Rows farther below belong to something else.
func (f *resultFiles) blocks(out bench.Output) ([][][]string, error) {
	opened, err := f.open(out.File, maxTable)
	if err != nil {
		return nil, err
	}
	defer opened.Close()
	lines := bufio.NewScanner(opened)
	lines.Buffer(nil, maxLine)
	heading := []byte(out.Table.After)
	var blocks [][][]string
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
			blocks[len(blocks)-1] = append(blocks[len(blocks)-1], plain.Fields(line))
		default:
			if fields := plain.Fields(line); isNumber(fields[0]) {
				blocks = append(blocks, [][]string{fields})
				state = inside
			} else if afterBlank {
				state = next
			}
		}
		afterBlank = len(line) == 0 || afterBlank && state == below
	}
	if err := lines.Err(); err != nil {
		return nil, fmt.Errorf("%s cannot be read by lines of at most %d bytes: %w", out.File, maxLine, err)
	}
	return blocks, nil
}

func isNumber(text string) bool {
	_, err := plain.Number(text, "")
	return text != "" && (err == nil || errors.Is(err, plain.ErrDecimalComma)) // with the latter a row begins that is an error
}
