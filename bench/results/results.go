// Package results says how an output reads a number of a result file again: at a pointer, in a table, by a pattern, or as a column.
package results

import (
	"bytes"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"github.com/go-json-experiment/json/jsontext"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// A Spot is a number of a text, by its line and by which number of the line it is, from 1.
type Spot struct {
	Line, Number int
}

// number is one as solvers print it; behind a point an exponent may stand without its letter, as in 1.2345-103.
var number = regexp.MustCompile(`[-+]?(?:\d+\.?\d*|\.\d+)(?:[eEdD][-+]?\d+)?`)

// These are no numbers that can be read, and no part of them is one: with commas for the point or between thousands, with another letter for the exponent, and
// the second part of complex numbers whose sign stands apart.
var (
	commaNumber   = regexp.MustCompile(`^[-+]?\d+(?:,\d+)+(?:\.\d+)?(?:[eEdD][-+]?\d+)?$`)
	otherExponent = regexp.MustCompile(`^[A-Za-z][-+]\d`)
	imaginary     = regexp.MustCompile(`^[ij](?:[^A-Za-z0-9_]|$)`)
	signApart     = regexp.MustCompile(`[-+][ \t]+$`)
	bareExponent  = regexp.MustCompile(`^[-+]\d{1,3}(?:[^.\d]|$)`)
)

// Numbers finds the numbers of a line, from and up to which byte each runs. A digit within a name is none, and no part of what is no number as a whole.
func Numbers(line []byte) [][2]int {
	var spans [][2]int
	passed := 0 // bytes that are a part of what was passed over
	for _, found := range number.FindAllIndex(line, -1) {
		from, to := found[0], found[1]
		touches := len(spans) > 0 && spans[len(spans)-1][1] == from && bytes.IndexByte(line[from:to], '.') >= 0 // as in fixed columns
		if from < passed || !touches && from > 0 && (line[from-1] == '_' || line[from-1] == '.' || unicode.IsLetter(rune(line[from-1])) || unicode.IsDigit(rune(line[from-1]))) {
			continue
		}
		if end := commaNumberEnd(line, from); end > 0 {
			passed = end
			continue
		}
		behind := line[to:]
		switch {
		case otherExponent.Match(behind):
			passed = to + 2
			continue
		case imaginary.Match(behind) && signApart.Match(line[:from]):
			continue
		case bytes.IndexByte(line[from:to], '.') >= 0 && !bytes.ContainsAny(line[from:to], "eEdD") && bareExponent.Match(behind):
			to += len(bytes.TrimRightFunc(bareExponent.Find(behind), func(r rune) bool { return !unicode.IsDigit(r) }))
			passed = to
		}
		spans = append(spans, [2]int{from, to})
	}
	return spans
}

// commaNumberEnd is where the number with commas ends within which a place stands; 0 where none does. Where commas part the fields of a line there is none.
func commaNumberEnd(line []byte, at int) int {
	if bytes.IndexByte(line, ',') < 0 {
		return 0
	}
	spans := plain.SpansOf(line, true)
	if len(spans) < 2 {
		return 0 // nothing but commas parts the line
	}
	for _, span := range spans {
		if span[0] <= at && at < span[1] && commaNumber.Match(line[span[0]:span[1]]) {
			return span[1]
		}
	}
	return 0
}

// find gives the lines of a text and the bytes of a number within its line.
func find(whole []byte, at Spot) (lines []plain.Line, from, to int, err error) {
	lines = plain.Lines(whole)
	if at.Line < 1 || at.Line > len(lines) {
		return nil, 0, 0, fmt.Errorf("there are %s, and line %d is asked for", plain.Count(len(lines), "line"), at.Line)
	}
	spans := Numbers(lines[at.Line-1].Text)
	if at.Number < 1 || at.Number > len(spans) {
		return nil, 0, 0, fmt.Errorf("line %d has %s, and number %d is asked for", at.Line, plain.Count(len(spans), "number"), at.Number)
	}
	return lines, spans[at.Number-1][0], spans[at.Number-1][1], nil
}

// NumberAt is the number at a spot.
func NumberAt(whole []byte, at Spot) (float64, error) {
	lines, from, to, err := find(whole, at)
	if err != nil {
		return 0, err
	}
	return plain.Number(string(lines[at.Line-1].Text[from:to]), "the file")
}

// A text is a result file with the line and the bytes at which the number stands.
type text struct {
	file     string
	whole    []byte
	lines    []plain.Line
	line     int // from 0
	from, to int // bytes of the number within its line
	field    int // from 1, where the number stands alone in one; else 0
}

// Ways lists outputs that may read the number at a spot of a file: those that find it surely first. Names are left out. Which of
// them do read it is for who has the reader. The error says that there is no number at the spot.
func Ways(file string, whole []byte, at Spot) ([]bench.Output, error) {
	lines, from, to, err := find(whole, at)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	t := text{file: file, whole: whole, lines: lines, line: at.Line - 1, from: from, to: to}
	for k, span := range plain.LogSpans(lines[t.line].Text) {
		if span[0] == from && span[1] == to {
			t.field = k + 1
		}
	}
	if ways, isJSON := t.pointers(); isJSON {
		return ways, nil
	}
	return append(append(t.columns(), t.tables()...), t.patterns()...), nil
}

// takes are the functions by which one number of a list may be told.
var takes = []string{"final", "first", "peak", "trough", "peak_abs"}

// taken gives an output once for each number that can be read off it, and once as it is.
func taken(out bench.Output) []bench.Output {
	var all []bench.Output
	for _, take := range takes {
		one := out
		one.Take = take
		all = append(all, one)
	}
	return append(all, out)
}

// pointers finds the number in JSON, and the list that it is an item of.
func (t text) pointers() (ways []bench.Output, isJSON bool) {
	begins := bytes.TrimLeft(t.whole, " \t\r\n\xef\xbb\xbf")
	if len(begins) == 0 || begins[0] != '{' && begins[0] != '[' {
		return nil, false
	}
	wanted := int64(t.lines[t.line].From)
	from, to := wanted+int64(t.from), wanted+int64(t.to)
	d := jsontext.NewDecoder(bytes.NewBuffer(t.whole), jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true))
	for {
		token, err := d.ReadToken()
		if err != nil {
			return ways, len(ways) > 0
		}
		end := d.InputOffset()
		begin := end - int64(len(token.String()))
		if token.Kind() != '0' || end <= from || begin >= to {
			continue
		}
		pointer := string(d.StackPointer())
		ways = append(ways, bench.Output{File: t.file, Pointed: true, Pointer: pointer})
		if at := strings.LastIndexByte(pointer, '/'); at >= 0 {
			if _, err := strconv.Atoi(pointer[at+1:]); err == nil {
				list := taken(bench.Output{File: t.file, Pointed: true, Pointer: pointer[:at]})
				ways = append(ways, list[:len(list)-1]...) // a list is read by what is taken of it
			}
		}
	}
}

// columns finds the number in a table with a header that fills its file.
func (t text) columns() []bench.Output {
	if t.field == 0 {
		return nil
	}
	table := plain.NewTable(bytes.NewReader(t.whole))
	header, headerLine, err := table.Read()
	if err != nil || headerLine > t.line || len(header) < 2 {
		return nil
	}
	names := plain.ColumnNames(append([]string{}, header...))
	for _, name := range names {
		if _, err := plain.Number(name, ""); err == nil || name == "" {
			return nil
		}
	}
	for {
		row, line, err := table.Read()
		if err != nil || line > t.line+1 || len(row) < t.field || len(row) != len(names) {
			return nil
		}
		if line == t.line+1 {
			break
		}
	}
	return taken(bench.Output{File: t.file, Curve: &bench.Curve{X: names[0], Y: names[t.field-1]}})
}

// isRow is true for a line that begins with a number.
func isRow(line []byte) bool {
	fields := plain.Fields(line)
	if len(fields) == 0 {
		return false
	}
	_, err := plain.Number(fields[0], "")
	return err == nil
}

// tables finds the number in rows below a heading: the nearest line above them that has a word, up to its first number, which may be
// another one next time.
func (t text) tables() []bench.Output {
	switch {
	case t.field == 0 && t.touches():
		return t.inColumns()
	case t.field == 0 || !isRow(t.lines[t.line].Text):
		return nil
	}
	at := t.line
	for at >= 0 && (isRow(t.lines[at].Text) || len(bytes.TrimSpace(t.lines[at].Text)) == 0) {
		at--
	}
	if at < 0 {
		return nil
	}
	after := heading(string(t.lines[at].Text))
	if after == "" {
		return nil
	}
	return taken(bench.Output{File: t.file, Which: t.occurrence(after, at), Table: &bench.Table{After: after, Field: strconv.Itoa(t.field)}})
}

// occurrence is which of the lines that contain a text one of them is, from 1; 0 where it is the last one.
func (t text) occurrence(of string, at int) int {
	which, count := 0, 0
	for i, line := range t.lines {
		if bytes.Contains(line.Text, []byte(of)) {
			if count++; i <= at {
				which = count
			}
		}
	}
	if which == count {
		return 0
	}
	return which
}

// headingsTried is below how many words a number of fixed columns is looked for: lines that begin with numbers may head others.
const headingsTried = 6

// inColumns finds the number between two characters of rows, below each of the words that stand above it.
func (t text) inColumns() (ways []bench.Output) {
	columns := t.characters()
	for at := t.line - 1; at >= 0 && len(ways) < headingsTried*(len(takes)+1); at-- {
		word := longestWord(string(t.lines[at].Text))
		if word == "" {
			continue
		}
		ways = append(ways, taken(bench.Output{File: t.file, Which: t.occurrence(word, at), Table: &bench.Table{After: word, Columns: columns, Field: bench.FieldOfColumns(columns)}})...)
	}
	return ways
}

// longestWord is the longest of a line that has a letter and is no number; "" where there is none.
func longestWord(line string) string {
	longest := ""
	for _, field := range strings.Fields(line) {
		if _, err := plain.Number(field, ""); err != nil && plain.Parts(field) == nil && strings.ContainsFunc(field, unicode.IsLetter) && len(field) > len(longest) {
			longest = field
		}
	}
	return longest
}

// touches is true where the number stands next to another one, as in fixed columns.
func (t text) touches() bool {
	line := t.lines[t.line].Text
	part := func(at int) bool {
		return at >= 0 && at < len(line) && (unicode.IsDigit(rune(line[at])) || line[at] == '-' || line[at] == '+')
	}
	return part(t.from-1) || part(t.to)
}

// characters are the first and the last character of the number, with the blanks before it: another value may be longer.
func (t text) characters() [2]int {
	from := t.from
	line := t.lines[t.line].Text
	for from > 0 && line[from-1] == ' ' {
		from--
	}
	return [2]int{from + 1, t.to}
}

// heading is the part of a line before its first number.
func heading(line string) string {
	fields := strings.Fields(line)
	end := len(line)
	for _, field := range fields {
		if _, err := plain.Number(strings.Trim(field, "=:,;"), ""); err == nil {
			end = strings.Index(line, field)
			break
		}
	}
	text := strings.TrimSpace(line[:end])
	if !strings.ContainsFunc(text, unicode.IsLetter) {
		return ""
	}
	return text
}

// patterns finds the number by the words before it on its line, or by those behind it.
func (t text) patterns() []bench.Output {
	line := string(t.lines[t.line].Text)
	before, behind := line[:t.from], line[t.to:]
	if at := lastNumberEnd(before); at > 0 {
		before = before[at:]
	}
	number := `(\S+)`
	if behind != "" && !unicode.IsSpace(rune(behind[0])) {
		number = `([-+]?[\d.]+(?:[eEdD][-+]?\d+)?)`
	}
	var ways []bench.Output
	add := func(pattern string) {
		compiled, err := regexp.Compile(pattern)
		if err != nil {
			return
		}
		which, count := 0, 0
		for i, line := range t.lines {
			for range compiled.FindAllIndex(line.Text, -1) {
				if count++; i <= t.line {
					which = count
				}
			}
		}
		if which == count {
			which = 0
		}
		ways = append(ways, bench.Output{File: t.file, Match: pattern, Which: which})
	}
	if strings.ContainsFunc(before, unicode.IsLetter) {
		blank := ""
		if strings.HasSuffix(before, " ") || strings.HasSuffix(before, "\t") {
			blank = `\s+`
		}
		add(spaced(before) + blank + number)
	}
	if words := firstWords(behind); words != "" && len(ways) == 0 {
		add(number + `\s+` + spaced(words))
	}
	return ways
}

// lastNumberEnd is where the last number before another ends.
func lastNumberEnd(text string) int {
	spans := Numbers([]byte(text))
	if len(spans) == 0 {
		return 0
	}
	return spans[len(spans)-1][1]
}

// spaced quotes words for a pattern in which any blanks part them.
func spaced(text string) string {
	fields := strings.Fields(text)
	for i, field := range fields {
		fields[i] = regexp.QuoteMeta(field)
	}
	return strings.Join(fields, `\s+`)
}

// firstWords are the words behind a number, up to the next one.
func firstWords(text string) string {
	var words []string
	for _, field := range strings.Fields(text) {
		if _, err := plain.Number(field, ""); err == nil {
			break
		}
		words = append(words, field)
	}
	if joined := strings.Join(words, " "); strings.ContainsFunc(joined, unicode.IsLetter) {
		return joined
	}
	return ""
}
