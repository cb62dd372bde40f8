package steps

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"

	"ropebench/bench"
	"ropebench/bench/plain"
)

// A matcher finds the lines of a pattern. Lines that cannot match are passed over by a word that each match must have.
type matcher struct {
	pattern *regexp.Regexp
	word    []byte // empty: every line is looked at
}

func newMatcher(pattern string) (*matcher, error) {
	compiled, err := regexp.Compile(pattern)
	if err != nil {
		return nil, err
	}
	return &matcher{compiled, []byte(plain.FixedWord(pattern))}, nil
}

// maxWindow is how much of a file is in memory at a time: whole lines.
const maxWindow = 4 << 20

// match finds the number that a pattern has in a file: the last, or the n-th.
func (f *resultFiles) match(out bench.Output, m *matcher) (float64, error) {
	opened, err := f.open(out.File, maxTable)
	if err != nil {
		return 0, err
	}
	defer opened.Close()
	found, text := 0, ""
	err = windows(plain.UTF8(opened), func(lines []byte) bool {
		return m.each(lines, func(group []byte) bool {
			found++
			text = string(group)
			return found != out.Which
		})
	})
	switch {
	case err != nil:
		return 0, fmt.Errorf("%s cannot be read by lines of at most %d bytes: %w", out.File, maxLine, err)
	case found == 0:
		return 0, looked{error: fmt.Errorf("no line of %s matches %s", out.File, out.Match), file: out.File, wanted: out.Match}
	case out.Which > found:
		return 0, looked{error: fmt.Errorf("%s matches %s only %d times; match %d was asked for", out.File, out.Match, found, out.Which), file: out.File, wanted: out.Match}
	}
	return plain.NumberOf(text, out.File, out.Commas)
}

// windows calls see with parts of a file, each of whole lines, until it returns false.
func windows(file io.Reader, see func(lines []byte) bool) error {
	buffer, filled := make([]byte, maxWindow), 0
	for {
		n, err := io.ReadFull(file, buffer[filled:])
		filled += n
		ended := errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
		if err != nil && !ended {
			return err
		}
		whole := bytes.LastIndexByte(buffer[:filled], '\n') + 1
		if ended {
			whole = filled
		}
		if filled-whole > maxLine {
			return bufio.ErrTooLong
		}
		if !see(buffer[:whole]) || ended {
			return nil
		}
		filled = copy(buffer, buffer[whole:filled])
	}
}

// each calls see with the group of every match, line by line, until it returns false.
func (m *matcher) each(lines []byte, see func(group []byte) bool) (more bool) {
	for len(lines) > 0 {
		from := 0
		if len(m.word) > 0 {
			at := bytes.Index(lines, m.word)
			if at < 0 {
				return true
			}
			from = bytes.LastIndexByte(lines[:at], '\n') + 1
		}
		to := len(lines)
		if end := bytes.IndexByte(lines[from:], '\n'); end >= 0 {
			to = from + end + 1
		}
		line := bytes.TrimRight(lines[from:to], "\r\n")
		for _, groups := range m.pattern.FindAllSubmatch(line, -1) {
			if !see(groups[1]) {
				return false
			}
		}
		lines = lines[to:]
	}
	return true
}
