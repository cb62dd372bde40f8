package plain

import "regexp/syntax"

// FixedWord is the longest text that every match of a pattern contains, "" if there is none.
func FixedWord(pattern string) string {
	parsed, err := syntax.Parse(pattern, syntax.Perl)
	if err != nil {
		return ""
	}
	return fixedWord(parsed.Simplify())
}

func fixedWord(e *syntax.Regexp) string {
	switch e.Op {
	case syntax.OpLiteral:
		if e.Flags&syntax.FoldCase == 0 {
			return string(e.Rune)
		}
	case syntax.OpCapture, syntax.OpPlus:
		return fixedWord(e.Sub[0])
	case syntax.OpRepeat:
		if e.Min > 0 {
			return fixedWord(e.Sub[0])
		}
	case syntax.OpConcat:
		longest := ""
		for _, part := range e.Sub {
			if word := fixedWord(part); len(word) > len(longest) {
				longest = word
			}
		}
		return longest
	}
	return ""
}
