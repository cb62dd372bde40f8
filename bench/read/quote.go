package read

import "strings"

// quoteFormulas puts quotes around the values of a line of YAML that would be taken apart: those with a comma inside
// round brackets within {...}, and those with ? and : . It reports whether it changed anything.
func quoteFormulas(line string) (fixed string, changed bool) {
	var out strings.Builder
	rest := line
	for {
		key := keyEnd(rest)
		if key < 0 {
			break
		}
		out.WriteString(rest[:key])
		rest = rest[key:]
		if strings.HasPrefix(rest, "{") || strings.HasPrefix(rest, "[") || strings.HasPrefix(rest, `"`) || strings.HasPrefix(rest, "'") {
			continue
		}
		value := valueEnd(rest, strings.Contains(line[:len(line)-len(rest)], "{"))
		text := strings.TrimRight(rest[:value], " ")
		if strings.Contains(text, ",") || strings.Contains(text, "?") && strings.Contains(text, ":") {
			out.WriteString(`"` + text + `"`)
			changed = true
		} else {
			out.WriteString(text)
		}
		rest = rest[len(text):]
	}
	out.WriteString(rest)
	return strings.TrimSpace(out.String()), changed
}

// keyEnd is the place behind the next "key: " of a line, or -1.
func keyEnd(text string) int {
	at := strings.Index(text, ": ")
	if at < 0 {
		return -1
	}
	end := at + 2
	for end < len(text) && text[end] == ' ' {
		end++
	}
	return end
}

// valueEnd is the end of a plain value: within {...} at a comma or a closing bracket that is not inside round
// brackets, else at the end of the line or a comment.
func valueEnd(text string, inFlow bool) int {
	depth := 0
	for i, c := range text {
		switch {
		case c == '(':
			depth++
		case c == ')':
			depth--
		case inFlow && depth <= 0 && (c == ',' || c == '}'):
			return i
		case c == '#' && i > 0 && text[i-1] == ' ':
			return i
		}
	}
	return len(text)
}
