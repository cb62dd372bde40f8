package bench

import (
	"fmt"
	"slices"
	"strings"
)

// A Problem is one mistake in a bench file or a deck: where, what is wrong, and what to write instead.
type Problem struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Message string `json:"message"`
}

func (p Problem) String() string { return fmt.Sprintf("%s:%d: %s", p.File, p.Line, p.Message) }

// Problems are all mistakes found, in the order of files and lines.
type Problems []Problem

func (p Problems) Error() string {
	lines := make([]string, len(p))
	for i, problem := range p {
		lines[i] = problem.String()
	}
	return strings.Join(lines, "\n")
}

// Sorted orders the problems by place and drops what is said twice.
func (p Problems) Sorted() Problems {
	slices.SortStableFunc(p, func(a, b Problem) int {
		if a.File != b.File {
			return strings.Compare(a.File, b.File)
		}
		return a.Line - b.Line
	})
	return slices.Compact(p)
}
