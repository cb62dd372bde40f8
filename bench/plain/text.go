package plain

import (
	"regexp"
	"strings"
	"unicode"
)

const shortest = 60 // characters that are shown of a longer text

// Short cuts a text that is shown in a message.
func Short(text string) string {
	if characters := []rune(text); len(characters) > shortest {
		return string(characters[:shortest]) + "..."
	}
	return text
}

// Printable leaves of a text what can be shown: no commands to a terminal (ECMA-48), and nothing that is no letter but blanks
// and ends of lines.
func Printable(text string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\t':
			return r
		case r == '\r':
			return -1
		case !unicode.IsPrint(r):
			return '·'
		}
		return r
	}, terminalCommand.ReplaceAllString(strings.ToValidUTF8(text, "·"), ""))
}

var terminalCommand = regexp.MustCompile(`\x1b(\[[0-?]*[ -/]*[@-~]|[\]PX^_][^\x07\x1b]*(\x07|\x1b\\)?|[ -/]*[0-~])`)
