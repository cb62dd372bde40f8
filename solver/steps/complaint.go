package steps

import (
	"bytes"
	"regexp"
	"strings"

	"ropebench/bench"
	"ropebench/solver"
)

// specific and general are words with which programs say what went wrong: the first name a cause, the second only that
// there is one.
var (
	specific = regexp.MustCompile(`(?i)not converge|no converge|diverge|did not|does not|could not|cannot|can't|singular|negative|overflow|underflow|divi(de|sion) by zero|out of (memory|range|bounds)|no such|not found|missing|invalid|illegal|unknown|exceed|too (many|few|large|small)|licen[cs]e|\bnan\b|permission|undefined|exception:|error: \S`)
	general  = regexp.MustCompile(`(?i)error|fail|fatal|abort|exception|panic|stop|warning: .*not|terminat`)
	dull     = regexp.MustCompile(`(?i)(backtrace:?$)|^(backtrace|traceback|stack trace|#\d+|\s*at 0x|see the log|0x[0-9a-f]+|job (ended|aborted)|elapsed|total time)`)
)

// complaint is the line of what a program has said that says most about why it did not do its work: the last of those that name
// a cause, else of those that speak of a failure, else the last line that is no address.
func complaint(said string) string {
	best, bestScore := "", -1
	for line := range strings.Lines(said) {
		line = strings.TrimSpace(line)
		score := 1
		switch {
		case line == "":
			continue
		case dull.MatchString(line):
			score = 0
		case specific.MatchString(line):
			score = 3
		case general.MatchString(line):
			score = 2
		}
		if score >= bestScore {
			best, bestScore = line, score
		}
	}
	return best
}

// lastLine is the last line of what a program has said that says something.
func lastLine(said string) string {
	last := ""
	for line := range strings.Lines(said) {
		if line = strings.TrimSpace(line); line != "" && !dull.MatchString(line) {
			last = line
		}
	}
	return last
}

// A gaveUp finds the line with which a step says that it gave up.
type gaveUp struct {
	file    string
	pattern *matcher
}

func newGaveUp(f *bench.FailIf) (*gaveUp, error) {
	if f == nil {
		return nil, nil
	}
	pattern, err := newMatcher("(.*(?:" + f.Match + ").*)")
	return &gaveUp{f.File, pattern}, err
}

// failure is that of a step whose file has such a line, with the last one as its reason; nil where it has not, or there is no such file.
func (g *gaveUp) failure(folder string) (*solver.Failure, error) {
	files := resultFiles{folder: folder}
	defer files.close()
	opened, err := files.open(g.file, maxTable)
	if err != nil {
		return nil, nil // nothing was said there
	}
	defer opened.Close()
	var line string
	err = windows(opened, func(lines []byte) bool {
		return g.pattern.each(lines, func(found []byte) bool {
			line = string(bytes.TrimSpace(found))
			return true
		})
	})
	if err != nil || line == "" {
		return nil, err
	}
	return solver.Failed("%s: %s", g.file, line), nil
}
