package study

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"

	"ropebench/bench/plain"
	"ropebench/dispatch"
	"ropebench/result"
)

// Bounds on what is kept of failures.
const (
	mostReasons  = 1000 // that are told apart
	shownReasons = 5
)

// failures groups the evaluations that failed by their reasons.
type failures map[string]*result.Failure

var numbers = regexp.MustCompile(`[-+]?[0-9][0-9.,]*`)

// add takes note of a record that failed. Reasons that differ in numbers only are one.
func (f failures) add(record dispatch.Record) {
	key := numbers.ReplaceAllString(record.Reason, "0")
	known := f[key]
	switch {
	case known == nil && len(f) >= mostReasons:
		return
	case known == nil:
		f[key] = &result.Failure{Reason: record.Reason, Count: 1, Evaluation: record.Number}
		return
	}
	if known.Count++; record.Number < known.Evaluation { // which ends first means nothing
		known.Reason, known.Evaluation = record.Reason, record.Number
	}
}

// manyFailed is the share of evaluations whose failure puts an answer in doubt: what is best may lie where they failed.
const manyFailed = 0.05

// part gives the most frequent reasons, and what they mean for the answer; nil where nothing failed.
func (f failures) part(counts result.Counts) *result.Failures {
	if counts.Failed == 0 {
		return nil
	}
	tried := counts.Evaluations - counts.NotTried
	p := &result.Failures{Reasons: f.list(), Doubt: float64(counts.Failed) > manyFailed*float64(tried)}
	p.Says = fmt.Sprintf("%s of %s failed", plain.Show(float64(counts.Failed)), plain.Count(tried, "evaluation"))
	switch {
	case counts.Usable == 0:
		p.Says += ": none has values"
	case p.Doubt:
		p.Says += ": what is best may lie where they did"
	}
	return p
}

func (f failures) list() []result.Failure {
	all := []result.Failure{}
	for _, one := range f {
		all = append(all, *one)
	}
	slices.SortFunc(all, func(a, b result.Failure) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Evaluation, b.Evaluation))
	})
	return all[:min(shownReasons, len(all))]
}
