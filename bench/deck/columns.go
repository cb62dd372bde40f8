package deck

import (
	"ropebench/bench/plain"
)

// A token is a number of a line, by bytes. Field is its number where it stands alone in one, else 0.
type token struct {
	from, to, field int
}

// tokensOf finds the numbers of a line, also those that touch.
func tokensOf(line []byte) (tokens []token, touching bool) {
	for k, span := range plain.FieldSpans(line) {
		field := string(line[span[0]:span[1]])
		if _, err := plain.Number(field, ""); err == nil && field != "" {
			tokens = append(tokens, token{from: span[0], to: span[1], field: k + 1})
			continue
		}
		for _, part := range plain.Parts(field) {
			touching = true
			tokens = append(tokens, token{from: span[0] + part[0], to: span[0] + part[1]})
		}
	}
	return tokens, touching
}

// leastAligned is how many lines below each other must be aligned for their numbers to stand in columns.
const leastAligned = 3

// columnsOfLines finds, for each line, the columns in which its numbers stand, from 1; nil for a line whose numbers are fields. Lines
// stand in columns where several below each other have as many numbers, which end (or begin) below each other though they differ in
// width, or where numbers touch.
func columnsOfLines(lines []plain.Line) (tokens [][]token, columns [][][2]int) {
	tokens, columns = make([][]token, len(lines)), make([][][2]int, len(lines))
	touching := make([]bool, len(lines))
	for i, line := range lines {
		tokens[i], touching[i] = tokensOf(line.Text)
	}
	for first := 0; first < len(lines); {
		last, right, left, anyTouch := first+1, true, true, touching[first]
		for last < len(lines) && len(tokens[first]) > 0 && len(tokens[last]) == len(tokens[first]) && !separated(lines[last].Text) {
			ends, begins := aligned(tokens[first], tokens[last])
			if !(right && ends) && !(left && begins) {
				break
			}
			right, left, anyTouch = right && ends, left && begins, anyTouch || touching[last]
			last++
		}
		if !separated(lines[first].Text) && (anyTouch || last-first >= leastAligned && len(tokens[first]) > 1 && right != left) {
			for i := first; i < last; i++ {
				columns[i] = columnsIn(lines[i].Text, tokens[i], left && !right)
			}
		}
		first = last
	}
	return tokens, columns
}

// separated is true for a line whose fields are parted by something else than blanks: there columns mean nothing.
func separated(line []byte) bool {
	for _, c := range line {
		if c == ',' || c == ';' || c == '\t' || c >= 0x80 {
			return true
		}
	}
	return false
}

// aligned says whether the numbers of two lines end below each other, and whether they begin so.
func aligned(a, b []token) (ends, begins bool) {
	ends, begins = true, true
	for k := range a {
		ends, begins = ends && a[k].to == b[k].to, begins && a[k].from == b[k].from
	}
	return ends, begins
}

// columnsIn gives each number the room from the end of the one before it; where numbers begin below each other, up to the beginning of
// the next.
func columnsIn(line []byte, tokens []token, leftAligned bool) [][2]int {
	columns := make([][2]int, len(tokens))
	for k, t := range tokens {
		from, to := t.from, t.to
		if leftAligned {
			if to = len(line); k+1 < len(tokens) {
				to = tokens[k+1].from
			}
		} else {
			for from > 0 && line[from-1] == ' ' {
				from--
			}
		}
		columns[k] = [2]int{from + 1, to}
	}
	return columns
}
