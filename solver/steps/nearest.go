package steps

import (
	"fmt"
	"io"
	"io/fs"
	"strings"
	"unicode"

	"ropebench/bench/plain"
)

// looked is an error about a file in which something was looked for and not found.
type looked struct {
	error
	file   string
	wanted string
}

// Unwrap gives the error itself.
func (l looked) Unwrap() error { return l.error }

const (
	maxNearest = 8 << 20 // how much of a file is looked through for the lines nearest to what was wanted
	shownLine  = 160     // characters of a line that are shown
)

// nearest shows the three lines of a file that are nearest to what was wanted: those about the line that shares most of its
// words, or the last ones where none shares any.
func (f *resultFiles) nearest(file, wanted string) string {
	if answered, is := f.answers[file]; is {
		return fmt.Sprintf("%s: %s", file, plain.Short(string(answered)))
	}
	opened, err := f.open(file, maxTable)
	if err != nil {
		return ""
	}
	defer opened.Close()
	text, err := io.ReadAll(io.LimitReader(opened, maxNearest))
	if err != nil || len(text) == 0 {
		return file + " is empty"
	}
	lines := strings.Split(strings.TrimRight(string(text), "\r\n"), "\n")
	words, best, bestAt := wordsOf(wanted), 0, len(lines)-1
	for i, line := range lines {
		if score := shared(words, line); score > best {
			best, bestAt = score, i
		}
	}
	first := max(0, min(bestAt-1, len(lines)-3))
	return describeLines(file, first+1, lines[first:min(first+3, len(lines))])
}

func describeLines(file string, first int, lines []string) string {
	var out strings.Builder
	fmt.Fprintf(&out, "%s, lines %d to %d:", file, first, first+len(lines)-1)
	for _, line := range lines {
		if len(line) > shownLine {
			line = line[:shownLine] + "..."
		}
		fmt.Fprintf(&out, "\n  %s", strings.ToValidUTF8(strings.TrimRight(line, "\r"), "?"))
	}
	return out.String()
}

// wordsOf are the words of a text, or of a pattern, in lower case.
func wordsOf(text string) []string {
	var words []string
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if len(word) > 1 {
			words = append(words, strings.ToLower(word))
		}
	}
	return words
}

func shared(words []string, line string) int {
	lower, count := strings.ToLower(line), 0
	for _, word := range words {
		if strings.Contains(lower, word) {
			count += len(word)
		}
	}
	return count
}

// written lists the files that stand in the working folder.
func (f *resultFiles) written() string {
	var names []string
	root, err := f.inside()
	if err != nil {
		return ""
	}
	err = fs.WalkDir(root.FS(), ".", func(path string, entry fs.DirEntry, err error) error {
		if err == nil && !entry.IsDir() {
			names = append(names, path)
		}
		return err
	})
	if err != nil || len(names) == 0 {
		return ""
	}
	return "there are: " + plain.Short(strings.Join(names, ", "))
}
