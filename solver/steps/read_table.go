package steps

import (
	"bufio"
	"bytes"
	"cmp"
	"fmt"

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
	if rows.columns == nil {
		rows.columns = columnsOf(rows, out)
	}
	fields := fieldsOf(out)
	y := rows.columns[fields[len(fields)-1]]
	if len(fields) == 1 {
		return curve.Curve{Y: y.values}, y.err
	}
	x := rows.columns[fields[0]]
	return curve.Curve{X: x.values, Y: y.values}, cmp.Or(x.err, y.err)
}

// fieldsOf are the fields that an output is read from, by number or by name: x and y of a curve, or one.
func fieldsOf(out bench.Output) []string {
	if out.Curve == nil {
		return []string{out.Table.Field}
	}
	return []string{out.Curve.X, out.Curve.Y}
}

// A column has the numbers of a field, or why it has none.
type column struct {
	values []float64
	err    error
}

// columnsOf reads the fields that outputs ask of a table, all in one go through its rows.
func columnsOf(rows *block, out bench.Output) map[string]*column {
	columns := map[string]*column{}
	for asked := range rows.fields {
		columns[asked] = &column{values: make([]float64, rows.rows)}
	}
	rows.each(func(i int, line []byte) {
		spans := plain.SpansOf(line, out.Commas)
		for asked, c := range columns {
			field := rows.fields[asked]
			switch {
			case c.err != nil:
			case out.Table.Columns[0] > 0:
				var err error
				if c.values[i], err = plain.NumberOf(charactersOf(line, out.Table.Columns), out.File, out.Commas); err != nil {
					c.err = looked{error: fmt.Errorf("row %d below %q, characters %d to %d: %w", i+1, out.Table.After, out.Table.Columns[0], out.Table.Columns[1], err), file: out.File, wanted: string(line)}
				}
			case len(spans) != rows.width:
				c.err = looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and the first has %d: a cell is empty or numbers touch; give columns, the first and the last character of the number, instead of field: %s", i+1, out.Table.After, out.File, len(spans), rows.width, plain.Short(string(line))), file: out.File, wanted: string(line)}
			case field > len(spans):
				c.err = looked{error: fmt.Errorf("row %d below %q in %s has %d fields, and field %d is asked for: %s", i+1, out.Table.After, out.File, len(spans), field, plain.Short(string(line))), file: out.File, wanted: string(line)}
			default:
				var err error
				if c.values[i], err = plain.NumberOf(fieldText(line, spans, field), out.File, out.Commas); err != nil {
					c.err = looked{error: fmt.Errorf("row %d below %q: %w", i+1, out.Table.After, err), file: out.File, wanted: string(line)}
				}
			}
		}
	})
	return columns
}

// fieldText is a field by its number, "" where the line has fewer.
func fieldText(line []byte, spans [][2]int, field int) string {
	if field > len(spans) {
		return ""
	}
	return string(line[spans[field-1][0]:spans[field-1][1]])
}

// charactersOf is what stands between two characters of a line, from 1; "" where it is shorter.
func charactersOf(line []byte, columns [2]int) string {
	if len(line) < columns[0] {
		return ""
	}
	return string(bytes.TrimSpace(line[columns[0]-1 : min(len(line), columns[1])]))
}

// tableName is the same for outputs that are read from one table.
func tableName(out bench.Output) string {
	t := out.Table
	return fmt.Sprintf("%s\x00%s\x00%d\x00%d\x00%s\x00%t\x00%t\x00%v", out.File, t.After, out.Which, t.Rows, t.Until, t.Header, out.Commas, t.Columns)
}

// A block holds the lines of a table, as fields they would take many times the room. Pages do not move while it grows.
type block struct {
	pages   []page
	rows    int
	width   int                // fields of the first row
	fields  map[string]int     // that are asked of it, from 1
	columns map[string]*column // by what is asked, once one was asked for
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
	search := tableSearch{out: out, wanted: &block{}}
	for _, other := range f.outputs {
		if other.Table != nil && tableName(other) == name {
			search.asked = append(search.asked, fieldsOf(other)...)
		}
	}
	err := f.search(&search)
	look := func(format string, args ...any) error {
		return looked{error: fmt.Errorf(format, args...), file: out.File, wanted: out.Table.After}
	}
	switch {
	case err != nil:
	case search.count == 0:
		err = look("no line of %s contains %q with rows of numbers below it", out.File, out.Table.After)
	case out.Which > search.count:
		err = look("%s has %d tables below %q; table %d was asked for", out.File, search.count, out.Table.After, out.Which)
	case out.Table.Rows > 0 && search.short:
		err = look("the table below %q in %s has fewer than the %s asked for", out.Table.After, out.File, plain.Count(out.Table.Rows, "row"))
	case out.Table.Until != "" && search.short:
		err = look("no line of %s contains %q, with which the table below %q ends", out.File, out.Table.Until, out.Table.After)
	}
	if err != nil {
		return nil, err
	}
	f.tables[name] = search.wanted
	return search.wanted, nil
}

func (f *resultFiles) search(s *tableSearch) error {
	opened, err := f.open(s.out.File, maxTable)
	if err != nil {
		return err
	}
	defer opened.Close()
	lines := bufio.NewScanner(plain.UTF8(opened))
	lines.Buffer(nil, maxLine)
	for lines.Scan() {
		if err := s.see(bytes.TrimRight(lines.Bytes(), " \t\r\n\f\v")); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("%s cannot be read by lines of at most %d bytes: %w", s.out.File, maxLine, err)
	}
	s.short = s.short || s.state == inside && s.taken > 0 && s.bounded()
	return nil
}
