package plain

import "bytes"

// A Line is a line without its end, with the byte at which it begins.
type Line struct {
	Text []byte
	From int
}

// Lines parts a text at the ends of its lines.
func Lines(text []byte) []Line {
	var lines []Line
	from := 0
	for _, line := range bytes.SplitAfter(text, []byte("\n")) {
		lines = append(lines, Line{Text: bytes.TrimRight(line, "\r\n"), From: from})
		from += len(line)
	}
	return lines
}

// FieldSpans finds the fields of a line of a deck, from and up to which byte each runs: parted by the separator that the line
// contains, or by blanks. Blanks about a field do not belong to it.
func FieldSpans(line []byte) [][2]int {
	for _, separator := range []byte{',', ';', '\t'} {
		if bytes.IndexByte(line, separator) >= 0 {
			return parted(line, separator)
		}
	}
	return parted(line, ' ')
}

// LogSpans finds those of a line of a log, where a comma may be that of a number: beside semicolons or tabs it parts nothing.
func LogSpans(line []byte) [][2]int {
	if spans := withoutCommas(line); len(spans) > 1 {
		return spans
	}
	if bytes.IndexByte(line, ',') >= 0 && decimalCommas(string(line)) {
		return parted(line, ' ')
	}
	return FieldSpans(line)
}

// SpansOf finds the fields of a line of a log whose numbers have decimal commas or not.
func SpansOf(line []byte, commas bool) [][2]int {
	switch {
	case !commas:
		return LogSpans(line)
	case len(withoutCommas(line)) > 1:
		return withoutCommas(line)
	}
	return parted(line, ' ')
}

// withoutCommas are the fields that semicolons or tabs part; nil where there are none.
func withoutCommas(line []byte) [][2]int {
	for _, separator := range []byte{';', '\t'} {
		if bytes.IndexByte(line, separator) >= 0 {
			return parted(line, separator)
		}
	}
	return nil
}

func parted(line []byte, separator byte) [][2]int {
	spans := make([][2]int, 0, 8)
	for from := 0; from <= len(line); {
		to := from
		for to < len(line) && line[to] != separator {
			to++
		}
		a, b := from, to
		for a < b && (line[a] == ' ' || line[a] == '\t') {
			a++
		}
		for b > a && (line[b-1] == ' ' || line[b-1] == '\t') {
			b--
		}
		if separator != ' ' || b > a {
			spans = append(spans, [2]int{a, b})
		}
		from = to + 1
	}
	return spans
}

// Fields are the fields of a line of a log.
func Fields(line []byte) []string {
	spans := LogSpans(line)
	fields := make([]string, len(spans))
	for i, span := range spans {
		fields[i] = string(line[span[0]:span[1]])
	}
	return fields
}
