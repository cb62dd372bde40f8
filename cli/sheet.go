package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
)

const (
	pipeWidth   = 110 // of tables that go into a pipe or a file
	leastWidth  = 40  // below it nothing is made narrower
	leastColumn = 14  // of texts that are broken between words
	columnGap   = 3
)

// A sheet is a plain table: a line below the header, no frame. Where it is wider than the window its texts are broken between words,
// and where that is not enough, columns go into a table below, behind the first one again.
type sheet struct {
	out    io.Writer
	width  int
	right  []int // columns that are aligned to the right, from 1
	header []string
	rows   [][]string
}

// newTable begins a table; columns by number, from 1, are aligned to the right.
func (v view) newTable(right []int, header ...any) *sheet {
	width := widthOf(v.out)
	if width == 0 {
		width = pipeWidth
	}
	return &sheet{out: v.out, width: max(width, leastWidth), right: right, header: cellsOf(header)}
}

func cellsOf(values []any) []string {
	cells := make([]string, len(values))
	for i, value := range values {
		cells[i] = fmt.Sprint(value)
	}
	return cells
}

// AppendRow adds a row.
func (s *sheet) AppendRow(row table.Row) { s.rows = append(s.rows, cellsOf(row)) }

// Render writes the table.
func (s *sheet) Render() {
	widths := s.widths()
	s.breakTexts(widths)
	for i, block := range s.blocks(widths) {
		if i > 0 {
			fmt.Fprintln(s.out)
		}
		s.renderBlock(block, widths)
	}
}

// all are the header and the rows.
func (s *sheet) all() [][]string { return slices.Concat([][]string{s.header}, s.rows) }

// widths are those of the columns as they are.
func (s *sheet) widths() []int {
	widths := make([]int, len(s.header))
	for _, row := range s.all() {
		for i, cell := range row {
			for line := range strings.SplitSeq(cell, "\n") {
				widths[i] = max(widths[i], text.StringWidthWithoutEscSequences(line))
			}
		}
	}
	return widths
}

func total(widths []int) int {
	sum := -columnGap
	for _, width := range widths {
		sum += width + columnGap
	}
	return sum
}

// breakTexts makes columns of texts narrower, the widest first, until the table fits.
func (s *sheet) breakTexts(widths []int) {
	for total(widths) > s.width {
		widest := -1
		for i := range widths {
			if s.isText(i) && widths[i] > max(leastColumn, s.longestWord(i)) && (widest < 0 || widths[i] > widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			return
		}
		widths[widest] = max(leastColumn, s.longestWord(widest), widths[widest]-(total(widths)-s.width))
	}
}

// isText is true for a column that is not of numbers.
func (s *sheet) isText(column int) bool { return !slices.Contains(s.right, column+1) }

func (s *sheet) longestWord(column int) int {
	longest := 0
	for _, row := range s.all() {
		if column >= len(row) {
			continue
		}
		for _, word := range strings.Fields(row[column]) {
			longest = max(longest, text.StringWidthWithoutEscSequences(word))
		}
	}
	return longest
}

// blocks parts the columns into tables that fit, each with the first column.
func (s *sheet) blocks(widths []int) [][]int {
	blocks := [][]int{{0}}
	used := widths[0]
	for i := 1; i < len(widths); i++ {
		last := len(blocks) - 1
		if used+columnGap+widths[i] > s.width && len(blocks[last]) > 1 {
			blocks = append(blocks, []int{0})
			used = widths[0]
			last++
		}
		blocks[last] = append(blocks[last], i)
		used += columnGap + widths[i]
	}
	return blocks
}

func (s *sheet) renderBlock(columns, widths []int) {
	t := table.NewWriter()
	style := table.StyleLight
	style.Options = table.OptionsNoBordersAndSeparators
	style.Options.SeparateHeader = true
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft = ""
	style.Box.PaddingRight = strings.Repeat(" ", columnGap)
	t.SetStyle(style)
	var configs []table.ColumnConfig
	for n, column := range columns {
		config := table.ColumnConfig{Number: n + 1, WidthMax: widths[column], WidthMaxEnforcer: text.WrapSoft}
		if !s.isText(column) {
			config.Align, config.AlignHeader, config.WidthMax = text.AlignRight, text.AlignRight, 0
		}
		configs = append(configs, config)
	}
	t.SetColumnConfigs(configs)
	pick := func(row []string) table.Row {
		picked := make(table.Row, len(columns))
		for n, column := range columns {
			picked[n] = ""
			if column < len(row) {
				picked[n] = row[column]
			}
		}
		return picked
	}
	t.AppendHeader(pick(s.header))
	for _, row := range s.rows {
		t.AppendRow(pick(row))
	}
	t.SuppressTrailingSpaces()
	fmt.Fprintln(s.out, strings.Replace(t.Render(), strings.Repeat("─", columnGap)+"\n", "\n", 1)) // the line ends with the last column
}
